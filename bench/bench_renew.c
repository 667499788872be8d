/* SPDX-License-Identifier: MIT
 * Calibrations renewed on the device beside those of the desk, from the same readings of random parts: errors against
 * the truth, and verdicts. */
#include "bench.h"
#include "lab/maths/linear.h"
#include "lab/maths/random.h"
#include "marlinspike/renew.h"
#include "steel.h"
#include "verdicts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* Seeds for reporting: the limits were chosen on seeds under 1000. */
enum { TRIALS = 200, SEED_FROM = 7001 };

/* Truth = matrix (reading - bias), symmetric, determinant 1. */
typedef struct part {
    double bias[3], matrix[3][3], noise;
} part;

typedef struct outcome {
    int accepted;
    double error, axes; /* of the bias, of the matrix: root mean square of the elements */
    double z2;          /* mean of (error / standard error)^2 of the bias */
} outcome;

typedef struct table {
    int trials, both, device_alone, desk_alone, wrong, values;
    double device2, desk2, device_axes2, desk_axes2, z2, desk_z2;
    double error_limit; /* an accepted result that is off by more is wrong */
} table;

static part random_part(lab_normals *normals, double bias, double axes, double noise)
{
    part p = {.noise = noise};
    for (int i = 0; i < 3; i++) {
        p.bias[i] = bias * lab_normals_next(normals);
        for (int j = i; j < 3; j++) {
            p.matrix[i][j] = p.matrix[j][i] = (i == j) + axes * lab_normals_next(normals);
        }
    }
    return p;
}

static double determinant(const double m[3][3])
{
    return m[0][0] * (m[1][1] * m[2][2] - m[1][2] * m[2][1]) -
           m[0][1] * (m[1][0] * m[2][2] - m[1][2] * m[2][0]) +
           m[0][2] * (m[1][0] * m[2][1] - m[1][1] * m[2][0]);
}

static void scale(part *p, double factor)
{
    for (int k = 0; k < 9; k++) {
        p->matrix[k / 3][k % 3] *= factor;
    }
}

static marl_vec3 read_part(const part *p, const double truth[3], lab_normals *normals)
{
    double a[9], v[3];
    memcpy(a, p->matrix, sizeof a);
    memcpy(v, truth, sizeof v);
    if (!lab_solve_general(3, a, v)) {
        exit(1);
    }
    for (int k = 0; k < 3; k++) {
        v[k] += p->bias[k] + p->noise * lab_normals_next(normals);
    }
    return (marl_vec3){(float)v[0], (float)v[1], (float)v[2]};
}

static outcome compare_with(const part *p, int accepted, const double bias[3], const double matrix[3][3],
                            const double sigma[3])
{
    outcome o = {.accepted = accepted};
    for (int k = 0; k < 3 && accepted; k++) {
        double off = bias[k] - p->bias[k];
        o.error += off * off / 3;
        o.z2 += off * off / (sigma[k] * sigma[k]) / 3;
        for (int j = 0; j < 3; j++) {
            o.axes += pow(matrix[k][j] - p->matrix[k][j], 2) / 9;
        }
    }
    o.error = sqrt(o.error);
    o.axes = sqrt(o.axes);
    return o;
}

static outcome on_device(const part *p, const marl_log *log, marl_renewal_kind kind,
                         const marl_renewal_options *options)
{
    static marl_renewal job;
    const marl_calibration none = marl_calibration_none();
    marl_renewal_init(&job);
    if (marl_renewal_start(&job, kind, &none, options) != MARL_OK) {
        exit(1);
    }
    for (size_t i = 0; i < log->n + 200; i++) {
        marl_sample s = log->row[i < log->n ? i : log->n - 1].sample;
        s.fresh = (uint8_t)(i < log->n ? s.fresh : 0);
        if (i >= log->n) {
            marl_renewal_finish(&job);
        }
        marl_renewal_feed(&job, &s);
    }
    const marl_correction *c = &job.found.correction;
    const double bias[3] = {(double)c->bias.x, (double)c->bias.y, (double)c->bias.z};
    const double sigma[3] = {(double)job.found.bias_sigma.x, (double)job.found.bias_sigma.y,
                             (double)job.found.bias_sigma.z};
    double matrix[3][3];
    for (int k = 0; k < 9; k++) {
        matrix[k / 3][k % 3] = (double)c->matrix.m[k / 3][k % 3];
    }
    return compare_with(p, job.stage == MARL_RENEWAL_DONE, bias, (const double(*)[3])matrix, sigma);
}

static void add(table *t, const outcome *device, const outcome *desk)
{
    t->trials++;
    t->both += device->accepted && desk->accepted;
    t->device_alone += device->accepted && !desk->accepted;
    t->desk_alone += !device->accepted && desk->accepted;
    t->wrong += device->accepted && device->error > t->error_limit;
    if (device->accepted && desk->accepted) {
        t->device2 += device->error * device->error;
        t->desk2 += desk->error * desk->error;
        t->device_axes2 += device->axes * device->axes;
        t->desk_axes2 += desk->axes * desk->axes;
        t->z2 += device->z2;
        t->desk_z2 += desk->z2;
    }
}

