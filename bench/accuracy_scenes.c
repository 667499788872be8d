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

void accuracy_add(accuracy_sum *sum, const accuracy_run *run, size_t i, marl_quat q)
{
    if (run->sample[i].t_ns < SETTLED_NS) {
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
