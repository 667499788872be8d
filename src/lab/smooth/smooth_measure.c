/* SPDX-License-Identifier: MIT
 * What is measured at a knot, and what all knots give for the constants. */
#include "lab/maths/linear.h"
#include "lab/smooth/smooth_model.h"
#include <lapacke.h>
#include <math.h>
#include <string.h>

#define ACCEL_NOISE 0.002    /* sigma_a, m/s^2 */
#define CORRELATION 2.0      /* tau, s: how long a disturbance lasts at least */
#define CORRELATION_MAX 10.0 /* and at most */
#define VELOCITY_WIDTH 4.0   /* k_V */
#define STILL_SPEED 0.05     /* z_s, m/s */

/* A scalar measurement: 0 = value + by_state x + by_constant p, from the present x and the p of the pass before. */
typedef struct row {
    double value, by_state[STATES], by_constant[CONSTANTS], variance;
    double share; /* of an independent measurement: 1 of white noise, less of a disturbance that lasts */
} row;

void lab_constants_begin(const lab_smoother *s, lab_constants *c)
{
    memset(c, 0, sizeof *c);
    for (int i = 0; i < CONSTANTS; i++) {
        int later = s->passes == 0 && i >= MAG_MATRIX; /* the field is not known before */
        if (s->assumed.sigma[i] > 0 && !later) {
            c->place[c->used] = i;
            c->unit[c->used++] = s->assumed.sigma[i];
        }
    }
    for (int i = 0; i < c->used; i++) { /* all are zero by the prior but the field, which is what it was */
        double before = c->place[i] == FIELD || c->place[i] == FIELD + 1 ? 0 : s->constant[c->place[i]];
        c->matrix[i * CONSTANTS + i] = 1;
        c->vector[i] = -before / c->unit[i];
        c->deviance += c->vector[i] * c->vector[i];
    }
}

int lab_constants_solve(lab_constants *c, double value[CONSTANTS])
{
    int n = c->used;
    double factor[CONSTANTS * CONSTANTS];
    for (int i = 0; i < n; i++) {
        for (int k = 0; k < n; k++) {
            factor[i * n + k] = c->matrix[(i > k ? i : k) * CONSTANTS + (i > k ? k : i)];
        }
    }
    memcpy(value, c->vector, (size_t)n * sizeof *value);
    if (!lab_solve_positive(n, factor, value)) {
        return 0;
    }
    for (int i = 0; i < n; i++) {
        c->deviance -= c->vector[i] * value[i];
        c->deviance += 2 * log(factor[i * n + i]);
    }
    /* the lower triangle by rows is the upper one by columns, for which LAPACKE takes no memory */
    if (!lab_invert_factor(n, factor) || LAPACKE_dpotrf_work(LAPACK_COL_MAJOR, 'U', n, factor, n) != 0) {
        return 0;
    }
    for (int i = 0; i < n * n; i++) {
        c->matrix[i / n * CONSTANTS + i % n] = factor[i];
    }
    return 1;
}

/* Updates states and slopes, and adds the innovation to the normal equations of the constants. */
static void measure(const row *m, lab_estimate *e, lab_constants *c)
{
    double ph[STATES] = {0}, slope[CONSTANTS], variance = m->variance, innovation = m->value;
    for (int j = 0; j < c->used; j++) {
        slope[j] = m->by_constant[c->place[j]] * c->unit[j];
    }
    for (int i = 0; i < STATES; i++) {
        for (int l = 0; l < STATES && m->by_state[i] != 0; l++) {
            ph[l] += e->p[i * STATES + l] * m->by_state[i];
        }
        for (int j = 0; j < c->used && m->by_state[i] != 0; j++) {
            slope[j] += m->by_state[i] * e->slope[i][j];
        }
    }
    for (int i = 0; i < STATES; i++) {
        variance += m->by_state[i] * ph[i];
    }
    for (int i = 0; i < STATES; i++) {
        double gain = ph[i] / variance;
        e->x[i] -= gain * innovation;
        for (int j = 0; j < c->used; j++) {
            e->slope[i][j] -= gain * slope[j];
        }
        for (int l = 0; l < STATES; l++) {
            e->p[i * STATES + l] -= gain * ph[l];
        }
    }
    for (int i = 0; i < c->used; i++) {
        double share = slope[i] / variance;
        c->vector[i] -= share * innovation;
        for (int j = 0; j <= i; j++) {
            c->matrix[i * CONSTANTS + j] += share * slope[j];
        }
    }
    c->deviance += innovation * innovation / variance + m->share * log(variance);
}

/* By bias and gyroscope matrix, since the reading comes before the knot: the row's turn is that of the reading. */
static void refer_to_reading(const lab_block_vector *v, row *m)
{
    for (int i = 0; i < 3; i++) {
        double by_turn = m->by_state[THETA + i];
        for (int j = 0; j < 3; j++) {
            m->by_state[BIAS + j] += by_turn * v->by_bias[3 * i + j];
        }
        for (int e = 0; e < 9; e++) {
            m->by_constant[GYRO_MATRIX + e] += by_turn * v->by_rate[i][e];
        }
    }
}