static void print(const char *name, const char *unit, const table *t)
{
    double n = t->both > 0 ? t->both : 1;
    printf("  %-28s both accept %3d, device alone %d, desk alone %2d, wrong %d; bias off by %.4f %s rms, "
           "%.2f times the "
           "desk's;\n%31smatrix by %.1e, %.2f times; NSE %.2f, desk %.2f\n",
           name, t->both, t->device_alone, t->desk_alone, t->wrong, sqrt(t->device2 / n), unit,
           sqrt(t->device2 / t->desk2), "", sqrt(t->device_axes2 / n), sqrt(t->device_axes2 / t->desk_axes2),
           t->z2 / n, t->desk_z2 / n);
}

/* ---- tumble ---- */

static marl_log empty_log(size_t n, unsigned columns)
{
    static char path[] = "made.csv";
    marl_log log = {.path = path};
    log.info.columns = columns | 1u << MARL_COLUMN_T;
    log.row = calloc(n, sizeof *log.row);
    if (log.row == NULL) {
        exit(1);
    }
    return log;
}

/* A pod that is turned for some seconds, with a random part. */
static marl_log tumble_log(uint64_t seed, double seconds, part *p)
{
    lab_normals normals = lab_normals_of(lab_random_seeded(seed, 7100));
    lab_random draws = lab_random_seeded(seed, 7101);
    double rate = 20 * pow(10, lab_random_uniform(&draws)), noise = 0.1 * pow(10, lab_random_uniform(&draws));
    marl_scene scene = marl_scene_make(MARL_SCENE_TUMBLE, seed);
    size_t n = (size_t)(seconds * rate);
    marl_log log = empty_log(n, MARL_COLUMNS_MAG);
    *p = random_part(&normals, 40, 0.06, noise);
    scale(p, 1 / cbrt(determinant((const double(*)[3])p->matrix)));
    for (size_t i = 0; i < n; i++) {
        marl_motion m = marl_scene_at(&scene, (double)i / rate);
        marl_sample *s = &log.row[log.n++].sample;
        s->t_ns = (int64_t)(1e9 * (double)i / rate);
        s->fresh = MARL_FRESH_MAG;
        s->mag = read_part(p, m.field, &normals);
        log.row[i].q = (marl_quat){(float)m.q[0], (float)m.q[1], (float)m.q[2], (float)m.q[3]};
    }
    return log;
}

static void try_tumbles(const char *name, double seconds_low, double seconds_high, double steel)
{
    table t = {.error_limit = 5};
    for (uint64_t seed = SEED_FROM; seed < SEED_FROM + TRIALS; seed++) {
        lab_random draws = lab_random_seeded(seed, 7102);
        part p;
        marl_log log =
            tumble_log(seed, seconds_low + (seconds_high - seconds_low) * lab_random_uniform(&draws), &p);
        marl_tumble_result r;
        const marl_tumble_options options = {.field = (double)NAN};
        marl_renewal_options renew = marl_renewal_default(MARL_RENEW_TUMBLE);
        renew.coverage = 1;
        if (steel > 0) {
            steel_add(&log, steel, seed);
        }
        int accepted = marl_calibrate_tumble(&log, &options, &r, NULL) == MARL_OK;
        const outcome desk = compare_with(&p, accepted, r.outcome.fit.bias,
                                          (const double(*)[3])r.outcome.fit.matrix, r.outcome.fit.bias_sigma);
        const outcome device = on_device(&p, &log, MARL_RENEW_TUMBLE, &renew);
        add(&t, &device, &desk);
        marl_tumble_result_free(&r);
        free(log.row);
    }
    print(name, "uT", &t);
}

/* ---- poses ---- */

static marl_log poses_log(uint64_t seed, int poses, part *p)
{
    enum { RATE = 100, REST = 4, MOVE = 1 };
    lab_normals normals = lab_normals_of(lab_random_seeded(seed, 7200));
    marl_log log = empty_log((size_t)(poses * (REST + MOVE) * RATE), MARL_COLUMNS_ACCEL);
    double up[3] = {0}, was[3] = {0, 0, 1};
    *p = random_part(&normals, 0.3, 0.01, 0.02);
    for (int k = 0; k < poses; k++) {
        for (int j = 0; j < 3; j++) {
            up[j] = (k < 6 ? 0.05 : 1) * lab_normals_next(&normals);
        }
        up[k / 2 % 3] += k < 6 ? (k % 2 ? -1 : 1) : 0;
        double length = sqrt(lab_dot3(up, up));
        for (int i = 0; i < (REST + MOVE) * RATE; i++) {
            double share = fmin(1, (double)i / (MOVE * RATE)), force[3];
            for (int j = 0; j < 3; j++) {
                up[j] = i == 0 ? up[j] * 9.80665 / length : up[j];
                force[j] =
                    (1 - share) * was[j] + share * up[j] + (share < 1 ? 0.5 * lab_normals_next(&normals) : 0);
            }
            marl_sample *s = &log.row[log.n].sample;
            s->t_ns = (int64_t)(1e9 / RATE * (double)log.n++);
            s->fresh = MARL_FRESH_ACCEL;
            s->accel = read_part(p, force, &normals);
        }
        memcpy(was, up, sizeof was);
    }
    return log;
}

