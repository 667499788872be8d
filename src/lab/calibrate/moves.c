/* SPDX-License-Identifier: MIT
 * Moves from rest to rest. */
#include "lab/calibrate/moves.h"
#include "lab/calibrate/corrected_log.h"
#include "lab/log/reading.h"
#include "lab/maths/linear.h"
#include "lab/maths/statistics.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

/* 0 when the gyroscope was not read in it. */
static int fill_rest(const marl_log *log, const marl_calibration_record *record, const marl_pose *pose,
                     lab_rest *r)
{
    lab_moments rate[3] = {{0}}, field[3] = {{0}};
    *r = (lab_rest){.span = pose->span, .temp = pose->temp};
    for (size_t i = lab_row_at(log, pose->span.from_ns);
         i < log->n && log->row[i].sample.t_ns <= pose->span.to_ns; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (s->fresh & MARL_FRESH_GYRO) {
            lab_moments_add_vector(rate, s->gyro);
        }
        if (s->fresh & MARL_FRESH_MAG) {
            lab_moments_add_vector(field, s->mag);
        }
    }
    double raw[3];
    for (int k = 0; k < 3; k++) {
        r->rate[k] = rate[k].mean;
        raw[k] = field[k].mean;
        r->up[k] = pose->accel[k];
    }
    if (record->fit[MARL_ACCEL].present) {
        marl_fit_apply(&record->fit[MARL_ACCEL], pose->accel, pose->temp, r->up);
    }
    if (record->fit[MARL_MAG].present && field[0].n > 0) {
        marl_fit_apply(&record->fit[MARL_MAG], raw, pose->temp, r->north);
        r->has_north = lab_unit_vector(r->north, r->north) > 0;
    }
    return rate[0].n > 0 && lab_unit_vector(r->up, r->up) > 0;
}

marl_status lab_rests_find(const marl_log *log, const marl_calibration_record *record, lab_rest **rests,
                           size_t *n, marl_error *error)
{
    marl_pose_list poses;
    *rests = NULL;
    *n = 0;
    marl_status status = marl_poses_find(log, &poses, error);
    if (status == MARL_OK) {
        *rests = malloc((poses.n + 1) * sizeof **rests);
        status = *rests != NULL ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < poses.n && status == MARL_OK && *rests != NULL; i++) {
        if (poses.pose[i].used) {
            *n += (size_t)fill_rest(log, record, &poses.pose[i], &(*rests)[*n]);
        }
    }
    marl_poses_free(&poses);
    return status;
}

/* Turns the columns of m by a step. */
static void turn_by(const double step[3][3], double m[3][3])
{
    for (int j = 0; j < 3; j++) {
        const double column[3] = {m[0][j], m[1][j], m[2][j]};
        for (int i = 0; i < 3; i++) {
            m[i][j] = lab_dot3(step[i], column);
        }
    }
}

/* One step of the mean rate of its two readings. A direction of the world turns against the body. The slopes
 * are summed up in the body at the first rest. */
static void advance(lab_move *m, const double raw[3], const double matrix[3][3], double dt)
{
    double turn[3], step[3][3];
    for (int i = 0; i < 3; i++) {
        turn[i] = -dt * lab_dot3(matrix[i], raw);
    }
    for (int e = 0; e < LAB_MOVE_ELEMENTS; e++) {
        for (int k = 0; k < 3; k++) {
            m->slope[e][k] += m->rotation[e / 3][k] * raw[e % 3] * dt;
        }
    }
    lab_rotation(turn, step);
    turn_by((const double(*)[3])step, m->rotation);
    m->angle += sqrt(lab_dot3(turn, turn));
}

void lab_move_integrate(const marl_log *log, const lab_rest *a, const lab_rest *b, const double matrix[3][3],
                        lab_move *m)
{
    const marl_sample *before = NULL;
    *m = (lab_move){.rotation = {{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}};
    for (size_t i = lab_row_at(log, a->span.to_ns); i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (s->t_ns > b->span.from_ns) {
            break;
        }
        if (!(s->fresh & MARL_FRESH_GYRO)) {
            continue;
        }
        if (before != NULL) {
            const double now[3] = {(double)s->gyro.x, (double)s->gyro.y, (double)s->gyro.z};
            const double was[3] = {(double)before->gyro.x, (double)before->gyro.y, (double)before->gyro.z};
            double raw[3];
            for (int k = 0; k < 3; k++) {
                raw[k] = 0.5 * (now[k] + was[k]) - 0.5 * (a->rate[k] + b->rate[k]);
            }
            advance(m, raw, matrix, 1e-9 * (double)(s->t_ns - before->t_ns));
        }
        before = s;
        m->readings++;
    }
    for (int e = 0; e < LAB_MOVE_ELEMENTS; e++) { /* to the body at the second rest */
        double v[3];
        for (int k = 0; k < 3; k++) {
            v[k] = lab_dot3(m->rotation[k], m->slope[e]);
        }
        memcpy(m->slope[e], v, sizeof v);
    }
}