/* The value at the present states: bias as a difference to what the nominal motion used. */
static void add_states(const lab_estimate *e, const double bias[3], row *m)
{
    for (int i = 0; i < STATES; i++) {
        double used = i >= BIAS && i < VELOCITY ? bias[i - BIAS] : 0;
        m->value += m->by_state[i] * (e->x[i] - used);
    }
}

double lab_smooth_force_by(const lab_knot *k, int place, int axis)
{
    if (place >= ACCEL && place < FIELD) {
        return k->force.turn[3 * axis + place - ACCEL];
    }
    if (place >= ARM && place < ACCEL_DELAY) {
        return k->arm[3 * axis + place - ARM];
    }
    if (place == ACCEL_DELAY) {
        return k->force.by_delay[axis];
    }
    return place >= ACCEL_MATRIX && place < MAG_MATRIX ? k->force.matrix[axis][place - ACCEL_MATRIX] : 0;
}

/* How long the accelerations last whose speed is known: a wave of frequency w has V / A = 1 / w^2. */
static double time_of_motion(const lab_knot *k)
{
    double lasts = k->motion > 0 ? sqrt(k->speed / k->motion) : 0;
    return fmax(CORRELATION, fmin(lasts, CORRELATION_MAX));
}

/* 0 = f + g (theta_y, -theta_x, 0), where f is without gravity and constants. The vertical force shows constants alone;
 * it counts from the second pass on. */
static void measure_force(const lab_smoother *s, const double bias[3], const lab_knot *k, lab_estimate *e,
                          lab_constants *c)
{
    double force[3];
    lab_smooth_force(s, k, force);
    for (int i = 0; i < (s->passes > 0 ? 3 : 2); i++) {
        row m = {.value = force[i], .share = k->length / (2 * CORRELATION)};
        m.variance = i < 2 ? 2 * time_of_motion(k) / k->length * (ACCEL_NOISE * ACCEL_NOISE + 0.5 * k->motion)
                           : 2 * CORRELATION / k->length * (ACCEL_NOISE * ACCEL_NOISE + k->vertical);
        m.variance += k->coarse[MARL_ACCEL] / k->length;
        if (i < 2) {
            m.by_state[THETA + 1 - i] = i == 0 ? MARL_STANDARD_GRAVITY : -MARL_STANDARD_GRAVITY;
        }
        for (int place = ACCEL; place < MAG_MATRIX; place++) {
            m.by_constant[place] = -lab_smooth_force_by(k, place, i);
        }
        refer_to_reading(&k->force, &m);
        add_states(e, bias, &m);
        measure(&m, e, c);
    }
}

static void measure_velocity(const lab_knot *k, lab_estimate *e, lab_constants *c)
{
    for (int i = 0; i < 2; i++) {
        row m = {.value = e->x[VELOCITY + i], .share = k->length / (k->still ? 1.0 : 2 * CORRELATION)};
        m.by_state[VELOCITY + i] = 1;
        m.variance = k->still ? STILL_SPEED * STILL_SPEED / k->length
                              : 2 * CORRELATION / k->length *
                                    (LAB_SPEED_NOISE * LAB_SPEED_NOISE + VELOCITY_WIDTH * k->speed);
        measure(&m, e, c);
    }
}

/* 0 = m + theta x B - (0, B_h, B_z), where m is without constants. The factor of theta is the expected field: with
 * what was read a common turn of all sensors would seem to be visible. */
static void measure_field(const lab_smoother *s, const double bias[3], const lab_knot *k, lab_estimate *e,
                          lab_constants *c)
{
    double field[3], expected[3] = {0, s->constant[FIELD], s->constant[FIELD + 1]};
    double variance = LAB_MAG_NOISE * LAB_MAG_NOISE / k->field.n +
                      (2 * CORRELATION * k->disturbance + k->coarse[MARL_MAG]) / k->field_age;
    lab_smooth_field(s, k, field);
    const double *b = s->passes > 0 ? expected : k->field.mean; /* before, the expected field is not known */
    const double cross[3][3] = {{0, b[2], -b[1]}, {-b[2], 0, b[0]}, {b[1], -b[0], 0}};
    for (int i = 0; i < 3; i++) {
        row m = {.value = field[i] - expected[i], .variance = variance};
        m.share = (LAB_MAG_NOISE * LAB_MAG_NOISE / k->field.n + k->disturbance) / variance;
        memcpy(m.by_state + THETA, cross[i], sizeof cross[i]);
        for (int j = 0; j < 3; j++) {
            m.by_constant[MAG + j] = -k->field.turn[3 * i + j];
        }
        for (int j = 0; j < 9; j++) {
            m.by_constant[MAG_MATRIX + j] = -k->field.matrix[i][j];
        }
        m.by_constant[MAG_DELAY] = -k->field.by_delay[i];
        if (i > 0) {
            m.by_constant[FIELD + i - 1] = -1;
        }
        refer_to_reading(&k->field, &m);
        add_states(e, bias, &m);
        measure(&m, e, c);
    }
}

void lab_smooth_measure(const lab_smoother *s, const lab_knot *before, const lab_knot *k, lab_estimate *e,
                        lab_constants *c)
{
    const double *bias = before->state + BIAS;
    if (k->force.n > 0) {
        measure_force(s, bias, k, e, c);
    }
    measure_velocity(k, e, c);
    if (s->has_mag && k->field.n > 0) {
        measure_field(s, bias, k, e, c);
    }
}
