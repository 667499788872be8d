/* SPDX-License-Identifier: MIT
 * Slow turns within a still span. The stillness detector compares neighbouring half seconds only, so that a
 * steady turn of some tenths of a degree a second passes it: here the whole span is compared. */
#include "lab/inspect/span_turn.h"
#include "lab/log/reading.h"
#include "lab/maths/statistics.h"
#include <math.h>

#define SLOW_NOISE 3.0 /* times the standard error of white noise */
#define SIGNIFICANT 4.0
#define MAX_ACCEL_ANGLE                                                                                      \
    (0.3 * MARL_DEGREE)                   /* a bias of 5 mg that changes by its own size with temperature    \
                                           */
#define MAX_MAG_ANGLE (0.6 * MARL_DEGREE) /* half a microtesla */
#define MAX_RATE (0.003 * MARL_DEGREE)    /* per s: less hardly matters to a bias */
enum { PARTS = 8, MIN_READINGS = 8 };

typedef struct part {
    lab_moments axis[3];
} part;

static void add_readings(const marl_log *log, marl_span span, marl_sensor sensor, part *parts)
{
    double length = (double)(span.to_ns - span.from_ns) + 1;
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (s->t_ns < span.from_ns || s->t_ns > span.to_ns || !(s->fresh & (1u << sensor))) {
            continue;
        }
        const marl_vec3 *v = lab_reading(s, sensor);
        part *to = &parts[(int)(PARTS * (double)(s->t_ns - span.from_ns) / length)];
        lab_moments_add_vector(to->axis, *v);
    }
}

/* Angle of the change from one part to another, and the square of its standard error. */
static double change_between(const part *a, const part *b, double *variance)
{
    double square = 0, length = 0, noise = 0;
    for (int k = 0; k < 3; k++) {
        double deviation = lab_moments_deviation(&b->axis[k]);
        square += pow(b->axis[k].mean - a->axis[k].mean, 2);
        length += pow(a->axis[k].mean, 2);
        noise += deviation * deviation * (1 / (double)a->axis[k].n + 1 / (double)b->axis[k].n);
    }
    *variance = length > 0 ? noise / length : 0;
    return length > 0 ? sqrt(square / length) : 0;
}

lab_span_turn lab_span_turn_of(const marl_log *log, marl_span span, marl_sensor sensor)
{
    part parts[PARTS] = {{{{0}}}};
    lab_span_turn turn = {0};
    double seconds = 1e-9 * (double)(span.to_ns - span.from_ns);
    add_readings(log, span, sensor, parts);
    for (int i = 1; i < PARTS && parts[0].axis[0].n >= MIN_READINGS; i++) {
        double variance;
        if (parts[i].axis[0].n < MIN_READINGS) {
            continue;
        }
        double angle = change_between(&parts[0], &parts[i], &variance);
        if (!turn.seen || angle > turn.angle) {
            turn = (lab_span_turn){.seen = 1,
                                   .angle = angle,
                                   .sigma = SLOW_NOISE * sqrt(variance),
                                   .from_s = seconds * i / PARTS};
        }
    }
    turn.rate = turn.seen && turn.angle > SIGNIFICANT * turn.sigma ? turn.angle / turn.from_s : 0;
    return turn;
}

int lab_span_turn_is_motion(const lab_span_turn *turn, marl_sensor sensor)
{
    return turn->rate > MAX_RATE && turn->angle > (sensor == MARL_ACCEL ? MAX_ACCEL_ANGLE : MAX_MAG_ANGLE);
}

marl_status lab_span_turn_check(const marl_log *log, marl_span span, unsigned *seen, marl_error *error)
{
    static const marl_sensor sensors[] = {MARL_ACCEL, MARL_MAG};
    for (int i = 0; i < 2; i++) {
        lab_span_turn turn = lab_span_turn_of(log, span, sensors[i]);
        if (lab_span_turn_is_motion(&turn, sensors[i])) {
            return marl_fail(
                error, MARL_ERR_INSUFFICIENT,
                "%s: the %s turns by %.2g degrees within %.0f s of rest: the board turned slowly", log->path,
                sensors[i] == MARL_ACCEL ? "accelerometer" : "magnetometer", turn.angle / MARL_DEGREE,
                turn.from_s);
        }
        if (seen != NULL && turn.seen) {
            *seen |= 1u << sensors[i];
        }
    }
    return MARL_OK;
}
