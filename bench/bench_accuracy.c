/* SPDX-License-Identifier: MIT
 * Errors of the estimators, weighting on and off, beside the textbook loop of each: every class of motion, on
 * seeds that nothing was tuned on. */
#include "accuracy_scenes.h"
#include "bench.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

enum { FIRST_FILTER = MARL_FILTER_COMPLEMENTARY, FILTERS = MARL_FILTER_COUNT - FIRST_FILTER };

/* Of one class: each filter weighted, unweighted, as its textbook has it; and the baselines. */
typedef struct row {
    accuracy_sum weighted[FILTERS], unweighted[FILTERS], textbook[FILTERS], gyro, vectors;
} row;

static double rms(const accuracy_sum *sum)
{
    return accuracy_rms(sum->total, sum->n);
}

static void add_run(row *r, const accuracy_run *run)
{
    for (int f = 0; f < FILTERS; f++) {
        marl_tuning tuning = marl_tuning_default((marl_filter)(FIRST_FILTER + f));
        accuracy_run_ours(&tuning, run, &r->weighted[f]);
        tuning.value[MARL_PARAMETER_WEIGHTING] = 0.0f;
        accuracy_run_ours(&tuning, run, &r->unweighted[f]);
        accuracy_run_plain(&accuracy_textbook[FIRST_FILTER + f], run, &r->textbook[f]);
    }
    marl_tuning gyro = marl_tuning_default(MARL_FILTER_GYRO),
                vectors = marl_tuning_default(MARL_FILTER_VECTORS);
    accuracy_run_ours(&gyro, run, &r->gyro);
    accuracy_run_ours(&vectors, run, &r->vectors);
}

static void print_line(const char *name, const double *value, int n)
{
    printf("%-20s", name);
    for (int i = 0; i < n; i++) {
        printf(i % 3 == 0 && i < 9 ? "  %6.2f" : "%6.2f", value[i]);
    }
    printf("\n");
}

/* Columns: three for each filter, then gyro and vectors. */
static void values_of(const row *r, double value[11])
{
    for (int f = 0; f < FILTERS; f++) {
        value[3 * f] = rms(&r->weighted[f]);
        value[3 * f + 1] = rms(&r->unweighted[f]);
        value[3 * f + 2] = rms(&r->textbook[f]);
    }
    value[9] = rms(&r->gyro);
    value[10] = rms(&r->vectors);
}

static void measure(const accuracy_class *class, row *r)
{
    for (int k = 0; k < ACCURACY_SEEDS; k++) {
        accuracy_run run = accuracy_run_make(class, (uint64_t)(ACCURACY_REPORTED_FROM + k));
        add_run(r, &run);
        accuracy_run_free(&run);
    }
}

static void print_ratios(const accuracy_class *class, const row *rows, int n)
{
    printf("\nkalman: squared error over stated variance, tilt and heading\n");
    for (int c = 0; c < n; c++) {
        const accuracy_sum *k = &rows[c].weighted[MARL_FILTER_KALMAN - FIRST_FILTER];
        printf("%-20s %6.2f %6.2f\n", class[c].name, k->tilt_ratio / (double)k->stated,
               k->heading_ratio / (double)k->stated);
    }
}

static void print_table(const char *title, const accuracy_class *class, row *rows, int n)
{
    double value[11], sum[11] = {0}, worst[3] = {0};
    printf("\n%s\n%-20s  %-18s  %-18s  %-18s\n%-20s  weight   off book  weight   off book  weight   off book "
           " gyro "
           "vect.\n",
           title, "", "complementary", "gradient-descent", "kalman", "");
    for (int c = 0; c < n; c++) {
        measure(&class[c], &rows[c]);
        values_of(&rows[c], value);
        print_line(class[c].name, value, 11);
        for (int i = 0; i < 11; i++) {
            sum[i] += log(value[i]) / n;
        }
        for (int f = 0; f < FILTERS; f++) {
            worst[f] = fmax(worst[f], value[3 * f] / value[3 * f + 2]);
        }
    }
    for (int i = 0; i < 11; i++) {
        value[i] = exp(sum[i]);
    }
    print_line("geometric mean", value, 11);
    printf("with weighting over textbook, mean and worst class:");
    for (int f = 0; f < FILTERS; f++) {
        printf("  %s %.2f %.2f", marl_filter_name((marl_filter)(FIRST_FILTER + f)),
               value[3 * f] / value[3 * f + 2], worst[f]);
    }
    printf("\n");
    print_ratios(class, rows, n);
}

void bench_accuracy(void)
{
    static row tuned[ACCURACY_CLASSES], untuned[ACCURACY_UNTUNED];
    printf("\ntotal error, degrees rms from 5 s after the start; seeds %d to %d\n", ACCURACY_REPORTED_FROM,
           ACCURACY_REPORTED_FROM + ACCURACY_SEEDS - 1);
    print_table("classes of motion that other seeds were tuned on", accuracy_classes, tuned,
                ACCURACY_CLASSES);
    print_table("motions and starts that no seed was tuned on", accuracy_untuned, untuned, ACCURACY_UNTUNED);
}
