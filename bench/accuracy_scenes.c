/* SPDX-License-Identifier: MIT
 * Scenes with their truth in memory. */
#include "accuracy_scenes.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define DEGREE 0.017453292519943295
#define MG (9.80665e-3)
#define SETTLED_NS INT64_C(5000000000)

static void keep_share(marl_sensor_sheet *sensor, double share)
{
    for (int i = 0; i < 3; i++) {
        sensor->scale_error[i] *= share;
        for (int k = 0; k < 3; k++) {
            sensor->cross_axis[i][k] *= share;
        }
    }
}

marl_sheet accuracy_sheet(void)
{
    marl_sheet sheet = marl_sheet_grommet();
    const double left[3] = {0.3, -0.25, 0.2};
    keep_share(&sheet.accel, 0.1);
    keep_share(&sheet.gyro, 0.1);
    for (int i = 0; i < 3; i++) {
        sheet.accel.bias[i] = 0;
        sheet.gyro.bias[i] = left[i] * DEGREE;
    }
    sheet.accel.bias_spread = 1 * MG;
    sheet.gyro.bias_spread = 0.1 * DEGREE;
    return sheet;
}

accuracy_run accuracy_run_make(marl_scene_kind kind, const marl_sheet *sheet, uint64_t seed)
{
    accuracy_run run = {.kind = kind, .seed = seed};
    marl_simulator simulator;
    run.n = (size_t)(marl_scene_seconds(kind) * sheet->gyro.rate_hz);
    run.sample = malloc(run.n * sizeof *run.sample);
    run.truth = malloc(run.n * sizeof *run.truth);
    if (run.sample == NULL || run.truth == NULL ||
        marl_simulator_init(&simulator, kind, sheet, 0, seed) != MARL_OK) {
        fprintf(stderr, "no memory\n");
        exit(1);
    }
    for (size_t i = 0; i < run.n; i++) {
        marl_simulator_next(&simulator, &run.sample[i], &run.truth[i]);
    }
    return run;
}

void accuracy_run_free(accuracy_run *run)
{
    free(run->sample);
    free(run->truth);
}

accuracy_run accuracy_run_from(const accuracy_run *run, double seconds)
{
    accuracy_run late = *run;
    size_t skipped = 0;
    while (skipped + 1 < run->n && (double)run->sample[skipped].t_ns < 1e9 * seconds) {
        skipped++;
    }
    late.n -= skipped;
    late.sample += skipped;
    late.truth += skipped;
    return late;
}

void accuracy_add(accuracy_sum *sum, const accuracy_run *run, size_t i, marl_quat q)
{
    if (run->sample[i].t_ns - run->sample[0].t_ns < SETTLED_NS) {
        return;
    }
    marl_error_angles e = marl_error_between(q, run->truth[i]);
    double heading = isfinite(e.heading_deg) ? e.heading_deg : 180;
    sum->total += e.total_deg * e.total_deg;
    sum->tilt += e.tilt_deg * e.tilt_deg;
    sum->heading += heading * heading;
    sum->n++;
}

double accuracy_rms(double squares, size_t n)
{
    return n > 0 ? sqrt(squares / (double)n) : NAN;
}

const accuracy_plain accuracy_textbook[MARL_FILTER_COUNT] = {
    [MARL_FILTER_GYRO] = {plain_gyro, 0, 0},
    [MARL_FILTER_VECTORS] = {plain_vectors, 0, 0},
    [MARL_FILTER_COMPLEMENTARY] = {plain_complementary, 1.468f, 0.05623f},
    [MARL_FILTER_GRADIENT_DESCENT] = {plain_gradient, 0.02154f, 0.005623f},
    [MARL_FILTER_KALMAN] = {plain_kalman, 0.1468f, 0.0f},
};

void accuracy_run_plain(const accuracy_plain *plain, const accuracy_run *run, accuracy_sum *sum)
{
    plain_state s = {.gain = plain->gain, .bias_gain = plain->bias_gain};
    marl_vec3 mag = run->sample[0].mag;
    int64_t before = run->sample[0].t_ns;
    s.q = plain_two_vectors(run->sample[0].accel, mag);
    plain_kalman_begin(&s, (marl_vec3){0.0f, 0.48175f, -0.87631f}); /* the true field, 61.2 degrees down */
    for (size_t i = 0; i < run->n; i++) {
        const marl_sample *now = &run->sample[i];
        int fresh = (now->fresh & MARL_FRESH_MAG) != 0;
        mag = fresh ? now->mag : mag;
        int use = fresh || plain->step == plain_vectors;
        plain->step(&s, now->gyro, now->accel, use ? &mag : NULL, (float)(now->t_ns - before) * 1e-9f);
        before = now->t_ns;
        accuracy_add(sum, run, i, s.q);
    }
}

void accuracy_run_ours(const marl_tuning *tuning, const accuracy_run *run, accuracy_sum *sum)
{
    marl_estimator e;
    marl_quat q;
    if (marl_estimator_init(&e, tuning) != MARL_OK) {
        fprintf(stderr, "a parameter is out of its range\n");
        exit(1);
    }
    for (size_t i = 0; i < run->n; i++) {
        (void)!marl_estimator_update(&e, &run->sample[i]);
        (void)!marl_estimator_attitude(&e, &q);
        accuracy_add(sum, run, i, q);
    }
}

void accuracy_run_field(const accuracy_run *run, accuracy_sum *sum)
{
    for (size_t i = 0; i < run->n; i++) {
        if (run->sample[i].fresh & MARL_FRESH_MAG) {
            marl_vec3 up = marl_quat_rotate_back(run->truth[i], (marl_vec3){0.0f, 0.0f, 1.0f});
            accuracy_add(sum, run, i, plain_two_vectors(up, run->sample[i].mag));
        }
    }
}

marl_vec3 accuracy_lever(uint64_t seed)
{
    marl_scene scene = marl_scene_make(MARL_SCENE_SLEW, seed);
    marl_motion m = marl_scene_at(&scene, 50);
    marl_quat q = {(float)m.q[0], (float)m.q[1], (float)m.q[2], (float)m.q[3]};
    marl_vec3 from_axis = {(float)m.position[0], (float)m.position[1], (float)m.position[2]};
    return marl_quat_rotate_back(q, from_axis);
}
