/* SPDX-License-Identifier: MIT
 * The accelerometer from poses: few, by hand, six faces however often. The part's scale is off by 1 %, its
 * bias by 0.3 m/s^2, its axes by 1 %, all drawn anew. */
#include "lab/maths/linear.h"
#include "lab/maths/random.h"
#include "verdicts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define RATE_HZ 100.0
#define REST_S 3.0
#define MOVE_S 1.0
#define WHITE 0.02 /* m/s^2 */
enum { MAX_POSES = 40 };

typedef struct part {
    double bias[3], matrix[3][3]; /* truth = matrix (reading - bias), symmetric */
} part;

static part make_part(lab_normals *normals)
{
    part p;
    for (int i = 0; i < 3; i++) {
        p.bias[i] = 0.3 * lab_normals_next(normals);
        for (int j = i; j < 3; j++) {
            p.matrix[i][j] = p.matrix[j][i] = (i == j) + 0.01 * lab_normals_next(normals);
        }
    }
    return p;
}

/* What the part reads of a specific force. */
static void read_part(const part *p, const double force[3], double out[3])
{
    double a[9];
    memcpy(a, p->matrix, sizeof a);
    memcpy(out, force, 3 * sizeof *out);
    if (!lab_solve_general(3, a, out)) {
        exit(1);
    }
    for (int i = 0; i < 3; i++) {
        out[i] += p->bias[i];
    }
}

static void unit(double v[3])
{
    double length = sqrt(lab_dot3(v, v));
    for (int i = 0; i < 3; i++) {
        v[i] *= 9.80665 / length;
    }
}

/* Up in the body, m/s^2: a face put down by hand to `tilt` rad, or any direction. */
static void make_pose(int face, double tilt, lab_normals *normals, double up[3])
{
    for (int i = 0; i < 3; i++) {
        up[i] = face < 0 ? lab_normals_next(normals) : tilt * lab_normals_next(normals);
    }
    if (face >= 0) {
        up[face / 2] = face % 2 ? -1 : 1;
    }
    unit(up);
}

static marl_log make_log(const part *p, double (*up)[3], size_t poses, lab_normals *normals)
{
    static char path[] = "made.csv";
    marl_log log = {.path = path};
    size_t rest = (size_t)(REST_S * RATE_HZ), move = (size_t)(MOVE_S * RATE_HZ);
    log.info.columns = MARL_COLUMNS_ACCEL | 1u << MARL_COLUMN_T;
    log.row = calloc(poses * (rest + move), sizeof *log.row);
    if (log.row == NULL) {
        exit(1);
    }
    for (size_t i = 0; i < poses * (rest + move); i++) {
        size_t k = i / (rest + move), at = i % (rest + move);
        double share = at < rest || k + 1 == poses ? 0 : (double)(at - rest) / (double)move, force[3], v[3];
        for (int j = 0; j < 3; j++) {
            force[j] = (1 - share) * up[k][j] + share * up[k + 1 < poses ? k + 1 : k][j] +
                       (share > 0 ? 0.5 * lab_normals_next(normals) : 0);
        }
        read_part(p, force, v);
        marl_sample *s = &log.row[log.n++].sample;
        s->t_ns = (int64_t)(1e9 / RATE_HZ * (double)i);
        s->fresh = MARL_FRESH_ACCEL;
        s->accel = (marl_vec3){(float)(v[0] + WHITE * lab_normals_next(normals)),
                               (float)(v[1] + WHITE * lab_normals_next(normals)),
                               (float)(v[2] + WHITE * lab_normals_next(normals))};
    }
    return log;
}

/* tilt_deg NAN: any attitudes. */
static void try_poses(const char *name, size_t poses, double tilt_deg)
{
    verdict_count bias = {0}, scale = {0};
    double up[MAX_POSES][3];
    for (uint64_t seed = VERDICT_FROM; seed < VERDICT_FROM + VERDICT_SEEDS; seed++) {
        lab_normals normals = lab_normals_of(lab_random_seeded(seed, 7000));
        part p = make_part(&normals);
        for (size_t i = 0; i < poses; i++) {
            make_pose(isnan(tilt_deg) ? -1 : (int)(i % 6), tilt_deg * 0.017453292519943295, &normals, up[i]);
        }
        marl_log log = make_log(&p, up, poses, &normals);
        marl_poses_result r;
        int accepted = marl_calibrate_poses(&log, 9.80665, &r, NULL) == MARL_OK;
        bias.runs++;
        bias.accepted += accepted;
        scale.accepted += accepted;
        scale.runs++;
        for (int k = 0; k < 3 && accepted; k++) {
            verdict_add(&bias, r.outcome.fit.bias[k] - p.bias[k], r.outcome.fit.bias_sigma[k]);
            verdict_add(&scale, r.outcome.fit.matrix[k][k] - p.matrix[k][k],
                        r.outcome.fit.matrix_sigma[k][k]);
        }
        marl_poses_result_free(&r);
        free(log.row);
    }
    char title[64];
    snprintf(title, sizeof title, "%s, bias", name);
    verdict_print(title, &bias);
    snprintf(title, sizeof title, "%s, scale", name);
    verdict_print(title, &scale);
}

void verdicts_poses(void)
{
    printf("calibrate poses, axes of the part off by 1 %%\n");
    try_poses("24 attitudes", 24, (double)NAN);
    try_poses("12 attitudes", 12, (double)NAN);
    try_poses("six faces, exact", 6, 0);
    try_poses("six faces by hand to 0.5 deg", 6, 0.5);
    try_poses("six faces by hand to 3 deg", 6, 3);
    try_poses("six exact faces, each six times", 36, 0);
    try_poses("six faces to 3 deg, each six times", 36, 3);
}