static void try_poses(const char *name, int poses)
{
    table t = {.error_limit = 0.1};
    for (uint64_t seed = SEED_FROM; seed < SEED_FROM + TRIALS; seed++) {
        part p;
        marl_log log = poses_log(seed, poses, &p);
        marl_poses_result r;
        marl_renewal_options renew = marl_renewal_default(MARL_RENEW_POSES);
        renew.poses = MARL_RENEWAL_POSES;
        renew.patience_s = 1000;
        int accepted = marl_calibrate_poses(&log, 9.80665, &r, NULL) == MARL_OK;
        const outcome desk = compare_with(&p, accepted, r.outcome.fit.bias,
                                          (const double(*)[3])r.outcome.fit.matrix, r.outcome.fit.bias_sigma);
        const outcome device = on_device(&p, &log, MARL_RENEW_POSES, &renew);
        add(&t, &device, &desk);
        marl_poses_result_free(&r);
        free(log.row);
    }
    print(name, "m/s^2", &t);
}

/* ---- still ---- */

/* At rest, by the simulated part of a scene; turned steadily where asked. The truth: ten times as long. */
static void try_still(const char *name, double deg_per_s)
{
    int accepted = 0, within = 0, values = 0;
    double squares = 0;
    for (uint64_t seed = SEED_FROM; seed < SEED_FROM + TRIALS; seed++) {
        static marl_renewal job;
        marl_log log = verdict_log(MARL_SCENE_STILL, 100, 120, 0, seed);
        const marl_calibration none = marl_calibration_none();
        double mean[3] = {0};
        marl_renewal_init(&job);
        if (marl_renewal_start(&job, MARL_RENEW_STILL, &none, NULL) != MARL_OK) {
            exit(1);
        }
        for (size_t i = 0; i < log.n; i++) {
            marl_sample s = log.row[i].sample;
            float angle = (float)(-deg_per_s * MARL_DEGREE * 0.01 * (double)i);
            s.accel = marl_quat_rotate((marl_quat){cosf(0.5f * angle), sinf(0.5f * angle), 0, 0}, s.accel);
            s.mag = marl_quat_rotate((marl_quat){cosf(0.5f * angle), sinf(0.5f * angle), 0, 0}, s.mag);
            mean[0] += (double)s.gyro.x / (double)log.n;
            mean[1] += (double)s.gyro.y / (double)log.n;
            mean[2] += (double)s.gyro.z / (double)log.n;
            s.gyro.x += (float)(deg_per_s * MARL_DEGREE);
            marl_renewal_feed(&job, &s);
        }
        const float bias[3] = {job.found.correction.bias.x, job.found.correction.bias.y,
                               job.found.correction.bias.z};
        const float sigma[3] = {job.found.bias_sigma.x, job.found.bias_sigma.y, job.found.bias_sigma.z};
        accepted += job.stage == MARL_RENEWAL_DONE;
        for (int k = 0; k < 3 && job.stage == MARL_RENEWAL_DONE; k++) {
            double z = ((double)bias[k] - mean[k]) / (double)sigma[k];
            within += fabs(z) <= 2;
            squares += z * z;
            values++;
        }
        free(log.row);
    }
    printf("  %-28s accepted %3d", name, accepted);
    if (values > 0) {
        printf("; within twice the stated error %.1f %%, NSE %.2f", 100.0 * within / values,
               squares / values);
    }
    printf("\n");
}

void bench_renew(void)
{
    printf("\ncalibrations renewed on the device (%zu bytes), beside the desk's; random parts, %d trials\n",
           sizeof(marl_renewal), TRIALS);
    try_tumbles("tumble, 60 s", 60, 60, 0);
    try_tumbles("tumble, 3 to 20 s", 3, 20, 0);
    try_tumbles("tumble, 0.3 uT rms of steel", 60, 60, 0.3);
    try_tumbles("tumble, 1 uT rms of steel", 60, 60, 1);
    try_tumbles("tumble, 3 uT rms of steel", 60, 60, 3);
    try_poses("6 poses", 6);
    try_poses("12 poses", 12);
    try_poses("24 poses", 24);
    try_still("10 s at rest", 0);
    try_still("turning by 0.05 deg/s", 0.05);
    try_still("turning by 0.5 deg/s", 0.5);
}
