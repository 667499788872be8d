/* SPDX-License-Identifier: MIT
 * The estimators alone: samples in memory, no reading and no writing. */
#include "accuracy_scenes.h"
#include "bench.h"
#include "lab/simulate/simulator.h"
#include <stdio.h>
#include <stdlib.h>

#define SAMPLES 20000
#define TURNS 150

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
        (void)!marl_estimator_update(&estimator, &j->sample[i]);
        (void)!marl_estimator_attitude(&estimator, &q);
    }
    keep = q.w;
    (void)keep;
}

/* The textbook loop of the same filter, without its bias. */
static void run_textbook(void *context)
{
    const job *j = context;
    plain_state s = {.gain = accuracy_textbook[j->filter].gain};
    plain_step *step = accuracy_textbook[j->filter].step;
    volatile float keep;
    s.q = plain_two_vectors(j->sample[0].accel, j->sample[0].mag);
    plain_kalman_init(&s, (marl_vec3){0.0f, 0.48175f, -0.87631f});
    for (int i = 0; i < SAMPLES; i++) {
        step(&s, j->sample[i].gyro, &j->sample[i].accel, &j->sample[i].mag, 0.01f);
    }
    keep = s.q.w;
    (void)keep;
}

/* Everything fresh in every sample. */
static void simulate(job *j)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_simulator simulator;
    sheet.mag.rate_hz = sheet.gyro.rate_hz;
    if (lab_simulator_init(&simulator, MARL_SCENE_LIFT, &sheet, 0, 1) != MARL_OK) {
        exit(1);
    }
    for (int i = 0; i < SAMPLES; i++) {
        marl_quat truth;
        marl_simulator_next(&simulator, &j->sample[i], &truth);
    }
}

/* Short turns, each filter in each, so that all find their quiet moments on a noisy machine. */
void bench_estimators(void)
{
    double ours[MARL_FILTER_COUNT], theirs[MARL_FILTER_COUNT];
    job j = {.sample = malloc(SAMPLES * sizeof(marl_sample))};
    if (j.sample == NULL) {
        exit(1);
    }
    simulate(&j);
    for (int turn = 0; turn < TURNS; turn++) {
        for (int f = 0; f < MARL_FILTER_COUNT; f++) {
            j.filter = (marl_filter)f;
            double now = bench_once(run, &j), then = bench_once(run_textbook, &j);
            ours[f] = turn == 0 || now < ours[f] ? now : ours[f];
            theirs[f] = turn == 0 || then < theirs[f] ? then : theirs[f];
        }
    }
    printf("\nupdate with attitude, ns each      ours  textbook  ratio\n");
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        printf("%-28s %10.1f %9.1f %6.2f\n", marl_filter_name((marl_filter)f), 1e9 * ours[f] / SAMPLES,
               1e9 * theirs[f] / SAMPLES, ours[f] / theirs[f]);
    }
    free(j.sample);
}
