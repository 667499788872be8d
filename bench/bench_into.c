/* SPDX-License-Identifier: MIT
 * What `smooth --into` makes of ten minutes of any motion with raw sensors: squared error over variance of the elements
 * that it adds, and kalman on another log of the same sensors without and with it. */
#include "accuracy_scenes.h"
#include "bench.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

/* Nothing was chosen by these seeds. */
enum { LOGS_OF_SCENE = 5, FROM_SEED = 3811 };
#define SECONDS 600.0
#define NEXT_SECONDS 120.0

static const accuracy_grade grade = {
    .gyro_low = 1, .gyro_high = 5, .scale = 0.01, .misalignment = 0.005, .accel_bias = 0.15, .mag_bias = 2.5};

typedef struct pair {
    marl_scene_kind kind, next;
} pair;

static const pair pairs[] = {
    {MARL_SCENE_LIFT, MARL_SCENE_HANDLE},   {MARL_SCENE_HANDLE, MARL_SCENE_CARRY},
    {MARL_SCENE_CARRY, MARL_SCENE_LIFT},    {MARL_SCENE_TUMBLE, MARL_SCENE_HANDLE},
    {MARL_SCENE_DRIVE, MARL_SCENE_DRIVE},   {MARL_SCENE_SWING, MARL_SCENE_SWING},
    {MARL_SCENE_SPIN, MARL_SCENE_HANDLE},   {MARL_SCENE_SLEW, MARL_SCENE_SLEW},
    {MARL_SCENE_UPSIDE, MARL_SCENE_TUMBLE}, {MARL_SCENE_POSES, MARL_SCENE_CARRY},
};
enum { PAIRS = sizeof pairs / sizeof pairs[0] };

typedef struct result {
    double squares[MARL_SENSOR_COUNT][2], raw, refined; /* of biases and matrices; kalman's rms, deg */
    int added[MARL_SENSOR_COUNT][2], beyond_five, better, logs, refused;
} result;

static marl_log log_of(const accuracy_run *run)
{
    static char path[] = "made.csv";
    marl_log log = {.path = path, .n = run->n, .row = calloc(run->n, sizeof *log.row)};
    log.info.columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG;
    for (size_t i = 0; i < run->n && log.row != NULL; i++) {
        log.row[i].sample = run->sample[i];
        log.row[i].q = run->truth[i];
    }
    if (log.row == NULL) {
        exit(1);
    }
    return log;
}

static double kalman_rms(const marl_log *log, const marl_calibration_record *record)
{
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    const marl_replay_options options = {
        .degradation = {.every = 1}, .record = record, .record_path = "made.json"};
    marl_pipeline pipeline;
    marl_series estimate;
    double squares = 0;
    if (marl_replay_log(&pipeline, log, &tuning, &options, &estimate, NULL) != MARL_OK) {
        exit(1);
    }
    for (size_t i = 0; i < estimate.n; i++) {
        squares +=
            pow(marl_error_between(estimate.at[i].q, log->row[i + log->n - estimate.n].q).total_deg, 2);
    }
    double rms = sqrt(squares / (double)estimate.n);
    marl_series_free(&estimate);
    return rms;
}

static void add_elements(const marl_smoothed *s, const marl_refined *refined,
                         const marl_calibration_record *record, const marl_sheet *sheet, result *r)
{
    const marl_sensor_sheet *sensor[MARL_SENSOR_COUNT] = {
        [MARL_ACCEL] = &sheet->accel, [MARL_GYRO] = &sheet->gyro, [MARL_MAG] = &sheet->mag};
    for (int k = 0; k < 12 * MARL_SENSOR_COUNT; k++) {
        int of = k / 12, i = k % 12;
        const marl_refined_sensor *what = &refined->sensor[of];
        const marl_sensor_errors *e = &s->errors[of];
        int is_bias = i < 3, at = i - 3;
        if ((is_bias ? what->bias[i] : what->matrix[at]) != MARL_REFINE_ADDED) {
            continue;
        }
        double truth = is_bias       ? sensor[of]->bias[i]
                       : at % 4 == 0 ? sensor[of]->scale_error[at / 3]
                                     : sensor[of]->cross_axis[at / 3][at % 3];
        const marl_fit *fit = &record->fit[of];
        double off = is_bias ? (e->bias[i] - truth) / fit->bias_sigma[i]
                             : (e->matrix[at] - truth) / fit->matrix_sigma[at / 3][at % 3];
        r->squares[of][!is_bias] += off * off;
        r->added[of][!is_bias]++;
        r->beyond_five += fabs(off) > 5;
    }
}

