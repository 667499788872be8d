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

/* What the sensors are: as in the tables above; with a bias of the gyroscope that nobody knows; raw. */
static const accuracy_grade grades[] = {
    {"calibrated", .declared = 1},
    {"bias 1.2 to 2.4 deg/s", .gyro_low = 1.2, .gyro_high = 2.4},
    {"raw, 0.5 %", .gyro_low = 1.2, .gyro_high = 2.4, .scale = 0.005, .misalignment = 0.004,
     .accel_bias = 0.1, .mag_bias = 1},
};
enum { GRADES = sizeof grades / sizeof grades[0], GRADED_SEEDS = 5, GRADED_FROM = 11 };

/* A class by all grades: the three filters, kalman unweighted, and its squared error over variance. */
static void print_graded(const accuracy_class *of, double sum[FILTERS + 1][GRADES])
{
    double value[FILTERS + 1][GRADES], ratio[GRADES];
    for (int g = 0; g < GRADES; g++) {
        accuracy_sum weighted[FILTERS] = {{0}}, off = {0};
        for (uint64_t seed = GRADED_FROM; seed < GRADED_FROM + GRADED_SEEDS; seed++) {
            accuracy_run run = accuracy_run_make_graded(of, seed, &grades[g]);
            for (int f = 0; f < FILTERS; f++) {
                marl_tuning tuning = marl_tuning_default((marl_filter)(FIRST_FILTER + f));
                accuracy_run_ours(&tuning, &run, &weighted[f]);
            }
            marl_tuning unweighted = marl_tuning_default(MARL_FILTER_KALMAN);
            unweighted.value[MARL_PARAMETER_WEIGHTING] = 0.0f;
            accuracy_run_ours(&unweighted, &run, &off);
            accuracy_run_free(&run);
        }
        for (int f = 0; f < FILTERS; f++) {
            value[f][g] = rms(&weighted[f]);
        }
        value[FILTERS][g] = rms(&off);
        const accuracy_sum *kalman = &weighted[FILTERS - 1];
        ratio[g] = fmax(kalman->tilt_ratio, kalman->heading_ratio) / (double)kalman->stated;
    }
    printf("%-20s", of->name);
    for (int f = 0; f <= FILTERS; f++) {
        for (int g = 0; g < GRADES; g++) {
            printf(g == 0 ? "  %6.2f" : "%6.2f", value[f][g]);
            sum[f][g] += log(value[f][g]);
        }
    }
    printf("  %6.2f%6.2f%6.2f\n", ratio[0], ratio[1], ratio[2]);
}

static void print_by_grade(void)
{
    double sum[FILTERS + 1][GRADES] = {{0}};
    printf("\nby what the sensors are, seeds %d to %d: %s; %s; %s\n%-20s  %-18s  %-18s  %-18s  %-18s  "
           "error^2/variance\n",
           GRADED_FROM, GRADED_FROM + GRADED_SEEDS - 1, grades[0].name, grades[1].name, grades[2].name, "",
           "complementary", "gradient-descent", "kalman", "kalman, off");
    const accuracy_class *classes[] = {accuracy_classes, accuracy_untuned, accuracy_harder};
    const int n[] = {ACCURACY_CLASSES, ACCURACY_UNTUNED, ACCURACY_HARDER};
    for (int k = 0; k < 3; k++) {
        for (int c = 0; c < n[k]; c++) {
            print_graded(&classes[k][c], sum);
        }
    }
    printf("%-20s", "geometric mean");
    for (int f = 0; f <= FILTERS; f++) {
        for (int g = 0; g < GRADES; g++) {
            printf(g == 0 ? "  %6.2f" : "%6.2f", exp(sum[f][g] / (n[0] + n[1] + n[2])));
        }
    }
    printf("\n");
}

void bench_accuracy(void)
{
    static row tuned[ACCURACY_CLASSES], untuned[ACCURACY_UNTUNED], harder[ACCURACY_HARDER];
    printf("\ntotal error, degrees rms from 5 s after the start; seeds %d to %d\n", ACCURACY_REPORTED_FROM,
           ACCURACY_REPORTED_FROM + ACCURACY_SEEDS - 1);
    print_table("classes of motion that other seeds were tuned on", accuracy_classes, tuned,
                ACCURACY_CLASSES);
    print_table("motions and starts that no seed was tuned on", accuracy_untuned, untuned, ACCURACY_UNTUNED);
    print_table("driving without a stop, and tumbling faster", accuracy_harder, harder, ACCURACY_HARDER);
    print_by_grade();
}
