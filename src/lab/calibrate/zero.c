/* SPDX-License-Identifier: MIT
 * The attitude of a rest: the mount that makes it the zero, and the Earth's rate in it. */
#include "lab/calibrate/corrected_log.h"
#include "lab/inspect/span_turn.h"
#include "lab/maths/linear.h"
#include "lab/maths/statistics.h"
#include <math.h>
#include <stdlib.h>

#define EARTH_RATE 7.292115e-5 /* rad/s */
#define MIN_NORTH_SINE                                                                                       \
    0.05 /* a field within 3 degrees of the vertical has no north, as in the estimators                      \
          */
#define UPSIDE_DOWN (-0.999999) /* cosine of the tilt from where the shortest turn has no axis */

/* East, north and up as rows turn the sensor's vectors into the world. */
static marl_status attitude_of(const double accel[3], const double mag[3], int has_mag, double q[4],
                               marl_error *error)
{
    double up[3], field[3], east[3], north[3];
    if (!(lab_unit_vector(accel, up) > 1)) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "no gravity in the accelerometer");
    }
    (void)lab_unit_vector(mag, field);
    for (int i = 0; i < 3; i++) {
        int j = (i + 1) % 3, k = (i + 2) % 3;
        east[i] = field[j] * up[k] - field[k] * up[j];
    }
    has_mag = has_mag && lab_unit_vector(east, east) > MIN_NORTH_SINE;
    for (int i = 0; i < 3; i++) {
        int j = (i + 1) % 3, k = (i + 2) % 3;
        north[i] = up[j] * east[k] - up[k] * east[j];
    }
    marl_quat found = marl_quat_identity();
    if (has_mag) { /* zero has x to the north, so rows are north, west, up */
        marl_mat3 rows = {{{(float)north[0], (float)north[1], (float)north[2]},
                           {(float)-east[0], (float)-east[1], (float)-east[2]},
                           {(float)up[0], (float)up[1], (float)up[2]}}};
        if (marl_quat_from_matrix(&rows, &found) != MARL_OK) {
            return marl_fail(error, MARL_ERR_INSUFFICIENT, "no attitude from these vectors");
        }
    } else if (up[2] > UPSIDE_DOWN) {
        found = (marl_quat){(float)(1 + up[2]), (float)up[1], (float)-up[0], 0};
        (void)!marl_quat_normalize(&found);
    } else {
        found = (marl_quat){0, 1, 0, 0};
    }
    found = marl_quat_canonical(found);
    q[0] = (double)found.w;
    q[1] = (double)found.x;
    q[2] = (double)found.y;
    q[3] = (double)found.z;
    return MARL_OK;
}

/* Gravity and field over the longest rest, corrected; has_mag = 0 without a magnetometer. */
typedef struct rest {
    marl_span span;
    double force[3], field[3];
    int has_mag;
} rest;

static marl_status find_rest(const marl_log *log, const marl_calibration_record *record, rest *r,
                             marl_error *error)
{
    marl_log corrected = {0};
    marl_spans still = {0};
    lab_moments accel[3] = {{0}}, mag[3] = {{0}};
    size_t longest = 0;
    marl_status status = marl_log_require(&log->info, log->path, MARL_COLUMNS_ACCEL, error);
    status = status != MARL_OK ? status : lab_corrected_copy(log, record, &corrected, error);
    status = status != MARL_OK ? status : marl_inspect_still(log, &still, error);
    for (size_t i = 1; i < still.n; i++) {
        const marl_span *a = &still.span[i], *b = &still.span[longest];
        longest = a->to_ns - a->from_ns > b->to_ns - b->from_ns ? i : longest;
    }
    if (status == MARL_OK && still.n == 0) {
        status =
            marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: never at rest for as long as a second", log->path);
    }
    if (status == MARL_OK) {
        r->span = still.span[longest];
        status = lab_span_turn_check(log, r->span, NULL, error); /* its mean would be no attitude */
    }
    for (size_t i = 0; i < log->n && status == MARL_OK; i++) {
        const marl_sample *s = &corrected.row[i].sample;
        const float a[3] = {s->accel.x, s->accel.y, s->accel.z}, m[3] = {s->mag.x, s->mag.y, s->mag.z};
        for (int k = 0; k < 3 && s->t_ns >= r->span.from_ns && s->t_ns <= r->span.to_ns; k++) {
            if (s->fresh & MARL_FRESH_ACCEL) {
                lab_moments_add(&accel[k], (double)a[k]);
            }
            if (s->fresh & MARL_FRESH_MAG) {
                lab_moments_add(&mag[k], (double)m[k]);
            }
        }
    }
    for (int k = 0; k < 3; k++) {
        r->force[k] = accel[k].mean;
        r->field[k] = mag[k].mean;
    }
    r->has_mag = mag[0].n > 0;
    marl_spans_free(&still);
    free(corrected.row);
    return status;
}

marl_status marl_zero(const marl_log *log, marl_calibration_record *record, marl_span *span,
                      marl_error *error)
{
    rest r = {.has_mag = 0};
    marl_status found = find_rest(log, record, &r, error);
    *span = r.span;
    MARL_TRY(found);
    MARL_TRY(attitude_of(r.force, r.field, r.has_mag, record->mount, error));
    record->has_mount = 1;
    return MARL_OK;
}

marl_status marl_earth_rate(const marl_log *log, const marl_calibration_record *record, double latitude,
                            double rate[3], marl_error *error)
{
    double up[3], field[3], east[3];
    rest r = {.has_mag = 0};
    marl_status status = find_rest(log, record, &r, error);
    if (status == MARL_OK && !r.has_mag) {
        status = marl_fail(error, MARL_ERR_INSUFFICIENT,
                           "%s: the Earth's rate needs the heading, so a magnetometer, too", log->path);
    }
    if (status != MARL_OK) {
        return status;
    }
    (void)lab_unit_vector(r.force, up);
    (void)lab_unit_vector(r.field, field);
    lab_cross3(field, up, east);
    (void)lab_unit_vector(east, east);
    for (int i = 0; i < 3; i++) {
        int j = (i + 1) % 3, k = (i + 2) % 3;
        double north = up[j] * east[k] - up[k] * east[j];
        rate[i] = EARTH_RATE * (cos(latitude) * north + sin(latitude) * up[i]);
    }
    return MARL_OK;
}
