/* SPDX-License-Identifier: MIT
 * The axis of a speed: how often it is found, and what is said of boards that stand straight and of boards that do not. */
#include "bench.h"
#include "lab/simulate/simulator.h"
#include "random_values.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define RATE_HZ 100.0
#define SURELY_DEG 50.0 /* turned by more, a board must be named */
enum { SEEDS = 40, FROM = 9721, SECONDS = 180 };

/* How a board stands, and how far its gyroscope's biases reach beyond the sheet's, rad/s. */
typedef struct board {
    marl_quat mount;
    double bias;
} board;

/* A log of raw sensors with its speed along the vehicle's x; the speed is the scene's own, 2 % of scale off. */
static marl_log driven(marl_scene_kind scene, const board *b, uint64_t seed, dice *d)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_simulator simulator;
    marl_log log = {.path = strdup("driven.csv"), .n = (size_t)(SECONDS * RATE_HZ)};
    const marl_vec3 bias = dice_vector(d, b->bias);
    log.row = calloc(log.n, sizeof *log.row);
    log.info.columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG | (1u << MARL_COLUMN_SPEED);
    if (log.path == NULL || log.row == NULL ||
        lab_simulator_init(&simulator, scene, &sheet, RATE_HZ, seed) != MARL_OK ||
        marl_simulator_set(&simulator, 0, 1) != MARL_OK) {
        fprintf(stderr, "no memory\n");
        exit(1);
    }
    for (size_t i = 0; i < log.n; i++) {
        marl_sample *s = &log.row[i].sample;
        marl_simulator_next(&simulator, s, &log.row[i].q);
        s->accel = marl_quat_rotate(b->mount, s->accel);
        s->gyro = marl_quat_rotate(b->mount, s->gyro);
        s->gyro = (marl_vec3){s->gyro.x + bias.x, s->gyro.y + bias.y, s->gyro.z + bias.z};
    }
    return log;
}

/* Over the seeds: what was said, and the squares of errors over stated errors. */
typedef struct tally {
    int decided, named, must, missed;
    double squares, worst_deg;
} tally;

static void add(tally *t, const board *b, const marl_speed_axis *s)
{
    const marl_vec3 truth = marl_quat_rotate(b->mount, (marl_vec3){1, 0, 0});
    const double wanted[3] = {(double)truth.x, (double)truth.y, (double)truth.z};
    double along = 0, length2 = 0;
    if (s->verdict <= MARL_SPEED_UNDECIDED) {
        return;
    }
    for (int k = 0; k < 3; k++) {
        t->squares += pow((s->axis[k] - wanted[k]) / s->sigma[k], 2) / 3;
        along += s->axis[k] * wanted[k];
        length2 += s->axis[k] * s->axis[k];
    }
    int is_far = acos(wanted[0]) / MARL_DEGREE > SURELY_DEG;
    t->decided++;
    t->named += s->verdict != MARL_SPEED_PLAIN;
    t->must += is_far;
    t->missed += is_far && s->verdict != MARL_SPEED_OTHER_AXIS;
    t->worst_deg = fmax(t->worst_deg, acos(fmin(1, along / sqrt(length2))) / MARL_DEGREE);
}

static void row(const char *name, marl_scene_kind scene, double bias_deg, dice *d)
{
    tally straight = {0}, turned = {0};
    for (int i = 0; i < SEEDS; i++) {
        for (int is_turned = 0; is_turned < 2; is_turned++) {
            const board b = {is_turned ? dice_attitude(d) : marl_quat_identity(), bias_deg * MARL_DEGREE};
            marl_log log = driven(scene, &b, FROM + (uint64_t)i, d);
            marl_speed_axis s = marl_speed_axis_find(&log, marl_quat_identity());
            add(is_turned ? &turned : &straight, &b, &s);
            marl_log_free(&log);
        }
    }
    int n = straight.decided + turned.decided;
    printf("%-7s %9.0f %8d/%d %14d %12d/%d %11.1f %7.1f\n", name, bias_deg, n, 2 * SEEDS, straight.named,
           turned.missed, turned.must, fmax(straight.worst_deg, turned.worst_deg),
           n > 0 ? (straight.squares + turned.squares) / n : NAN);
}

void bench_speed(void)
{
    static const struct {
        const char *name;
        marl_scene_kind scene;
    } scenes[] = {{"drive", MARL_SCENE_DRIVE},
                  {"road", MARL_SCENE_ROAD},
                  {"carry", MARL_SCENE_CARRY},
                  {"day", MARL_SCENE_DAY}};
    const double biases[] = {0, 2, 6};
    dice d = {19};
    printf(
        "\naxis of a speed, %d s, raw sensors, seeds %d to %d; the same board straight and turned at random\n"
        "%-7s %9s %11s %14s %14s %11s %7s\n",
        SECONDS, FROM, FROM + SEEDS - 1, "scene", "bias+deg/s", "decided", "straight named", "turned missed",
        "worst, deg", "NSE");
    for (size_t i = 0; i < sizeof scenes / sizeof scenes[0]; i++) {
        for (size_t k = 0; k < sizeof biases / sizeof biases[0]; k++) {
            row(scenes[i].name, scenes[i].scene, biases[k], &d);
        }
    }
}
