/* SPDX-License-Identifier: MIT
 * Tumbles of 40 to 120 s by random hands: a hard iron that moves or drifts by 2 uT in any direction, a hand that
 * accelerates, steel. What is accepted, what is said, and stated errors against truth. */
#include "bench.h"
#include "lab/maths/linear.h"
#include "lab/maths/random.h"
#include "steel.h"
#include "verdicts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

enum { SEEDS = 40 };
#define DEGREE 0.017453292519943295

/* What is done to the recording; uT, m/s^2, s. */
typedef struct spoiling {
    const char *name;
    double step, share;  /* another hard iron for this share of the time; beyond 1: to the end */
    double ramp, settle; /* drifts by this in all; times of an exponential's, NaN = straight */
    double hand, hand_s; /* accelerates, rms an axis; for how long one way */
    double steel;
    int calibrated; /* the accelerometer, by 24 poses */
} spoiling;

static const spoiling spoilings[] = {
    {.name = "as simulated"},
    {.name = "the accelerometer calibrated", .calibrated = 1},
    {.name = "the same, accelerating by 3 m/s^2", .calibrated = 1, .hand = 3, .hand_s = 0.3},
    {.name = "2 uT off for a fifth of the time", .step = 2, .share = 0.2},
    {.name = "1 uT off for a fifth of the time", .step = 1, .share = 0.2},
    {.name = "2 uT off for a tenth of the time", .step = 2, .share = 0.1},
    {.name = "2 uT off for half of the time", .step = 2, .share = 0.5},
    {.name = "10 uT off for a fifth of the time", .step = 10, .share = 0.2},
    {.name = "drifts by 2 uT, straight", .ramp = 2},
    {.name = "drifts by 4 uT, straight", .ramp = 4},
    {.name = "drifts by 2 uT, settling", .ramp = 2, .settle = 0.25},
    {.name = "the hand accelerates by 1 m/s^2", .hand = 1, .hand_s = 0.3},
    {.name = "the hand accelerates by 3 m/s^2", .hand = 3, .hand_s = 0.3},
    {.name = "the hand accelerates by 5 m/s^2", .hand = 5, .hand_s = 0.15},
    {.name = "steel, 0.3 uT rms", .steel = 0.3},
    {.name = "steel, 1 uT rms", .steel = 1},
};

static double uniform(lab_random *random, double low, double high)
{
    return low + (high - low) * lab_random_uniform(random);
}

static void any_direction(lab_normals *normals, double length, double v[3])
{
    for (int k = 0; k < 3; k++) {
        v[k] = lab_normals_next(normals);
    }
    double size = sqrt(lab_dot3(v, v));
    for (int k = 0; k < 3; k++) {
        v[k] *= length / size;
    }
}

static void add_iron(marl_log *log, const double v[3], double from, double to, const spoiling *how)
{
    for (size_t i = 0; i < log->n; i++) {
        double at = (double)i / (double)log->n, size = at >= from && at < to;
        if (how->ramp > 0) {
            size = how->settle > 0 ? 1 - exp(-at / how->settle) : at;
        }
        marl_vec3 *m = &log->row[i].sample.mag;
        m->x += (float)(size * v[0]);
        m->y += (float)(size * v[1]);
        m->z += (float)(size * v[2]);
    }
}

/* Velocities that wander about nothing; their differences are what the accelerometer gets, in the body. */
static void add_hand(marl_log *log, double rate_hz, const spoiling *how, lab_normals *normals)
{
    double velocity[3] = {0}, wanted[3] = {0}, keep = exp(-1 / (how->hand_s * rate_hz));
    double size = how->hand * how->hand_s * sqrt(2);
    for (size_t i = 0; i < log->n; i++) {
        double world[3];
        for (int k = 0; k < 3; k++) {
            wanted[k] = keep * wanted[k] + sqrt(1 - keep * keep) * size * lab_normals_next(normals);
            double step = (1 - keep) * (wanted[k] - velocity[k]);
            velocity[k] += step;
            world[k] = step * rate_hz;
        }
        marl_quat back = marl_quat_conjugate(log->row[i].q);
        marl_vec3 body =
            marl_quat_rotate(back, (marl_vec3){(float)world[0], (float)world[1], (float)world[2]});
        marl_vec3 *a = &log->row[i].sample.accel;
        a->x += body.x;
        a->y += body.y;
        a->z += body.z;
    }
}

static double true_dip(uint64_t seed)
{
    marl_scene scene = marl_scene_make(MARL_SCENE_TUMBLE, seed);
    marl_motion m = marl_scene_at(&scene, 1);
    marl_quat q = {(float)m.q[0], (float)m.q[1], (float)m.q[2], (float)m.q[3]};
    marl_vec3 world =
        marl_quat_rotate(q, (marl_vec3){(float)m.field[0], (float)m.field[1], (float)m.field[2]});
    return atan2(-(double)world.z, hypot((double)world.x, (double)world.y)) / DEGREE;
}

