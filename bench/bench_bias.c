/* SPDX-License-Identifier: MIT
 * The filters on sensors before calibration: the gyroscope's bias of the accuracy bench times 1, 4 and 10 (0.5, 1.8
 * and 4.5 deg/s in the mean, 6 at most), nothing known of it. */
#include "accuracy_scenes.h"
#include "bench.h"
#include <math.h>
#include <stdio.h>

enum { FIRST_FILTER = MARL_FILTER_COMPLEMENTARY, FILTERS = MARL_FILTER_COUNT - FIRST_FILTER, BIASES = 3 };
/* Nothing was chosen by these seeds. */
enum { SEEDS = 5, FROM_SEED = 601 };

static const double factors[BIASES] = {1, 4, 10};

/* Of one class and bias: each filter, weighted, not, and weighted with the bias taken as calibrated. */
typedef struct row {
    accuracy_sum weighted[FILTERS], unweighted[FILTERS], known[FILTERS];
} row;

enum { COLUMNS = 3 * FILTERS };

static void add_run(row *r, const accuracy_run *run)
{
    for (int f = 0; f < FILTERS; f++) {
        marl_tuning tuning = marl_tuning_default((marl_filter)(FIRST_FILTER + f));
        accuracy_run_ours(&tuning, run, &r->weighted[f]);
        tuning.value[MARL_PARAMETER_WEIGHTING] = 0.0f;
        accuracy_run_ours(&tuning, run, &r->unweighted[f]);
        tuning = marl_tuning_default((marl_filter)(FIRST_FILTER + f));
        tuning.value[MARL_PARAMETER_BIAS_SPREAD] = MARL_BIAS_SPREAD_CALIBRATED;
        accuracy_run_ours(&tuning, run, &r->known[f]);
    }
}

static double rms(const accuracy_sum *sum)
{
    return accuracy_rms(sum->total, sum->n);
}

static void values_of(const row *r, double value[COLUMNS])
{
    for (int f = 0; f < FILTERS; f++) {
        value[3 * f] = rms(&r->weighted[f]);
        value[3 * f + 1] = rms(&r->unweighted[f]);
        value[3 * f + 2] = rms(&r->known[f]);
    }
}

static void print_line(const char *name, const double *value, const row *r)
{
    printf("%-20s", name);
    for (int i = 0; i < COLUMNS; i++) {
        printf(i % 3 == 0 ? "  %6.2f" : " %6.2f", value[i]);
    }
    if (r != NULL) {
        const accuracy_sum *k = &r->weighted[FILTERS - 1];
        printf("  %6.2f %6.2f", k->tilt_ratio / (double)k->stated, k->heading_ratio / (double)k->stated);
    }
    printf("\n");
}

static void print_table(double factor)
{
    const accuracy_class *classes[2] = {accuracy_classes, accuracy_untuned};
    const int n[2] = {ACCURACY_CLASSES, ACCURACY_UNTUNED};
    double sum[COLUMNS] = {0}, value[COLUMNS];
    printf("\ngyroscope bias x %g\n%-20s  %-21s %-22s %-20s   error^2/variance\n%-20s  weight    off  known  "
           "weight    "
           "off  known  weight    off  known    tilt heading\n",
           factor, "", "complementary", "gradient-descent", "kalman", "");
    for (int set = 0; set < 2; set++) {
        for (int c = 0; c < n[set]; c++) {
            row r = {0};
            for (int k = 0; k < SEEDS; k++) {
                accuracy_run run =
                    accuracy_run_make_biased(&classes[set][c], (uint64_t)(FROM_SEED + k), factor);
                add_run(&r, &run);
                accuracy_run_free(&run);
            }
            values_of(&r, value);
            print_line(classes[set][c].name, value, &r);
            for (int i = 0; i < COLUMNS; i++) {
                sum[i] += log(value[i]) / (ACCURACY_CLASSES + ACCURACY_UNTUNED);
            }
        }
    }
    for (int i = 0; i < COLUMNS; i++) {
        value[i] = exp(sum[i]);
    }
    print_line("geometric mean", value, NULL);
}

void bench_bias(void)
{
    printf("\ntotal error, degrees rms from 5 s after the start; seeds %d to %d; known: bias_spread 0.01\n",
           FROM_SEED, FROM_SEED + SEEDS - 1);
    for (int i = 0; i < BIASES; i++) {
        print_table(factors[i]);
    }
}
