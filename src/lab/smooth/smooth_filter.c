/* SPDX-License-Identifier: MIT
 * One pass: the filter forwards, the smoother backwards. */
#include "lab/smooth/smooth_model.h"
#include <lapacke.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define ACCEL_NOISE 0.002    /* sigma_a, m/s^2 */
#define CORRELATION 2.0      /* tau, s: how long a disturbance lasts at least */
#define CORRELATION_MAX 10.0 /* and at most */
#define VELOCITY_WIDTH 4.0   /* k_V */
#define STILL_SPEED 0.05     /* z_s, m/s */
#define MAX_STILL_SPEED 3.0  /* v_s, m/s: a body that glides faster is not taken for still */
#define MAX_TURN 0.5         /* rad in one pass */

/* Per knot in the store: x+, then the lower triangle of P+. */
enum { PER_KNOT = STATES + STATES * (STATES + 1) / 2 };

static void put(const lab_estimate *e, double *store)
{
    memcpy(store, e->x, sizeof e->x);
    store += STATES;
    for (int i = 0; i < STATES; i++) {
        memcpy(store, e->p + i * STATES, (size_t)(i + 1) * sizeof *store);
        store += i + 1;
    }
}

static void get(const double *store, lab_estimate *e)
{
    memcpy(e->x, store, sizeof e->x);
    store += STATES;
    for (int i = 0; i < STATES; i++) {
        for (int j = 0; j <= i; j++) {
            e->p[i * STATES + j] = e->p[j * STATES + i] = *store++;
        }
    }
}

/* Scalar measurement h x + value = 0 with variance r, about the present x. Most of h is zero. */
static void measure(lab_estimate *e, const double h[STATES], double value, double r)
{
    double ph[STATES] = {0}, s = r;
    for (int j = 0; j < STATES; j++) {
        for (int i = 0; i < STATES && h[j] != 0; i++) {
            ph[i] += e->p[j * STATES + i] * h[j];
        }
    }
    for (int i = 0; i < STATES; i++) {
        s += h[i] * ph[i];
    }
    for (int i = 0; i < STATES; i++) {
        e->x[i] -= ph[i] / s * value;
        for (int j = 0; j < STATES; j++) {
            e->p[i * STATES + j] -= ph[i] * ph[j] / s;
        }
    }
}

/* How long the accelerations last whose speed is known: a wave of frequency w has V / A = 1 / w^2. */
static double time_of_motion(const lab_knot *k)
{
    double lasts = k->motion > 0 ? sqrt(k->speed / k->motion) : 0;
    return fmax(CORRELATION, fmin(lasts, CORRELATION_MAX));
}

static void measure_force(const lab_knot *k, lab_estimate *e)
{
    double r = 2 * time_of_motion(k) / k->length * (ACCEL_NOISE * ACCEL_NOISE + 0.5 * k->motion);
    for (int i = 0; i < 2; i++) {
        double h[STATES] = {0}, value = k->force[i];
        h[THETA + (i == 0 ? 1 : 0)] = i == 0 ? MARL_STANDARD_GRAVITY : -MARL_STANDARD_GRAVITY;
        for (int j = 0; j < 3; j++) {
            h[ACCEL + j] = -k->force_turn[3 * i + j];
        }
        for (int j = 0; j < MATRIX; j++) {
            value += h[j] * e->x[j];
        }
        measure(e, h, value, r);
    }
}

static void measure_velocity(const lab_knot *k, lab_estimate *e)
{
    double r = k->still ? STILL_SPEED * STILL_SPEED / k->length
                        : 2 * CORRELATION / k->length *
                              (LAB_SPEED_NOISE * LAB_SPEED_NOISE + VELOCITY_WIDTH * k->speed);
    for (int i = 0; i < 2; i++) {
        double h[STATES] = {0};
        h[VELOCITY + i] = 1;
        measure(e, h, e->x[VELOCITY + i], r);
    }
}

/* 0 = m + theta x m - Rm h - (0, B_h, B_z). */
static void measure_field(const lab_knot *k, lab_estimate *e)
{
    double r = LAB_MAG_NOISE * LAB_MAG_NOISE / k->fields + 2 * CORRELATION / k->field_age * k->disturbance;
    const double *m = k->field;
    const double cross[3][3] = {{0, m[2], -m[1]}, {-m[2], 0, m[0]}, {m[1], -m[0], 0}};
    for (int i = 0; i < 3; i++) {
        double h[STATES] = {0}, value = m[i];
        for (int j = 0; j < 3; j++) {
            h[THETA + j] = cross[i][j];
            h[MAG + j] = -k->field_turn[3 * i + j];
        }
        if (i > 0) {
            h[FIELD + i - 1] = -1;
        }
        for (int j = 0; j < MATRIX; j++) {
            value += h[j] * e->x[j];
        }
        measure(e, h, value, r);
    }
}

static void forward(lab_smoother *s)
{
    lab_estimate e;
    double f[SQUARE], age = 0;
    lab_smooth_begin(s, &e);
    for (size_t i = 0; i < s->knots; i++) {
        lab_knot *k = &s->knot[i];
        if (i > 0) {
            lab_smooth_transition(k, f);
            lab_smooth_predict(&s->knot[i - 1], k, f, &e);
        }
        age += k->length;
        if (i > 0 && !k->gap) {
            if (k->forces > 0) {
                measure_force(k, &e);
            }
            measure_velocity(k, &e);
            if (s->has_mag && k->fields > 0) {
                k->field_age = age;
                measure_field(k, &e);
                age = 0;
            }
        }
        put(&e, s->store + i * PER_KNOT);
    }
}

