/* SPDX-License-Identifier: MIT
 * A steady turn by the slopes of accelerometer and magnetometer, least squares. */
#include "lab/calibrate/still_turn.h"
#include "lab/log/reading.h"
#include "lab/maths/block_fit.h"
#include "lab/maths/statistics.h"
#include <math.h>

enum { VECTORS = 2, OFFSETS = 3, UNKNOWNS = 9, BLOCKS = 24, MIN_READINGS = 3 * BLOCKS };
/* Rate that is known without any reading, rad/s: keeps an axis that nobody sees solvable, and at zero. */
#define PRIOR 1.0

static const marl_sensor sensors[VECTORS] = {MARL_ACCEL, MARL_MAG};

/* Mean readings of a sensor and their deviation, all axes together. */
typedef struct vector {
    double mean[3], deviation;
    int seen;
} vector;

static int is_in(const marl_sample *s, marl_span span, marl_sensor sensor)
{
    return s->t_ns >= span.from_ns && s->t_ns <= span.to_ns && (s->fresh & (1u << sensor));
}

static vector mean_vector(const marl_log *log, marl_span span, marl_sensor sensor)
{
    lab_moments axis[3] = {{0}};
    vector v = {.deviation = 0};
    for (size_t i = 0; i < log->n; i++) {
        if (is_in(&log->row[i].sample, span, sensor)) {
            lab_moments_add_vector(axis, *lab_reading(&log->row[i].sample, sensor));
        }
    }
    for (int k = 0; k < 3; k++) {
        v.mean[k] = axis[k].mean;
        v.deviation = hypot(v.deviation, lab_moments_deviation(&axis[k]));
    }
    v.seen = axis[0].n >= MIN_READINGS && v.deviation > 0;
    return v;
}

/* One reading: its offset, and v x w times the time since the middle of the span. */
static void add_reading(const marl_sample *s, int which, const vector *v, double time, lab_block_fit *fit)
{
    const marl_vec3 *reading = lab_reading(s, sensors[which]);
    const double x[3] = {(double)reading->x, (double)reading->y, (double)reading->z}, *m = v->mean;
    const double cross[3][3] = {{0, -m[2], m[1]}, {m[2], 0, -m[0]}, {-m[1], m[0], 0}};
    for (int j = 0; j < 3; j++) {
        double row[LAB_BLOCK_FIT_MAX] = {0};
        for (int k = 0; k < 3; k++) {
            row[k] = cross[j][k] * time / v->deviation;
        }
        row[OFFSETS + 3 * which + j] = 1 / v->deviation;
        lab_block_fit_add(fit, s->t_ns, row, (x[j] - m[j]) / v->deviation);
    }
}

static void add_readings(const marl_log *log, marl_span span, const vector v[VECTORS], lab_block_fit *fit)
{
    int64_t middle = span.from_ns + (span.to_ns - span.from_ns) / 2;
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        for (int which = 0; which < VECTORS; which++) {
            if (v[which].seen && is_in(s, span, sensors[which])) {
                add_reading(s, which, &v[which], 1e-9 * (double)(s->t_ns - middle), fit);
            }
        }
    }
    for (int u = 0; u < UNKNOWNS; u++) {
        double row[LAB_BLOCK_FIT_MAX] = {0};
        row[u] = u < 3 ? 1 / PRIOR : v[(u - 3) / 3].seen ? 0 : 1;
        lab_block_fit_add(fit, span.to_ns, row, 0);
    }
}

lab_still_turn lab_still_turn_of(const marl_log *log, marl_span span)
{
    lab_still_turn turn = {{0, 0, 0}, {0, 0, 0}};
    const vector v[VECTORS] = {mean_vector(log, span, sensors[0]), mean_vector(log, span, sensors[1])};
    double step[LAB_BLOCK_FIT_MAX], covariance[LAB_BLOCK_FIT_MAX * LAB_BLOCK_FIT_MAX];
    lab_block_fit fit;
    if (!v[0].seen && !v[1].seen) {
        return turn;
    }
    lab_block_fit_init(&fit, UNKNOWNS, (span.to_ns - span.from_ns) / BLOCKS + 1);
    add_readings(log, span, v, &fit);
    if (lab_block_fit_solve(&fit, step, covariance)) {
        const double few = (double)BLOCKS / (BLOCKS - UNKNOWNS); /* unknowns that the blocks paid for */
        for (int k = 0; k < 3; k++) {
            double variance = few * covariance[k * UNKNOWNS + k];
            turn.rate[k] = step[k];
            turn.sigma[k] = variance > 0 ? sqrt(variance) : 0;
        }
    }
    return turn;
}
