/* SPDX-License-Identifier: MIT
 * The axes of the sensors against each other, and the mount. */
#include "lab/calibrate/corrected_log.h"
#include "lab/maths/linear.h"
#include "lab/maths/statistics.h"
#include "marlinspike/calibrate.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define WINDOW_NS INT64_C(200000000)
#define STEADY 0.5 /* m/s^2 off gravity */
#define MAX_SIGMA_DEG 0.5
#define MIN_DEVIATIONS 3.0 /* standard errors */
enum { MIN_WINDOWS = 40, ROUNDS = 4, UNKNOWNS = 4, PARTS = 12 };

static void multiply(const double a[3][3], double matrix[3][3])
{
    double product[3][3];
    for (int i = 0; i < 3; i++) {
        for (int k = 0; k < 3; k++) {
            product[i][k] = a[i][0] * matrix[0][k] + a[i][1] * matrix[1][k] + a[i][2] * matrix[2][k];
        }
    }
    memcpy(matrix, product, sizeof product);
}

static void matrix_of(const marl_arrangement *how, int sign, double a[3][3])
{
    memset(a, 0, 9 * sizeof a[0][0]);
    for (int i = 0; i < 3; i++) {
        a[i][abs(how->axis[i]) - 1] = how->axis[i] < 0 ? -sign : sign;
    }
}

/* Up and the field, both of length one, in windows in which the accelerometer shows nothing but gravity. */
typedef struct pair {
    double up[3], field[3];
} pair;

static size_t collect_pairs(const marl_log *log, const double arrange[3][3], pair *pairs)
{
    lab_moments accel[3] = {{0}}, mag[3] = {{0}};
    const marl_vec3 *force = NULL;
    size_t n = 0;
    int64_t start = log->n > 0 ? log->row[0].sample.t_ns : 0;
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (s->t_ns - start >= WINDOW_NS) {
            const double a[3] = {accel[0].mean, accel[1].mean, accel[2].mean};
            const double m[3] = {mag[0].mean, mag[1].mean, mag[2].mean};
            double turned[3];
            for (int k = 0; k < 3; k++) {
                turned[k] = arrange[k][0] * m[0] + arrange[k][1] * m[1] + arrange[k][2] * m[2];
            }
            int steady = fabs(lab_unit_vector(a, pairs[n].up) - MARL_STANDARD_GRAVITY) < STEADY;
            n += mag[0].n > 0 && steady && lab_unit_vector(turned, pairs[n].field) > 0;
            memset(accel, 0, sizeof accel);
            memset(mag, 0, sizeof mag);
            start = s->t_ns;
        }
        force = s->fresh & MARL_FRESH_ACCEL ? &s->accel : force;
        if (force == NULL || !(s->fresh & MARL_FRESH_MAG)) {
            continue; /* both at the same times, or turning would shift one against the other */
        }
        const float a[3] = {force->x, force->y, force->z}, m[3] = {s->mag.x, s->mag.y, s->mag.z};
        for (int k = 0; k < 3; k++) {
            lab_moments_add(&accel[k], (double)a[k]);
            lab_moments_add(&mag[k], (double)m[k]);
        }
    }
    return n;
}

/* The rotation that keeps up . R field the same in all windows but those of one part (PARTS = in all).
 * Returns 0 when they do not determine it. */
static int find_rotation(const pair *pairs, size_t n, size_t part, double turn[3])
{
    double c = 0, normal[UNKNOWNS * UNKNOWNS], right[UNKNOWNS];
    memset(turn, 0, 3 * sizeof *turn);
    for (int round = 0; round < ROUNDS; round++) {
        double r[3][3];
        lab_rotation(turn, r);
        memset(normal, 0, sizeof normal);
        memset(right, 0, sizeof right);
        for (size_t i = 0; i < n; i++) {
            if (i * PARTS / n == part) {
                continue;
            }
            const double *u = pairs[i].up, *f = pairs[i].field;
            double m[3];
            for (int k = 0; k < 3; k++) {
                m[k] = r[k][0] * f[0] + r[k][1] * f[1] + r[k][2] * f[2];
            }
            double row[UNKNOWNS] = {m[1] * u[2] - m[2] * u[1], m[2] * u[0] - m[0] * u[2],
                                    m[0] * u[1] - m[1] * u[0], -1};
            double off = c - (u[0] * m[0] + u[1] * m[1] + u[2] * m[2]);
            for (int j = 0; j < UNKNOWNS; j++) {
                right[j] += row[j] * off;
                for (int k = 0; k < UNKNOWNS; k++) {
                    normal[UNKNOWNS * j + k] += row[j] * row[k];
                }
            }
        }
        if (!lab_solve_positive(UNKNOWNS, normal, right)) {
            return 0;
        }
        for (int k = 0; k < 3; k++) {
            turn[k] += right[k];
        }
        c += right[3];
    }
    return 1;
}

/* Delete-one jackknife over parts ("Notes on bias in estimation", 1956): a hand's accelerations last longer
 * than a window, so that windows are no independent witnesses. */
static int find_rotation_sigma(const pair *pairs, size_t n, double sigma[3])
{
    lab_moments place[3] = {{0}};
    for (size_t part = 0; part < PARTS; part++) {
        double turn[3];
        if (!find_rotation(pairs, n, part, turn)) {
            return 0;
        }
        for (int k = 0; k < 3; k++) {
            lab_moments_add(&place[k], turn[k]);
        }
    }
    for (int k = 0; k < 3; k++) {
        sigma[k] = sqrt(place[k].squares * (PARTS - 1) / PARTS);
    }
    return 1;
}

