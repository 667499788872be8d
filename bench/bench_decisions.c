/* SPDX-License-Identifier: MIT
 * Which tuning is better, by the smoothed log and by the truth: how often the one decides, and whether it is
 * right. Nothing was tuned on these seeds with decisions in sight. */
#include "accuracy_scenes.h"
#include "bench.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

enum { SEEDS = 3, FROM = 51, TUNINGS = 12 };

/* The two filters as they come, and five tunings of each. */
static const char *const tunings[TUNINGS] = {
    "kalman",
    "complementary",
    "complementary:tilt_time=0.3",
    "complementary:tilt_time=1",
    "complementary:tilt_time=3",
    "complementary:tilt_time=10",
    "complementary:weighting=off",
    "kalman:gyro_white=0.001",
    "kalman:velocity_time=3",
    "kalman:speed_floor=0.15",
    "kalman:mag_noise=1",
    "kalman:weighting=off",
};

typedef struct decisions {
    int pairs, decided, wrong;
} decisions;

static void add_pair(const double truth[TUNINGS], const double found[TUNINGS], double sigma, int a, int b,
                     decisions *d)
{
    double difference = found[a] - found[b];
    d->pairs++;
    if (fabs(difference) > sigma) {
        d->decided++;
        d->wrong += difference * (truth[a] - truth[b]) < 0;
    }
}

/* Error against the truth and against the smoothed log, rms in degrees. */
static void run_tuning(const char *text, const accuracy_run *run, const marl_smoothed *s, double rms[2])
{
    marl_named_tuning tuning;
    marl_estimator e;
    marl_error error = {0};
    double squares[2] = {0, 0}, n = 0;
    if (marl_tuning_read(&tuning, text, NULL, &error) != MARL_OK ||
        marl_estimator_init(&e, &tuning.tuning) != MARL_OK) {
        fprintf(stderr, "%s: %s\n", text, error.text);
        exit(1);
    }
    for (size_t i = 0; i < run->n; i++) {
        marl_quat q;
        (void)!marl_estimator_update(&e, &run->sample[i]);
        if (marl_estimator_attitude(&e, &q) == MARL_OK) {
            squares[0] += pow(marl_error_between(q, run->truth[i]).total_deg, 2);
            squares[1] += pow(marl_error_between(q, s->row[i].q).total_deg, 2);
            n++;
        }
    }
    rms[0] = sqrt(squares[0] / n);
    rms[1] = sqrt(squares[1] / n);
}

static void add_run(const accuracy_run *run, decisions *filters, decisions *of_kind)
{
    static char path[] = "made.csv";
    marl_log log = {.path = path, .n = run->n, .row = calloc(run->n, sizeof *log.row)};
    marl_smoothed s;
    double truth[TUNINGS], found[TUNINGS];
    log.info.columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG;
    log.info.corrected = 1;
    for (size_t i = 0; i < run->n && log.row != NULL; i++) {
        log.row[i].sample = run->sample[i];
    }
    if (log.row == NULL || marl_smooth(&log, NULL, &s, NULL) != MARL_OK) {
        exit(1);
    }
    for (int t = 0; t < TUNINGS; t++) {
        double rms[2];
        run_tuning(tunings[t], run, &s, rms);
        truth[t] = rms[0];
        found[t] = rms[1];
    }
    double sigma = hypot(s.sigma_tilt_rms, s.sigma_heading_rms) / MARL_DEGREE;
    add_pair(truth, found, sigma, 0, 1, filters);
    for (int a = 2; a < TUNINGS; a++) {
        for (int b = a + 1; b < TUNINGS; b++) {
            if ((a < 7) == (b < 7)) {
                add_pair(truth, found, sigma, a, b, of_kind);
            }
        }
    }
    marl_smoothed_free(&s);
    free(log.row);
}

static void print_decisions(const char *name, const decisions *d)
{
    printf("  %-34s %4d pairs, decided %4d (%.0f %%), wrong %d\n", name, d->pairs, d->decided,
           100.0 * d->decided / d->pairs, d->wrong);
}

static void add_classes(const accuracy_class *classes, size_t n, decisions *filters, decisions *of_kind)
{
    for (size_t c = 0; c < n; c++) {
        for (uint64_t seed = FROM; seed < FROM + SEEDS; seed++) {
            accuracy_run run = accuracy_run_make(&classes[c], seed);
            add_run(&run, filters, of_kind);
            accuracy_run_free(&run);
        }
    }
}

void bench_decisions(void)
{
    decisions filters = {0}, of_kind = {0};
    add_classes(accuracy_classes, ACCURACY_CLASSES, &filters, &of_kind);
    add_classes(accuracy_untuned, ACCURACY_UNTUNED, &filters, &of_kind);
    printf("\ndecisions by the smoothed log, %d classes of motion, %d seeds each\n",
           ACCURACY_CLASSES + ACCURACY_UNTUNED, SEEDS);
    print_decisions("kalman or complementary", &filters);
    print_decisions("five tunings of each", &of_kind);
}
