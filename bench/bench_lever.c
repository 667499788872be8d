/* SPDX-License-Identifier: MIT
 * What the lever arm is worth that smooth finds: found on the first half of a log, filters with it on the second. */
#include "accuracy_scenes.h"
#include "bench.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

/* Nothing was chosen by these seeds. */
enum { SEEDS = 10, FROM_SEED = 3771, FILTERS = 3 };
#define SECONDS 240.0

static const marl_scene_kind motions[] = {MARL_SCENE_SWING,  MARL_SCENE_SLEW,  MARL_SCENE_SPIN,
                                          MARL_SCENE_HANDLE, MARL_SCENE_CARRY, MARL_SCENE_LIFT};
static const marl_filter filters[FILTERS] = {MARL_FILTER_COMPLEMENTARY, MARL_FILTER_GRADIENT_DESCENT,
                                             MARL_FILTER_KALMAN};

/* Degrees rms over the second half. */
static double error_of(const accuracy_run *run, marl_filter filter, const double arm[3])
{
    marl_tuning tuning = marl_tuning_default(filter);
    accuracy_run half = *run;
    accuracy_sum sum = {0};
    half.sample += run->n / 2;
    half.truth += run->n / 2;
    half.n -= run->n / 2;
    for (int k = 0; k < 3; k++) {
        tuning.value[MARL_PARAMETER_LEVER_X + k] = (float)arm[k];
    }
    accuracy_run_ours(&tuning, &half, &sum);
    return accuracy_rms(sum.total, sum.n);
}

static void find_arm(const accuracy_run *run, marl_smoothed *s)
{
    char path[] = "made.csv";
    marl_error error = {0};
    marl_log log = {.path = path, .n = run->n / 2, .row = calloc(run->n, sizeof *log.row)};
    log.info.columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG;
    log.info.corrected = run->calibrated;
    for (size_t i = 0; i < log.n && log.row != NULL; i++) {
        log.row[i].sample = run->sample[i];
    }
    if (log.row == NULL || marl_smooth(&log, NULL, s, &error) != MARL_OK) {
        fprintf(stderr, "%s\n", error.text);
        exit(1);
    }
    free(log.row);
}

static void try_motion(marl_scene_kind kind, const accuracy_grade *grade)
{
    const double none[3] = {0, 0, 0};
    const accuracy_class of = {"", kind, 0, SECONDS, 0};
    double without[FILTERS] = {0}, with[FILTERS] = {0}, length = 0;
    int better[FILTERS] = {0};
    for (uint64_t seed = FROM_SEED; seed < FROM_SEED + SEEDS; seed++) {
        accuracy_run run = accuracy_run_make_graded(&of, seed, grade);
        marl_smoothed s;
        find_arm(&run, &s);
        length += sqrt(s.arm[0] * s.arm[0] + s.arm[1] * s.arm[1] + s.arm[2] * s.arm[2]) / SEEDS;
        for (int f = 0; f < FILTERS; f++) {
            double before = error_of(&run, filters[f], none), after = error_of(&run, filters[f], s.arm);
            without[f] += log(before) / SEEDS;
            with[f] += log(after) / SEEDS;
            better[f] += after < before;
        }
        marl_smoothed_free(&s);
        accuracy_run_free(&run);
    }
    printf("%-8s %6.2f", marl_scene_name(kind), length);
    for (int f = 0; f < FILTERS; f++) {
        printf("  %7.2f %6.2f %3d/%d", exp(without[f]), exp(with[f]), better[f], SEEDS);
    }
    printf("\n");
}

void bench_lever(void)
{
    static const accuracy_grade grades[] = {{"calibrated", .declared = 1},
                                            {"raw: 1 to 5 deg/s, 1 %, 0.15 m/s^2, 2.5 uT", .gyro_low = 1,
                                             .gyro_high = 5, .scale = 0.01, .misalignment = 0.005,
                                             .accel_bias = 0.15, .mag_bias = 2.5}};
    for (size_t g = 0; g < sizeof grades / sizeof grades[0]; g++) {
        printf("\nthe lever arm that smooth finds on the first two minutes, given to filters on the next "
               "two, seeds %d to "
               "%d; %s\nmotion    arm, m  complementary       gradient-descent     kalman; degrees rms "
               "without, with, "
               "better on\n",
               FROM_SEED, FROM_SEED + SEEDS - 1, grades[g].name);
        for (size_t i = 0; i < sizeof motions / sizeof motions[0]; i++) {
            try_motion(motions[i], &grades[g]);
        }
    }
}
