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
#define SCALE 0.01
enum { MAX_POSES = 40 };

typedef struct part {
    double bias[3], matrix[3][3]; /* truth = matrix (reading - bias), symmetric */
} part;

static part make_part(double misalignment, lab_normals *normals)
{
    part p;
    for (int i = 0; i < 3; i++) {
        p.bias[i] = 0.3 * lab_normals_next(normals);
        for (int j = i; j < 3; j++) {
            p.matrix[i][j] = p.matrix[j][i] =
                (i == j) + (i == j ? SCALE : misalignment) * lab_normals_next(normals);
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

/* What happens to every fourth pose while it is held. */
typedef enum spoiling { UNSPOILED, BUMPED, SHAKEN, TURNED_SLOWLY, TURNED, TOO_BRIEF, SPOILINGS } spoiling;
enum { EVERY = 4 };

static void spoil(spoiling how, double at_s, lab_normals *normals, double force[3])
{
    double turned = how == TURNED_SLOWLY ? 3 * at_s : how == TURNED ? 10 * at_s : 0;
    double size = how == BUMPED && at_s > 1.2 && at_s < 1.7 ? 2 : how == SHAKEN ? 0.6 : 0;
    double angle = turned * 0.017453292519943295, y = force[1], z = force[2];
    force[1] = y * cos(angle) - z * sin(angle);
    force[2] = z * cos(angle) + y * sin(angle);
    for (int k = 0; k < 3; k++) {
        force[k] += size * lab_normals_next(normals);
    }
}

static marl_log make_log(const part *p, double (*up)[3], size_t poses, spoiling how, lab_normals *normals)
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
        int is_spoiled = how != UNSPOILED && k % EVERY == EVERY - 1;
        double share = at < rest || k + 1 == poses ? 0 : (double)(at - rest) / (double)move, force[3], v[3];
        for (int j = 0; j < 3; j++) {
            force[j] = (1 - share) * up[k][j] + share * up[k + 1 < poses ? k + 1 : k][j] +
                       (share > 0 ? 0.5 * lab_normals_next(normals) : 0);
        }
        if (is_spoiled && at < rest) {
            spoil(how, (double)at / RATE_HZ, normals, force);
        }
        if (is_spoiled && how == TOO_BRIEF && at >= (size_t)(0.8 * RATE_HZ) && at < rest) {
            continue;
        }
        read_part(p, force, v);
        marl_sample *s = &log.row[log.n++].sample;
        s->t_ns = (int64_t)(1e9 / RATE_HZ * (double)log.n);
        s->fresh = MARL_FRESH_ACCEL;
        s->accel = (marl_vec3){(float)(v[0] + WHITE * lab_normals_next(normals)),
                               (float)(v[1] + WHITE * lab_normals_next(normals)),
                               (float)(v[2] + WHITE * lab_normals_next(normals))};
    }
    return log;
}

/* tilt_deg NAN: any attitudes. */
static void try_poses(const char *name, size_t poses, double tilt_deg, double misalignment)
{
    verdict_count bias = {0}, scale = {0};
    double up[MAX_POSES][3];
    for (uint64_t seed = VERDICT_FROM; seed < VERDICT_FROM + VERDICT_SEEDS; seed++) {
        lab_normals normals = lab_normals_of(lab_random_seeded(seed, 7000));
        part p = make_part(misalignment, &normals);
        for (size_t i = 0; i < poses; i++) {
            make_pose(isnan(tilt_deg) ? -1 : (int)(i % 6), tilt_deg * 0.017453292519943295, &normals, up[i]);
        }
        marl_log log = make_log(&p, up, poses, UNSPOILED, &normals);
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

/* Of a quarter of 24 poses, each spoiled: which of them the fit uses, which are named as left out, and which are neither; and
 * what else is named. By the middle of the time for which they were held. */
static void try_spoiled(const char *name, spoiling how)
{
    verdict_count bias = {0};
    double up[MAX_POSES][3];
    int used = 0, named = 0, silent = 0, others = 0;
    for (uint64_t seed = VERDICT_FROM; seed < VERDICT_FROM + VERDICT_SEEDS; seed++) {
        lab_normals normals = lab_normals_of(lab_random_seeded(seed, 7001));
        part p = make_part(SCALE, &normals);
        for (size_t i = 0; i < 24; i++) {
            make_pose(-1, 0, &normals, up[i]);
        }
        marl_log log = make_log(&p, up, 24, how, &normals);
        marl_poses_result r;
        bias.runs++;
        int accepted = marl_calibrate_poses(&log, 9.80665, &r, NULL) == MARL_OK;
        bias.accepted += accepted;
        for (int k = 0; k < 3 && accepted; k++) {
            verdict_add(&bias, r.outcome.fit.bias[k] - p.bias[k], r.outcome.fit.bias_sigma[k]);
        }
        int seen[MAX_POSES] = {0};
        double shorter = how == TOO_BRIEF ? REST_S - 0.8 : 0, turn = REST_S + MOVE_S;
        for (size_t i = 0; i < r.poses.n; i++) {
            const marl_pose *pose = &r.poses.pose[i];
            double middle = 5e-10 * (double)(pose->span.from_ns + pose->span.to_ns);
            double quarter = EVERY * turn - shorter, in = fmod(middle, quarter) / turn;
            int k = EVERY * (int)(middle / quarter) + (int)fmin(in, EVERY - 1);
            int is_spoiled = k % EVERY == EVERY - 1;
            others += !is_spoiled && !pose->used;
            seen[k] = is_spoiled && (pose->used || seen[k] == 2) ? 2 : 1;
        }
        for (int k = EVERY - 1; k < 24; k += EVERY) {
            used += seen[k] == 2;
            named += seen[k] == 1;
            silent += seen[k] == 0;
        }
        marl_poses_result_free(&r);
        free(log.row);
    }
    verdict_print(name, &bias);
    printf("    spoiled poses used %d, named %d, neither %d; others named %d\n", used, named, silent, others);
}

void verdicts_poses(void)
{
    printf("calibrate poses, axes of the part off by 1 %%\n");
    try_poses("24 attitudes", 24, (double)NAN, 0.01);
    try_poses("12 attitudes", 12, (double)NAN, 0.01);
    try_poses("six faces, exact", 6, 0, 0.01);
    try_poses("six faces by hand to 0.5 deg", 6, 0.5, 0.01);
    try_poses("six faces by hand to 3 deg", 6, 3, 0.01);
    try_poses("the same, axes off by 2 %", 6, 3, 0.02);
    try_poses("the same, axes off by 3 %", 6, 3, 0.03);
    try_poses("six exact faces, each six times", 36, 0, 0.01);
    try_poses("six faces to 3 deg, each six times", 36, 3, 0.01);
    try_spoiled("a quarter bumped", BUMPED);
    try_spoiled("a quarter shaken by 0.6 m/s^2", SHAKEN);
    try_spoiled("a quarter turning by 3 deg/s", TURNED_SLOWLY);
    try_spoiled("a quarter turning by 10 deg/s", TURNED);
    try_spoiled("a quarter for 0.8 s", TOO_BRIEF);
}
