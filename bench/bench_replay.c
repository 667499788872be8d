/* SPDX-License-Identifier: MIT
 * The estimators alone: samples in memory, no reading and no writing. */
#include "bench.h"
#include <stdio.h>
#include <stdlib.h>

#define SAMPLES 200000

typedef struct job {
    marl_filter filter;
    marl_sample *sample;
} job;

static void run(void *context)
{
    const job *j = context;
    marl_tuning tuning = marl_tuning_default(j->filter);
    marl_estimator estimator;
    marl_quat q = marl_quat_identity();
    volatile float keep;
    if (marl_estimator_init(&estimator, &tuning) != MARL_OK) {
        exit(1);
    }
    for (int i = 0; i < SAMPLES; i++) {
        if (marl_estimator_update(&estimator, &j->sample[i]) != MARL_OK ||
            marl_estimator_attitude(&estimator, &q) != MARL_OK) {
            exit(1);
        }
    }
    keep = q.w;
    (void)keep;
}

void bench_estimators(void)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_simulator simulator;
    job j = {.sample = malloc(SAMPLES * sizeof(marl_sample))};
    if (j.sample == NULL || marl_simulator_init(&simulator, MARL_SCENE_LIFT, &sheet, 0, 1) != MARL_OK) {
        exit(1);
    }
    double start = bench_now();
    for (int i = 0; i < SAMPLES; i++) {
        marl_quat truth;
        marl_simulator_next(&simulator, &j.sample[i], &truth);
    }
    double simulated = bench_now() - start;
    printf("\nupdate with attitude, 9 axes  ns each\n");
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        j.filter = (marl_filter)f;
        printf("%-28s %8.1f\n", marl_filter_name(j.filter), 1e9 * bench_least(run, &j) / SAMPLES);
    }
    printf("%-28s %8.1f\n", "(simulating a sample)", 1e9 * simulated / SAMPLES);
    free(j.sample);
}
