/* SPDX-License-Identifier: MIT
 * Inspecting an hour at rest. */
#include "bench.h"
#include "lab/simulate/simulator.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define RATE 200
#define HOUR_ROWS (3600 * RATE)

static void inspect(void *context)
{
    const marl_log *log = context;
    marl_error error = {0};
    marl_inspection inspection;
    marl_sensor_noise *noise = malloc(sizeof *noise);
    marl_sensor_spectrum *spectrum = malloc(sizeof *spectrum);
    if (noise == NULL || spectrum == NULL || marl_inspect(log, &inspection, &error) != MARL_OK) {
        exit(1);
    }
    for (int i = MARL_ACCEL; i <= MARL_GYRO; i++) {
        if (marl_noise_of_log(log, &inspection, (marl_sensor)i, noise, &error) != MARL_OK ||
            marl_spectrum_of_log(log, &inspection, (marl_sensor)i, 1, spectrum, &error) != MARL_OK) {
            exit(1);
        }
    }
    marl_inspection_free(&inspection);
    free(noise);
    free(spectrum);
}

void bench_inspect(void)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_simulator simulator;
    marl_log log = {.n = HOUR_ROWS, .row = calloc(HOUR_ROWS, sizeof *log.row)};
    log.info.columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO;
    if (log.row == NULL || lab_simulator_init(&simulator, MARL_SCENE_STILL, &sheet, RATE, 1) != MARL_OK) {
        exit(1);
    }
    for (int i = 0; i < HOUR_ROWS; i++) {
        marl_simulator_next(&simulator, &log.row[i].sample, &log.row[i].q);
    }
    printf(
        "\nrest, Allan deviation, noise and spectrum of an hour at %d Hz, 6 axes: %.2f s (wanted: under 2)\n",
        RATE, bench_min(inspect, &log));
    free(log.row);
}
