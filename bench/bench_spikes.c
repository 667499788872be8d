/* SPDX-License-Identifier: MIT
 * Logs of a bus that fails now and then: the smoother, and kalman with such readings and without (inspect --drop-spikes). */
#include "bench.h"
#include "marlinspike/inspect.h"
#include "sensor_faults.h"
#include "smoothed_run.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

/* Nothing was chosen by these seeds. */
enum { SEEDS = 2, FROM_SEED = 3993, CLASSES = ACCURACY_CLASSES + ACCURACY_UNTUNED };
#define SKIP_LONGER_THAN 200.0 /* s: the day is left out */

static const double shares[] = {0, 1e-4, 1e-3, 1e-2};
enum { SHARES = sizeof shares / sizeof shares[0] };

typedef struct table {
    smoothed_sums smoothed;
    double kalman, kalman_dropped;
    size_t put, found, wrong; /* readings that were spoilt; of them found; others found */
} table;

/* Spoils readings, and marks them in spoilt. */
static void spoil(accuracy_run *run, double share, uint64_t seed, uint8_t *spoilt)
{
    dice d = {seed};
    for (size_t i = 0; i < run->n; i++) {
        for (int k = 0; k < MARL_SENSOR_COUNT; k++) {
            int is_due = dice_between(&d, 0, 1) < share;
            if (is_due && spoil_reading(&run->sample[i], k, &d)) {
                spoilt[i] = (uint8_t)(spoilt[i] | 1u << k);
            }
        }
    }
}

/* As inspect --drop-spikes. */
static int drop(accuracy_run *run, const uint8_t *spoilt, uint8_t *found, table *t)
{
    marl_log log = {.path = NULL, .n = run->n, .row = calloc(run->n, sizeof *log.row)};
    for (size_t i = 0; i < run->n && log.row != NULL; i++) {
        log.row[i].sample = run->sample[i];
    }
    int is_done = log.row != NULL && marl_spikes_find(&log, found, NULL) == MARL_OK;
    for (size_t i = 0; i < run->n && is_done; i++) {
        for (int k = 0; k < MARL_SENSOR_COUNT; k++) {
            int put = (spoilt[i] >> k) & 1, was = (found[i] >> k) & 1;
            t->put += (size_t)put;
            t->found += (size_t)(put && was);
            t->wrong += (size_t)(was && !put);
        }
        run->sample[i].fresh &= (uint8_t)~found[i];
    }
    free(log.row);
    return is_done;
}

static void add_run(const accuracy_class *of, uint64_t seed, double share, table *t)
{
    static const accuracy_grade calibrated = {"calibrated", .declared = 1};
    accuracy_run run = accuracy_run_make_graded(of, seed, &calibrated);
    uint8_t *spoilt = calloc(2 * run.n, 1);
    if (spoilt != NULL) {
        spoil(&run, share, seed, spoilt);
        smoothed_sums_add_run(&t->smoothed, &run);
        t->kalman += kalman_log_rms(&run);
        t->kalman_dropped += drop(&run, spoilt, spoilt + run.n, t) ? kalman_log_rms(&run) : NAN;
    }
    free(spoilt);
    accuracy_run_free(&run);
}

void bench_spikes(void)
{
    printf(
        "\nreadings that a failing bus spoilt, seeds %d to %d, calibrated sensors: degrees rms of the "
        "smoother "
        "(geometric mean,\nworst), squared error over stated variance (mean, worst), not trusted, over three "
        "sigmas without a word; kalman\nas recorded, and by --drop-spikes; readings spoilt, found of them, "
        "and "
        "others\n%-8s %4s  %6s %7s  %5s %7s  %4s %4s  %6s %7s  %6s %6s %5s\n",
        FROM_SEED, FROM_SEED + SEEDS - 1, "spoilt", "logs", "rms", "worst", "ratio", "worst", "dist", "over",
        "kalman", "dropped", "spoilt", "found", "other");
    for (int k = 0; k < SHARES; k++) {
        table t = {0};
        for (int c = 0; c < CLASSES; c++) {
            const accuracy_class *of = accuracy_class_of(c);
            for (int seed = FROM_SEED;
                 of->seconds < SKIP_LONGER_THAN && !of->speed && seed < FROM_SEED + SEEDS; seed++) {
                add_run(of, (uint64_t)seed, shares[k], &t);
            }
        }
        double n = t.smoothed.logs;
        printf("%6.2f %% ", 100 * shares[k]);
        smoothed_sums_print(&t.smoothed);
        printf("  %6.3f %7.3f  %6zu %6zu %5zu\n", exp(t.kalman / n), exp(t.kalman_dropped / n), t.put,
               t.found, t.wrong);
    }
}
