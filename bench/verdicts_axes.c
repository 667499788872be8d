/* SPDX-License-Identifier: MIT
 * Which way the axes stand: tumbles in which one axis dominates, and long handling with rests; the
 * arrangements are drawn anew. Hands accelerate the pod by 0.5 to 2 m/s^2 rms an axis. */
#include "lab/inspect/arrangement.h"
#include "lab/maths/linear.h"
#include "lab/maths/random.h"
#include "verdicts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

static marl_vec3 arranged(const marl_arrangement *how, const double v[3])
{
    float out[3];
    for (int i = 0; i < 3; i++) { /* the accelerometer's axis i is the sensor's |axis[i]| */
        out[abs(how->axis[i]) - 1] = (float)(how->axis[i] < 0 ? -v[i] : v[i]);
    }
    return (marl_vec3){out[0], out[1], out[2]};
}

typedef struct axes_case {
    const char *name;
    marl_scene_kind scene;       /* STILL: dominated turning */
    double seconds, share, hand; /* s; of the other axes; m/s^2 rms an axis */
    double bias;                 /* of the gyroscope, rad/s rms an axis */
} axes_case;

/* A turn about a main axis at up to 1.5 rad/s, which wobbles by `share` about the others. */
static marl_log dominated(const axes_case *of, const marl_arrangement how[2], uint64_t seed)
{
    static char path[] = "made.csv";
    lab_normals normals = lab_normals_of(lab_random_seeded(seed, 55));
    marl_log log = {.path = path, .n = (size_t)(100 * of->seconds)};
    log.info.columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG;
    log.row = calloc(log.n, sizeof *log.row);
    if (log.row == NULL) {
        exit(1);
    }
    double phase[6], bias[3], iron[3], hand[3] = {0, 0, 0};
    for (int k = 0; k < 6; k++) {
        phase[k] = 3 * lab_normals_next(&normals);
    }
    for (int k = 0; k < 3; k++) {
        bias[k] = of->bias * lab_normals_next(&normals);
        iron[k] = 20 * lab_normals_next(&normals);
    }
    marl_quat q = {1, 0, 0, 0};
    int main = (int)(seed % 3);
    for (size_t i = 0; i < log.n; i++) {
        double t = 0.01 * (double)i, rate[3], force[3], field[3];
        for (int k = 0; k < 3; k++) {
            double size = k == main ? 1.5 : 1.5 * of->share;
            rate[k] = size * sin((0.5 + 0.13 * k) * t + phase[k]) * cos(0.11 * t + phase[3 + k]);
            hand[k] += -0.02 * hand[k] + 0.2 * of->hand * lab_normals_next(&normals);
        }
        const float half = 0.005f;
        q = marl_quat_product(
            q, (marl_quat){1, half * (float)rate[0], half * (float)rate[1], half * (float)rate[2]});
        if (marl_quat_normalize(&q) != MARL_OK) {
            exit(1);
        }
        marl_vec3 up =
            marl_quat_rotate_back(q, (marl_vec3){(float)hand[0], (float)hand[1], 9.81f + (float)hand[2]});
        marl_vec3 north = marl_quat_rotate_back(q, (marl_vec3){0, 20, -44});
        const double u[3] = {(double)up.x, (double)up.y, (double)up.z},
                     m[3] = {(double)north.x, (double)north.y, (double)north.z};
        for (int k = 0; k < 3; k++) {
            force[k] = u[k] + 0.1 + 0.02 * lab_normals_next(&normals);
            field[k] = m[k] + 0.3 * lab_normals_next(&normals);
            rate[k] += bias[k] + 0.002 * lab_normals_next(&normals);
            field[k] += iron[k];
        }
        marl_sample *s = &log.row[i].sample;
        s->t_ns = (int64_t)i * 10000000;
        s->fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG;
        s->accel = (marl_vec3){(float)force[0], (float)force[1], (float)force[2]};
        s->gyro = arranged(&how[0], rate);
        s->mag = arranged(&how[1], field);
    }
    return log;
}

