/* SPDX-License-Identifier: MIT
 * Rows whose times are those of reception, or of a coarse clock: the smoother and kalman on such logs as they come, and with
 * even times (inspect --even-times) where it is said that they are uneven. */
#include "bench.h"
#include "marlinspike/inspect.h"
#include "row_time_faults.h"
#include "smoothed_run.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

/* Nothing was chosen by these seeds. */
enum { SEEDS = 2, FROM_SEED = 4101, CLASSES = ACCURACY_CLASSES + ACCURACY_UNTUNED };
#define SKIP_LONGER_THAN 200.0 /* s: the day is left out */

static const char *const names[TIME_FAULTS] = {"true times", "scatter, 2 ms", "reception, 5 ms",
                                               "packets of 8", "ticks of 16 ms"};

typedef struct table {
    smoothed_sums as_read, even;
    double kalman, kalman_even;
    int uneven;
    double scatter, left; /* s^2: of the times about the true ones less their mean, before and after */
} table;

/* Variance of what the run's times are late by. */
static double scatter_of(const accuracy_run *run, const int64_t *true_ns)
{
    double sum = 0, squares = 0, n = (double)run->n;
    for (size_t i = 0; i < run->n; i++) {
        double late = 1e-9 * (double)(run->sample[i].t_ns - true_ns[i]);
        sum += late / n;
        squares += late * late / n;
    }
    return squares - sum * sum;
}

/* As inspect --even-times, where the log is said to need it. */
static int set_even(accuracy_run *run)
{
    static char path[] = "made.csv";
    marl_log log = {.path = path, .n = run->n, .row = calloc(run->n, sizeof *log.row)};
    marl_row_times times = {.are_uneven = 0};
    for (size_t i = 0; i < run->n && log.row != NULL; i++) {
        log.row[i].sample = run->sample[i];
    }
    int is_set = log.row != NULL && marl_row_times_find(&log, &times, NULL) == MARL_OK && times.are_uneven &&
                 marl_row_times_set_even(&log, &times, NULL) == MARL_OK;
    for (size_t i = 0; i < run->n && is_set; i++) {
        run->sample[i].t_ns = log.row[i].sample.t_ns;
    }
    free(log.row);
    return is_set;
}

static void add_run(const accuracy_class *of, uint64_t seed, time_fault fault, table *t)
{
    static const accuracy_grade calibrated = {"calibrated", .declared = 1};
    accuracy_run run = accuracy_run_make_graded(of, seed, &calibrated);
    const int64_t step_ns = run.sample[1].t_ns - run.sample[0].t_ns;
    int64_t *true_ns = calloc(run.n, sizeof *true_ns);
    int64_t last_ns = 0;
    dice d = {seed};
    if (true_ns == NULL) {
        fprintf(stderr, "no memory\n");
        exit(1);
    }
    for (size_t i = 0; i < run.n; i++) {
        true_ns[i] = run.sample[i].t_ns;
        last_ns = faulty_time(fault, i, true_ns[i], step_ns, last_ns, &d);
        run.sample[i].t_ns = last_ns;
    }
    t->scatter += scatter_of(&run, true_ns);
    smoothed_sums_add_run(&t->as_read, &run);
    t->kalman += kalman_log_rms(&run);
    t->uneven += set_even(&run);
    t->left += scatter_of(&run, true_ns);
    smoothed_sums_add_run(&t->even, &run);
    t->kalman_even += kalman_log_rms(&run);
    free(true_ns);
    accuracy_run_free(&run);
}

void bench_times(void)
{
    printf("\nrows whose times are not when they were taken, seeds %d to %d, calibrated sensors, 200 Hz: how "
           "far times scatter,\nms rms; degrees rms of the smoother (geometric mean, worst), squared error "
           "over stated variance (mean, worst), not\ntrusted, over three sigmas without a word; kalman; as "
           "the log comes, and behind it with even times where they are\nnamed as uneven\n%-16s %6s %4s  %6s "
           "%7s  %5s %7s  %4s %4s  %6s\n",
           FROM_SEED, FROM_SEED + SEEDS - 1, "times", "ms", "logs", "rms", "worst", "ratio", "worst", "dist",
           "over", "kalman");
    for (int k = 0; k < TIME_FAULTS; k++) {
        table t = {.uneven = 0};
        for (int c = 0; c < CLASSES; c++) {
            const accuracy_class *of = accuracy_class_of(c);
            for (int seed = FROM_SEED;
                 of->seconds < SKIP_LONGER_THAN && !of->speed && seed < FROM_SEED + SEEDS; seed++) {
                add_run(of, (uint64_t)seed, (time_fault)k, &t);
            }
        }
        double n = t.as_read.logs;
        printf("%-16s %6.2f ", names[k], 1e3 * sqrt(t.scatter / n));
        smoothed_sums_print(&t.as_read);
        printf("  %6.3f\n  even: %3d of %2.0f %6.2f ", exp(t.kalman / n), t.uneven, n,
               1e3 * sqrt(t.left / n));
        smoothed_sums_print(&t.even);
        printf("  %6.3f\n", exp(t.kalman_even / n));
    }
}
