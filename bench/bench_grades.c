/* SPDX-License-Identifier: MIT
 * The smoother on sensors of many grades, from calibrated to twice as bad as it assumes: errors, whether the standard
 * deviations hold, which results it does not trust, and whether decisions between tunings are right. */
#include "bench.h"
#include "smoothed_run.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

/* Nothing was chosen by these seeds but SAME_START of the smoother, between two values, by the grades that warm up. */
enum { SEEDS = 3, FROM_SEED = 3601, CLASSES = ACCURACY_CLASSES + ACCURACY_UNTUNED, TUNINGS = 5 };
#define SKIP_LONGER_THAN 200.0 /* s: the day is left out */

#define RAW(scale_, misalignment_, accel_, mag_)                                                             \
    .gyro_low = 1.2, .gyro_high = 2.4, .scale = (scale_), .misalignment = (misalignment_),                   \
    .accel_bias = (accel_), .mag_bias = (mag_)

static const accuracy_grade grades[] = {
    {"calibrated, declared", .declared = 1},
    {"bias 1.2 to 2.4 deg/s", .gyro_low = 1.2, .gyro_high = 2.4},
    {"bias 3 to 6 deg/s", .gyro_low = 3, .gyro_high = 6},
    {"bias 10 to 20 deg/s", .gyro_low = 10, .gyro_high = 20},
    {"raw, 0.5 %", RAW(0.005, 0.004, 0.1, 1)},
    {"raw, 0.5 %, declared", RAW(0.005, 0.004, 0.1, 1), .declared = 1},
    {"raw, 2 %", RAW(0.02, 0.01, 0.3, 5)},
    {"raw, 2 %, declared", RAW(0.02, 0.01, 0.3, 5), .declared = 1},
    {"raw, 5 %", RAW(0.05, 0.025, 1, 20)},
    {"raw, 1 %, 5 uT", RAW(0.01, 0.005, 0.2, 5)},
    {"raw, 1 %, 15 uT", RAW(0.01, 0.005, 0.2, 15)},
    {"raw, 1 %, 30 uT", RAW(0.01, 0.005, 0.2, 30)},
    {"raw, 1 %, 60 uT", RAW(0.01, 0.005, 0.2, 60)},
    {"warms up, 0.1 deg/s", .declared = 1, .warm_gyro = 0.1},
    {"warms up, 0.5 deg/s", .declared = 1, .warm_gyro = 0.5},
    {"raw, 0.5 %, 0.5 deg/s", RAW(0.005, 0.004, 0.1, 1), .warm_gyro = 0.5},
    {"0.05 deg/s per g", .declared = 1, .by_force = 0.05},
    {"0.2 deg/s per g", .declared = 1, .by_force = 0.2},
    {"raw, 0.5 %, 0.1 per g", RAW(0.005, 0.004, 0.1, 1), .by_force = 0.1},
    {"gyroscope's noise x 8", .declared = 1, .gyro_noise_times = 8},
    {"raw, 0.5 %, noise x 8", RAW(0.005, 0.004, 0.1, 1), .gyro_noise_times = 8},
};
enum { GRADES = sizeof grades / sizeof grades[0] };

static const char *const tunings[TUNINGS] = {"kalman", "complementary", "gradient-descent",
                                             "complementary:tilt_time=0.3", "complementary:tilt_time=3"};

/* Results by squared error over stated variance: under 3, under 25, and more. */
typedef struct table {
    int logs, kept_calibrated;
    double log_rms, log_stated, worst_rms, worst_ratio, ratio;
    int by_ratio[3], distrusted[3];
    int pairs, decided, wrong, settled_pairs;
} table;

static double run_tuning(const char *text, const accuracy_run *run, const marl_smoothed *s, double *truth)
{
    marl_named_tuning tuning;
    marl_pipeline_config config = {
        .calibration = marl_calibration_none(),
        .sensors = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG,
        .corrected = run->calibrated ? MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG : 0};
    marl_pipeline pipeline;
    marl_quat q;
    double found = 0, n = 0;
    *truth = 0;
    if (marl_tuning_read(&tuning, text, NULL, NULL) != MARL_OK) {
        exit(1);
    }
    config.tuning = tuning.tuning;
    if (marl_pipeline_init(&pipeline, &config) != MARL_OK) {
        exit(1);
    }
    for (size_t i = 0; i < run->n; i++) {
        if (marl_pipeline_step(&pipeline, &run->sample[i], &q) == MARL_OK) {
            *truth += pow(marl_error_between(q, run->truth[i]).total_deg, 2);
            found += pow(marl_error_between(q, s->row[i].q).total_deg, 2);
            n++;
        }
    }
    *truth = sqrt(*truth / n);
    return sqrt(found / n);
}