static marl_status turn_mag(const marl_log *corrected, int southern, marl_calibration_record *record,
                            marl_axes_result *r, marl_error *error)
{
    pair *pairs = malloc((corrected->n + 2) * sizeof *pairs);
    double arrange[3][3], turn[3], sigma[3], whole[3][3];
    if (pairs == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    matrix_of(&r->axes.mag.best, southern && r->axes.mag.sign_decided ? -1 : 1, arrange);
    size_t n = collect_pairs(corrected, (const double(*)[3])arrange, pairs);
    int found =
        n >= MIN_WINDOWS && find_rotation(pairs, n, PARTS, turn) && find_rotation_sigma(pairs, n, sigma);
    for (int k = 0; k < 3 && found; k++) {
        r->rotation_deg[k] = turn[k] / MARL_DEGREE;
        r->rotation_sigma[k] = sigma[k] / MARL_DEGREE;
        r->turned |= fabs(turn[k]) > MIN_DEVIATIONS * sigma[k];
        found = found && r->rotation_sigma[k] < MAX_SIGMA_DEG;
    }
    marl_fit *fit = &record->fit[MARL_MAG];
    fit->present = 1;
    multiply((const double(*)[3])arrange, fit->matrix);
    r->turned = r->turned && found;
    if (r->turned) {
        lab_rotation(turn, whole);
        multiply((const double(*)[3])whole, fit->matrix);
    }
    free(pairs);
    return MARL_OK;
}

/* Turns the accelerometer's axes so that at the first rest the given one points up: two axes change their
 * names, and one its sign where it must. Motion does not reveal a mirrored axis, only a known attitude
 * does. */
static marl_status put_up(const marl_log *log, int up, marl_calibration_record *record, marl_error *error)
{
    marl_pose_list poses;
    marl_status status = marl_poses_find(log, &poses, error);
    double matrix[3][3] = {{1, 0, 0}, {0, 1, 0}, {0, 0, 1}};
    int axis = abs(up) - 1;
    for (size_t i = 0; i < poses.n && status == MARL_OK; i++) {
        const double *a = poses.pose[i].accel;
        if (!poses.pose[i].used) {
            continue;
        }
        int max = fabs(a[0]) > fabs(a[1]) ? 0 : 1;
        max = fabs(a[2]) > fabs(a[max]) ? 2 : max;
        matrix[max][max] = matrix[axis][axis] = 0;
        matrix[max][axis] = 1;
        matrix[axis][max] = (a[max] < 0 ? -1 : 1) * (up < 0 ? -1 : 1);
        break;
    }
    if (status == MARL_OK) {
        record->fit[MARL_ACCEL].present = 1;
        multiply((const double(*)[3])matrix, record->fit[MARL_ACCEL].matrix);
    }
    marl_poses_free(&poses);
    return status;
}

marl_status marl_calibrate_axes(const marl_log *log, int southern, int up, marl_calibration_record *record,
                                marl_axes_result *r, marl_error *error)
{
    marl_log corrected = {0};
    *r = (marl_axes_result){.outcome = {.sensor = MARL_MAG, .fit = marl_fit_none(), .model = "axes"},
                            .rotation_deg = {NAN, NAN, NAN},
                            .rotation_sigma = {NAN, NAN, NAN}};
    if (log->info.corrected) {
        return marl_fail(error, MARL_ERR_INPUT, "%s:1: is corrected already; a calibration needs the raw log",
                         log->path);
    }
    r->outcome.fit.present = 1;
    snprintf(r->outcome.next, sizeof r->outcome.next,
             "record a log with accelerometer and gyroscope, turned about all axes");
    marl_status status =
        marl_log_require(&log->info, log->path, MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO, error);
    if (status == MARL_OK && up != 0) {
        snprintf(r->outcome.next, sizeof r->outcome.next,
                 "start with three seconds still in the attitude of --up");
        status = put_up(log, up, record, error);
    }
    status = status != MARL_OK ? status : lab_corrected_copy(log, record, &corrected, error);
    status = status != MARL_OK ? status : marl_axes_find(&corrected, &r->axes, error);
    if (status == MARL_OK && r->axes.gyro.verdict != MARL_AXES_DECIDED) {
        snprintf(r->outcome.next, sizeof r->outcome.next,
                 "turn the pod about all three axes for half a minute, slowly and far from steel (a tumble)");
        status = marl_fail(error, MARL_ERR_INSUFFICIENT,
                           "%s: this motion does not determine the arrangement of the axes", log->path);
    }
    if (status == MARL_OK) {
        double arrange[3][3];
        matrix_of(&r->axes.gyro.best, 1, arrange);
        record->fit[MARL_GYRO].present = 1;
        multiply((const double(*)[3])arrange, record->fit[MARL_GYRO].matrix);
        if (r->axes.mag.verdict == MARL_AXES_DECIDED) {
            status = turn_mag(&corrected, southern, record, r, error);
        }
    }
    r->outcome.accepted = status == MARL_OK;
    r->outcome.next[0] = r->outcome.accepted ? '\0' : r->outcome.next[0];
    free(corrected.row);
    return status;
}