/* Rows of the gain G = P+ F' (P-)^-1 of the states that change; those of constants are unit rows, since what
 * they are at the next knot they are here. Solves P- G' = F P+. Returns 0 when P- is not positive definite.
 */
static int find_gain(const double f[SQUARE], const double after[SQUARE], const double predicted[SQUARE],
                     double gain[CHANGING * STATES])
{
    static const int row[] = {THETA, THETA + 1, THETA + 2, VELOCITY, VELOCITY + 1};
    double p[SQUARE];
    memcpy(gain, after, CHANGING * STATES * sizeof *gain);
    for (int i = 0; i < CHANGING; i++) {
        for (int r = 0; r < 5; r++) {
            double sum = 0;
            for (int l = 0; l < STATES; l++) {
                sum += f[row[r] * STATES + l] * after[i * STATES + l];
            }
            gain[i * STATES + row[r]] = sum;
        }
    }
    memcpy(p, predicted, sizeof p);
    return LAPACKE_dposv_work(LAPACK_COL_MAJOR, 'L', STATES, CHANGING, p, STATES, gain, STATES) == 0;
}

/* The estimate at knot k + 1 becomes that at knot k, from the filter's there (after) and its prediction of k
 * + 1. */
static void step_back(const lab_estimate *after, const lab_estimate *predicted,
                      const double gain[CHANGING * STATES], lab_estimate *e)
{
    double d[STATES], change[SQUARE], half[STATES];
    for (int i = 0; i < STATES; i++) {
        d[i] = e->x[i] - predicted->x[i];
    }
    for (int i = 0; i < SQUARE; i++) {
        change[i] = e->p[i] - predicted->p[i];
    }
    for (int i = 0; i < CHANGING; i++) {
        const double *g = gain + i * STATES;
        e->x[i] = after->x[i];
        memset(half, 0, sizeof half);
        for (int l = 0; l < STATES; l++) {
            e->x[i] += g[l] * d[l];
            for (int j = 0; j < STATES; j++) {
                half[j] += g[l] * change[l * STATES + j];
            }
        }
        for (int j = 0; j <= i; j++) {
            double sum = after->p[i * STATES + j];
            for (int l = 0; l < STATES; l++) {
                sum += half[l] * gain[j * STATES + l];
            }
            e->p[i * STATES + j] = e->p[j * STATES + i] = sum;
        }
        for (int j = CHANGING; j < STATES; j++) {
            e->p[i * STATES + j] = e->p[j * STATES + i] = after->p[i * STATES + j] + half[j];
        }
    }
}

static void keep(lab_knot *k, const lab_estimate *e)
{
    static const int row[6] = {0, 1, 2, 0, 0, 1}, column[6] = {0, 1, 2, 1, 2, 2};
    memcpy(k->state, e->x, sizeof k->state);
    for (int i = 0; i < 6; i++) {
        k->covariance[i] = e->p[row[i] * STATES + column[i]];
    }
    for (int i = 0; i < 3; i++) {
        k->covariance[6 + i] = e->p[(BIAS + i) * DIAGONAL];
    }
    const double *v = e->x + VELOCITY;
    k->moves_fast = v[0] * v[0] + v[1] * v[1] + e->p[VELOCITY * DIAGONAL] + e->p[(VELOCITY + 1) * DIAGONAL] >
                    MAX_STILL_SPEED * MAX_STILL_SPEED;
}

static marl_status backward(lab_smoother *s, marl_error *error)
{
    lab_estimate e, after, predicted;
    double f[SQUARE], gain[CHANGING * STATES];
    get(s->store + (s->knots - 1) * PER_KNOT, &e);
    for (int i = 0; i < STATES; i++) {
        s->last_covariance[i] = e.p[i * DIAGONAL];
    }
    for (size_t i = s->knots - 1; i-- > 0;) {
        get(s->store + i * PER_KNOT, &after);
        predicted = after;
        lab_smooth_transition(&s->knot[i + 1], f);
        lab_smooth_predict(&s->knot[i], &s->knot[i + 1], f, &predicted);
        keep(&s->knot[i + 1], &e);
        if (!find_gain(f, after.p, predicted.p, gain)) {
            return marl_fail(error, MARL_ERR_INSUFFICIENT, "the attitude is not determined at %.2f s",
                             1e-9 * (double)s->knot[i].t_ns);
        }
        step_back(&after, &predicted, gain, &e);
    }
    keep(&s->knot[0], &e);
    return MARL_OK;
}

static void apply(lab_smoother *s)
{
    for (size_t i = 0; i < s->knots; i++) {
        lab_knot *k = &s->knot[i];
        double *t = k->state + THETA, angle = sqrt(t[0] * t[0] + t[1] * t[1] + t[2] * t[2]);
        double share = angle > MAX_TURN ? MAX_TURN / angle : 1;
        const double turn[3] = {share * t[0], share * t[1], share * t[2]};
        lab_turn_world(turn, k->q);
        t[0] = t[1] = t[2] = 0;
    }
}

marl_status lab_smooth_filter(lab_smoother *s, marl_error *error)
{
    size_t size = s->knots * PER_KNOT * sizeof *s->store;
    if (s->store == NULL) {
        s->store = malloc(size);
    }
    if (s->store == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory for %zu MB", size >> 20);
    }
    forward(s);
    marl_status status = backward(s, error);
    if (status == MARL_OK) {
        apply(s);
    }
    return status;
}