static void spoil(marl_log *log, double rate_hz, const spoiling *how, uint64_t seed)
{
    lab_normals normals = lab_normals_of(lab_random_seeded(seed, 11));
    double iron[3], from = uniform(&normals.random, 0.05, 0.95 - fmin(how->share, 0.9));
    any_direction(&normals, how->step > 0 ? how->step : how->ramp, iron);
    if (how->step > 0 || how->ramp > 0) {
        add_iron(log, iron, from, from + how->share, how);
    }
    if (how->hand > 0) {
        add_hand(log, rate_hz, how, &normals);
    }
    if (how->steel > 0) {
        steel_add(log, how->steel, seed);
    }
}

typedef struct tumble_count {
    verdict_count bias, matrix, dip;
    int remarks, with_outliers;
    double outliers;
} tumble_count;

/* The truth: the fit of a recording ten times as long by the same part, as it was before it was spoiled. */
static void try_one(const spoiling *how, uint64_t seed, tumble_count *c)
{
    lab_random random = lab_random_seeded(seed, 5);
    double seconds = uniform(&random, 40, 120), rate_hz = uniform(&random, 50, 200);
    marl_log log = verdict_log(MARL_SCENE_TUMBLE, rate_hz, seconds, 0, seed);
    marl_log longer = verdict_log(MARL_SCENE_TUMBLE, 100, 600, 0, seed);
    marl_tumble_options options = {.field = (double)NAN};
    marl_tumble_result r, truth;
    marl_poses_result poses = {.outcome.accepted = 0};
    if (how->calibrated) {
        marl_log resting = verdict_log(MARL_SCENE_POSES, 100, 120, 0, seed);
        if (marl_calibrate_poses(&resting, MARL_STANDARD_GRAVITY, &poses, NULL) != MARL_OK) {
            exit(1);
        }
        options.accel = &poses.outcome.fit;
        free(resting.row);
    }
    spoil(&log, rate_hz, how, seed);
    if (marl_calibrate_tumble(&longer, &options, &truth, NULL) != MARL_OK) {
        exit(1);
    }
    int accepted = marl_calibrate_tumble(&log, &options, &r, NULL) == MARL_OK;
    c->bias.runs++;
    c->bias.accepted += accepted;
    c->remarks += r.outcome.remark[0] != '\0';
    c->with_outliers += accepted && r.outliers_n > 0;
    c->outliers += accepted ? (double)r.outliers_n / SEEDS : 0;
    for (int k = 0; k < 9 && accepted; k++) {
        if (k < 3) {
            verdict_add(&c->bias, r.outcome.fit.bias[k] - truth.outcome.fit.bias[k],
                        r.outcome.fit.bias_sigma[k]);
        }
        if (isfinite(r.outcome.fit.matrix_sigma[k / 3][k % 3])) {
            verdict_add(&c->matrix,
                        r.outcome.fit.matrix[k / 3][k % 3] - truth.outcome.fit.matrix[k / 3][k % 3],
                        r.outcome.fit.matrix_sigma[k / 3][k % 3]);
        }
    }
    if (accepted && isfinite(r.outcome.fit.dip_deg)) {
        verdict_add(&c->dip, r.outcome.fit.dip_deg - true_dip(seed), r.dip_sigma_deg);
    }
    marl_poses_result_free(&poses);
    marl_tumble_result_free(&r);
    marl_tumble_result_free(&truth);
    free(log.row);
    free(longer.row);
}

static void print_part(const verdict_count *c)
{
    printf("  %6.2f %2d/%-3d", c->values > 0 ? c->squares / c->values : (double)NAN, c->wrong, c->values);
}

void bench_tumbles(void)
{
    printf("\ncalibrate tumble, 40 to 120 s, 50 to 200 Hz, %d seeds from %d; NSE and beyond 5 sigma\n"
           "%-36s accepted remarks  left out      hard iron         matrix           dip\n",
           SEEDS, VERDICT_FROM, "");
    for (size_t k = 0; k < sizeof spoilings / sizeof spoilings[0]; k++) {
        tumble_count c = {.remarks = 0};
        for (uint64_t seed = VERDICT_FROM; seed < VERDICT_FROM + SEEDS; seed++) {
            try_one(&spoilings[k], seed, &c);
        }
        printf("%-36s %8d %7d %4d %6.1f", spoilings[k].name, c.bias.accepted, c.remarks, c.with_outliers,
               c.outliers);
        print_part(&c.bias);
        print_part(&c.matrix);
        print_part(&c.dip);
        printf("\n");
    }
}