static void add_log(const pair *of, uint64_t seed, result *r)
{
    const accuracy_class first = {"", of->kind, 0, SECONDS, 0}, then = {"", of->next, 0, NEXT_SECONDS, 0};
    accuracy_run run = accuracy_run_make_graded(&first, seed, &grade);
    accuracy_run next = accuracy_run_make_with(&then, seed + 1000, &run.sheet);
    marl_log log = log_of(&run), other = log_of(&next);
    marl_calibration_record record = marl_calibration_record_empty();
    marl_smoothed s;
    marl_refined refined;
    marl_error error = {0};
    if (marl_smooth(&log, NULL, &s, &error) != MARL_OK) {
        fprintf(stderr, "%s\n", error.text);
        exit(1);
    }
    r->logs++;
    if (marl_smooth_refine(&log, NULL, &s, &record, &refined, &error) == MARL_OK) {
        add_elements(&s, &refined, &record, &run.sheet, r);
        double raw = kalman_rms(&other, NULL), with = kalman_rms(&other, &record);
        r->better += with < raw;
        r->raw += log10(raw);
        r->refined += log10(with);
    } else {
        r->refused++;
    }
    marl_smoothed_free(&s);
    free(log.row);
    free(other.row);
    accuracy_run_free(&run);
    accuracy_run_free(&next);
}

static void print_share(double squares, int n)
{
    if (n > 0) {
        printf(" %5.2f (%3d)", squares / n, n);
    } else {
        printf(" %5s (%3d)", "-", n);
    }
}

void bench_into(void)
{
    printf("\nsmooth --into from %.0f s with raw sensors (1 %%, 0.15 m/s^2, 2.5 uT, 1 to 5 deg/s), seeds %d "
           "to %d: "
           "squared error over\nvariance of what is added, biases and matrices (how many); off by over 5 "
           "sigma; kalman "
           "on the next log without and\nwith it, deg rms (geometric mean), and on how many of those "
           "that gave a calibration it is better\n%-8s "
           "%-8s %-11s %-11s %-11s %-11s %-11s %-11s %3s %6s %6s %6s\n",
           SECONDS, FROM_SEED, FROM_SEED + LOGS_OF_SCENE - 1, "motion", "next", "accel bias", "matrix",
           "gyro bias", "matrix", "mag bias", "matrix", "> 5", "raw", "with", "better");
    for (int p = 0; p < PAIRS; p++) {
        result r = {0};
        for (uint64_t seed = FROM_SEED; seed < FROM_SEED + LOGS_OF_SCENE; seed++) {
            add_log(&pairs[p], seed, &r);
        }
        int made = r.logs - r.refused;
        printf("%-8s %-8s", marl_scene_name(pairs[p].kind), marl_scene_name(pairs[p].next));
        for (int k = 0; k < 2 * MARL_SENSOR_COUNT; k++) {
            print_share(r.squares[k / 2][k % 2], r.added[k / 2][k % 2]);
        }
        if (made > 0) {
            printf(" %3d %6.2f %6.2f  %2d/%d\n", r.beyond_five, pow(10, r.raw / made),
                   pow(10, r.refined / made), r.better, made);
        } else {
            printf(" %3s %6s %6s  %5s\n", "-", "-", "-", "none");
        }
    }
}
