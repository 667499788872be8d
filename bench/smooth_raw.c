/* SPDX-License-Identifier: MIT
 * The smoother on raw sensors: bias, scale and misalignment drawn anew for each log. The variance that it
 * adds for them was chosen on seeds 1101 to 1110. */
#include "bench.h"
#include "lab/simulate/simulator.h"
#include "marlinspike/lab.h"
#include "random_values.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

enum { LOGS = 10, FROM = 3101, RATE = 100, SECONDS = 90 };
#define SCALE 0.005        /* standard deviation of each scale factor */
#define MISALIGNMENT 0.004 /* of each element beside the diagonal */

static const double bias_spread[MARL_SENSOR_COUNT] = {0.08, 0.01, 1.5}; /* m/s^2, rad/s, uT */

static marl_sheet draw_sheet(uint64_t seed)
{
    dice d = {seed};
    marl_sheet sheet = marl_sheet_grommet();
    marl_sensor_sheet *sensor[MARL_SENSOR_COUNT] = {&sheet.accel, &sheet.gyro, &sheet.mag};
    for (int s = 0; s < MARL_SENSOR_COUNT; s++) {
        for (int i = 0; i < 3; i++) {
            sensor[s]->bias[i] = bias_spread[s] * dice_normal(&d);
            sensor[s]->scale_error[i] = SCALE * dice_normal(&d);
            for (int k = 0; k < 3; k++) {
                sensor[s]->cross_axis[i][k] = k == i ? 0 : MISALIGNMENT * dice_normal(&d);
            }
        }
    }
    return sheet;
}

static marl_log raw_log(marl_scene_kind scene, uint64_t seed)
{
    static char path[] = "made.csv";
    marl_sheet sheet = draw_sheet(seed * 31 + (uint64_t)scene);
    marl_log log = {.path = path, .n = (size_t)SECONDS * RATE};
    marl_simulator simulator;
    log.row = calloc(log.n, sizeof *log.row);
    log.info.columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG | MARL_COLUMNS_TEMP;
    if (log.row == NULL || lab_simulator_init(&simulator, scene, &sheet, RATE, seed) != MARL_OK) {
        exit(1);
    }
    for (size_t i = 0; i < log.n; i++) {
        marl_simulator_next(&simulator, &log.row[i].sample, &log.row[i].q);
    }
    return log;
}

typedef struct sums {
    double tilt2, heading2, tilt_ratio, heading_ratio, worst;
} sums;

static void add_log(const marl_log *log, sums *sum)
{
    marl_smoothed s;
    double tilt = 0, heading = 0;
    if (marl_smooth(log, NULL, &s, NULL) != MARL_OK) {
        exit(1);
    }
    double rows = (double)s.n;
    for (size_t i = 0; i < s.n; i++) {
        marl_error_angles e = marl_error_between(s.row[i].q, log->row[i].q);
        tilt += pow(e.tilt_deg * MARL_DEGREE / (double)s.row[i].sigma_tilt, 2) / rows;
        heading += pow(e.heading_deg * MARL_DEGREE / (double)s.row[i].sigma_heading, 2) / rows;
        sum->tilt2 += e.tilt_deg * e.tilt_deg / rows / LOGS;
        sum->heading2 += e.heading_deg * e.heading_deg / rows / LOGS;
    }
    sum->tilt_ratio += tilt / LOGS;
    sum->heading_ratio += heading / LOGS;
    sum->worst = fmax(sum->worst, fmax(tilt, heading));
    marl_smoothed_free(&s);
}

void bench_smooth_raw(void)
{
    static const marl_scene_kind scenes[] = {MARL_SCENE_TURNS,  MARL_SCENE_POSES, MARL_SCENE_TUMBLE,
                                             MARL_SCENE_LIFT,   MARL_SCENE_SLEW,  MARL_SCENE_SHAKE,
                                             MARL_SCENE_HANDLE, MARL_SCENE_CARRY, MARL_SCENE_DRIVE,
                                             MARL_SCENE_SWING,  MARL_SCENE_SPIN};
    printf("\nraw sensors (scale %.1f %%, misalignment %.1f %%), seeds %d to %d; degrees rms, squared error "
           "over stated "
           "variance\n%-12s %9s %9s %7s %7s %7s\n",
           100 * SCALE, 100 * MISALIGNMENT, FROM, FROM + LOGS - 1, "", "tilt", "heading", "tilt", "heading",
           "worst");
    for (size_t c = 0; c < sizeof scenes / sizeof scenes[0]; c++) {
        sums sum = {0};
        for (uint64_t seed = FROM; seed < FROM + LOGS; seed++) {
            marl_log log = raw_log(scenes[c], seed);
            add_log(&log, &sum);
            free(log.row);
        }
        printf("%-12s %9.3f %9.3f %7.2f %7.2f %7.2f\n", marl_scene_name(scenes[c]), sqrt(sum.tilt2),
               sqrt(sum.heading2), sum.tilt_ratio, sum.heading_ratio, sum.worst);
    }
}
