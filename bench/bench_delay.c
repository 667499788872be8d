/* SPDX-License-Identifier: MIT
 * Readings that are late: how often a delay is found, named where there is none, and by how much it is off. */
#include "bench.h"
#include "lab/simulate/simulator.h"
#include "sensor_faults.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define RATE_HZ 100.0
/* Nothing was chosen by these seeds. */
enum { SEEDS = 8, FROM_SEED = 9761, SECONDS = 90 };

static const marl_scene_kind scenes[] = {MARL_SCENE_TURNS,  MARL_SCENE_TUMBLE, MARL_SCENE_LIFT,
                                         MARL_SCENE_SLEW,   MARL_SCENE_SHAKE,  MARL_SCENE_STEEL,
                                         MARL_SCENE_HANDLE, MARL_SCENE_CARRY,  MARL_SCENE_DRIVE,
                                         MARL_SCENE_SWING,  MARL_SCENE_SPIN,   MARL_SCENE_WHIRL};
enum { SCENES = sizeof scenes / sizeof scenes[0] };

/* What is late, and by how many rows. */
static const struct {
    const char *name;
    int sensor;
    size_t rows;
} cases[] = {{"none", MARL_MAG, 0},
             {"mag 40 ms", MARL_MAG, 4},
             {"accel 40 ms", MARL_ACCEL, 4},
             {"gyro 20 ms", MARL_GYRO, 2}};
enum { CASES = sizeof cases / sizeof cases[0] };

/* Of a raw Grommet. */
static marl_log make_log(marl_scene_kind scene, uint64_t seed)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_simulator simulator;
    marl_log log = {.path = strdup("late.csv"), .n = (size_t)(SECONDS * RATE_HZ)};
    log.row = calloc(log.n, sizeof *log.row);
    log.info.columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG;
    if (log.path == NULL || log.row == NULL ||
        lab_simulator_init(&simulator, scene, &sheet, RATE_HZ, seed) != MARL_OK) {
        fprintf(stderr, "no memory\n");
        exit(1);
    }
    for (size_t i = 0; i < log.n; i++) {
        marl_simulator_next(&simulator, &log.row[i].sample, &log.row[i].q);
    }
    return log;
}

/* Logs whose late sensor is named, sensors that are named and not late, and the magnetometer's delay: how often it is found,
 * squared errors over stated variances. */
typedef struct count {
    int right, wrong, found;
    double ratio;
} count;

static void add_log(const marl_log *log, int of, count *c)
{
    marl_sensor_delays found;
    if (marl_sensor_delays_find(log, &found, NULL) != MARL_OK) {
        exit(1);
    }
    const marl_sensor_delays named = marl_sensor_delays_named(&found);
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        int is_it = i == cases[of].sensor && cases[of].rows > 0;
        c->right += named.of[i].found && is_it;
        c->wrong += named.of[i].found && !is_it;
    }
    const marl_sensor_delay *mag = &found.of[MARL_MAG];
    double sign = cases[of].sensor == MARL_GYRO ? -1 : cases[of].sensor == MARL_MAG;
    double truth = sign * (double)cases[of].rows / RATE_HZ;
    c->found += mag->found;
    c->ratio += mag->found ? pow((mag->delay_s - truth) / mag->sigma_s, 2) : 0;
}

void bench_delay(void)
{
    count all[CASES] = {{0, 0, 0, 0}};
    printf("\nreadings that are late; raw Grommets at 100 Hz, magnetometer 25 Hz, %d s, seeds %d to %d. Of "
           "%d logs:\n"
           "the late sensor is named, others are; the magnetometer's delay is found; its squared error over "
           "variance\n"
           "%-8s",
           SECONDS, FROM_SEED, FROM_SEED + SEEDS - 1, SEEDS, "");
    for (int k = 0; k < CASES; k++) {
        printf("  %-18s", cases[k].name);
    }
    printf("\n");
    for (int s = 0; s < SCENES; s++) {
        printf("%-8s", marl_scene_name(scenes[s]));
        for (int k = 0; k < CASES; k++) {
            count c = {0, 0, 0, 0};
            for (uint64_t seed = FROM_SEED; seed < FROM_SEED + SEEDS; seed++) {
                marl_log log = make_log(scenes[s], seed);
                late_log(&log, cases[k].sensor, cases[k].rows);
                add_log(&log, k, &c);
                marl_log_free(&log);
            }
            printf("  %2d %2d  %2d %6.2f   ", c.right, c.wrong, c.found, c.found > 0 ? c.ratio / c.found : 0);
            all[k] = (count){all[k].right + c.right, all[k].wrong + c.wrong, all[k].found + c.found,
                             all[k].ratio + c.ratio};
        }
        printf("\n");
    }
    printf("%-8s", "all");
    for (int k = 0; k < CASES; k++) {
        printf("  %2d %2d  %2d %6.2f   ", all[k].right, all[k].wrong, all[k].found,
               all[k].ratio / fmax(all[k].found, 1));
    }
    printf("\n");
}