/* A scene with its sensors' axes changed. */
static marl_log handled(marl_scene_kind scene, double seconds, const marl_arrangement how[2], uint64_t seed)
{
    marl_log log = verdict_log(scene, 100, seconds, 0, seed);
    for (size_t i = 0; i < log.n; i++) {
        marl_sample *s = &log.row[i].sample;
        const double g[3] = {(double)s->gyro.x, (double)s->gyro.y, (double)s->gyro.z};
        const double m[3] = {(double)s->mag.x, (double)s->mag.y, (double)s->mag.z};
        s->gyro = arranged(&how[0], g);
        s->mag = arranged(&how[1], m);
    }
    return log;
}

static int same(const marl_arrangement *a, const marl_arrangement *b)
{
    return a->axis[0] == b->axis[0] && a->axis[1] == b->axis[1] && a->axis[2] == b->axis[2];
}

static const axes_case cases[] = {
    {"one axis, others 30 %, 40 s", MARL_SCENE_STILL, 40, 0.3, 0.5, 0.02},
    {"one axis, others 15 %, 40 s", MARL_SCENE_STILL, 40, 0.15, 0.5, 0.02},
    {"one axis, others 7 %, 40 s", MARL_SCENE_STILL, 40, 0.07, 0.5, 0.02},
    {"others 50 %, hand 0.5 m/s^2, 60 s", MARL_SCENE_STILL, 60, 0.5, 0.5, 0.02},
    {"others 50 %, hand 1 m/s^2, 60 s", MARL_SCENE_STILL, 60, 0.5, 1, 0.02},
    {"the same, gyroscope bias 6 deg/s", MARL_SCENE_STILL, 60, 0.5, 1, 0.1},
    {"others 50 %, hand 2 m/s^2, 60 s", MARL_SCENE_STILL, 60, 0.5, 2, 0.02},
    {"others 15 %, hand 1 m/s^2, 60 s", MARL_SCENE_STILL, 60, 0.15, 1, 0.02},
    {"handle, 60 s", MARL_SCENE_HANDLE, 60, 0, 0, 0},
    {"handle, 600 s", MARL_SCENE_HANDLE, 600, 0, 0, 0},
    {"carry, 600 s", MARL_SCENE_CARRY, 600, 0, 0, 0},
    {"lift, 120 s", MARL_SCENE_LIFT, 120, 0, 0, 0},
    {"poses, 120 s", MARL_SCENE_POSES, 120, 0, 0, 0},
    {"tumble, 60 s", MARL_SCENE_TUMBLE, 60, 0, 0, 0},
};

static void try_axes(const axes_case *of)
{
    int decided[2] = {0, 0}, wrong[2] = {0, 0};
    for (uint64_t seed = VERDICT_FROM; seed < VERDICT_FROM + VERDICT_SEEDS; seed++) {
        marl_arrangement how[2] = {lab_arrangement((int)(seed * 7 % LAB_ARRANGEMENTS)),
                                   lab_arrangement((int)(seed * 11 % LAB_ARRANGEMENTS))};
        marl_log log = of->scene == MARL_SCENE_STILL ? dominated(of, how, seed)
                                                     : handled(of->scene, of->seconds, how, seed);
        marl_axes axes;
        if (marl_axes_find(&log, &axes, NULL) != MARL_OK) {
            exit(1);
        }
        const marl_axes_fit *fit[2] = {&axes.gyro, &axes.mag};
        for (int k = 0; k < 2; k++) {
            decided[k] += fit[k]->verdict == MARL_AXES_DECIDED;
            wrong[k] += fit[k]->verdict == MARL_AXES_DECIDED && !same(&fit[k]->best, &how[k]);
        }
        free(log.row);
    }
    printf("  %-34s gyroscope decided %2d, wrong %d; magnetometer decided %2d, wrong %d of %d\n", of->name,
           decided[0], wrong[0], decided[1], wrong[1], VERDICT_SEEDS);
}

void verdicts_axes(void)
{
    printf("calibrate axes\n");
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        try_axes(&cases[i]);
    }
}