static void add_decisions(const accuracy_run *run, const marl_smoothed *s, table *t)
{
    double truth[TUNINGS], found[TUNINGS];
    double sigma = hypot(s->sigma_tilt_rms, s->sigma_heading_rms) / MARL_DEGREE;
    for (int k = 0; k < TUNINGS; k++) {
        found[k] = run_tuning(tunings[k], run, s, &truth[k]);
    }
    for (int a = 0; a < TUNINGS; a++) {
        for (int b = a + 1; b < TUNINGS; b++) {
            int decided = fabs(found[a] - found[b]) > sigma && marl_smoothed_distrust(s) == NULL;
            t->pairs++;
            t->decided += decided;
            t->wrong += decided && (found[a] - found[b]) * (truth[a] - truth[b]) < 0;
        }
    }
}

static void add_run(const accuracy_run *run, table *t)
{
    marl_smoothed s;
    smoothed_errors errors = smoothed_run(run, &s);
    double ratio = fmax(errors.tilt, errors.heading),
           stated = hypot(s.sigma_tilt_rms, s.sigma_heading_rms) / MARL_DEGREE;
    int kind = ratio < 3 ? 0 : ratio < 25 ? 1 : 2;
    t->logs++;
    t->kept_calibrated += !s.sensors_are_raw;
    t->log_rms += 0.5 * log(errors.total2);
    t->log_stated += log(stated);
    t->ratio += 0.5 * (errors.tilt + errors.heading);
    t->worst_rms = fmax(t->worst_rms, sqrt(errors.total2));
    t->worst_ratio = fmax(t->worst_ratio, ratio);
    t->by_ratio[kind]++;
    t->distrusted[kind] += marl_smoothed_distrust(&s) != NULL;
    add_decisions(run, &s, t);
    marl_smoothed_free(&s);
}

static void print_table(const char *name, const table *t)
{
    double n = t->logs;
    printf("%-22s %4d %5d  %6.3f %7.3f %6.3f  %5.2f %8.2f  %2d/%-3d %2d/%-3d %2d/%-3d  %4d %4d %3d\n", name,
           t->logs, t->kept_calibrated, exp(t->log_rms / n), t->worst_rms, exp(t->log_stated / n),
           t->ratio / n, t->worst_ratio, t->distrusted[0], t->by_ratio[0], t->distrusted[1], t->by_ratio[1],
           t->distrusted[2], t->by_ratio[2], t->pairs, t->decided, t->wrong);
}

void bench_grades(void)
{
    printf(
        "\nsmoother by grade of sensors, seeds %d to %d; degrees rms of the whole log (geometric mean, "
        "worst), "
        "stated\nstandard deviation, squared error over stated variance (mean, worst); not trusted of all "
        "with a "
        "ratio under 3, to 25,\nover; pairs of five tunings, decided, wrong\n%-22s %4s %5s  %6s %7s %6s  %5s "
        "%8s  %6s %6s %6s  %4s %4s %3s\n",
        FROM_SEED, FROM_SEED + SEEDS - 1, "", "logs", "cal", "rms", "worst", "stated", "ratio", "worst",
        "< 3", "< 25", "more", "pair", "dec", "bad");
    for (int g = 0; g < GRADES; g++) {
        table t = {0};
        for (int c = 0; c < CLASSES; c++) {
            const accuracy_class *of = accuracy_class_of(c);
            for (int seed = FROM_SEED;
                 of->seconds < SKIP_LONGER_THAN && !of->speed && seed < FROM_SEED + SEEDS; seed++) {
                accuracy_run run = accuracy_run_make_graded(of, (uint64_t)seed, &grades[g]);
                add_run(&run, &t);
                accuracy_run_free(&run);
            }
        }
        print_table(grades[g].name, &t);
    }
}
