/* SPDX-License-Identifier: MIT
 * One pass: the filter forwards, the smoother backwards. */
#include "lab/smooth/smooth_parts.h"
#include <lapacke.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define GYRO_NOISE 1.5e-4   /* n_g, rad/s/sqrt(Hz) */
#define GYRO_SCALE 5e-4     /* s_g, what calibration left of the scale, 1 */
#define BIAS_WALK 5e-6      /* n_b, rad/s/sqrt(s) */
#define BIAS_START 0.01     /* b0, rad/s */
#define TURN_START 0.5      /* theta0, rad */
#define HEADING_START 1e-4  /* the same of a relative heading, which is exact at the start */
#define ACCEL_NOISE 0.002   /* sigma_a, m/s^2 */
#define SPEED_NOISE 0.6     /* sigma_v, m/s */
#define FIELD_START 5.0     /* uT */
#define CORRELATION 2.0     /* tau, s: how long a disturbance lasts */
#define VELOCITY_LEAK 100.0 /* T_v, s */
#define VELOCITY_WIDTH 4.0  /* k_V */
#define VELOCITY_NOISE 1e-4 /* m^2/s^3 */
#define STILL_SPEED 0.05    /* z_s, m/s */
#define MAX_STILL_SPEED 3.0 /* v_s, m/s: a body that glides faster is not taken for still */
#define MAX_TURN 0.5        /* rad in one pass */
#define PI 3.14159265358979323846

/* Per knot in the store: x- and P-, then x+ and P+. */
enum { SQUARE = STATES * STATES, HALF = STATES + SQUARE, PER_KNOT = 2 * HALF };

typedef struct estimate {
    double x[STATES], p[SQUARE];
} estimate;

static void start(const lab_smoother *s, estimate *e)
{
    const lab_knot *k = &s->knot[0];
    double sigma[STATES];
    memset(e, 0, sizeof *e);
    for (int i = 0; i < 3; i++) {
        sigma[THETA + i] = TURN_START;
        sigma[BIAS + i] = BIAS_START;
        sigma[MAG + i] = s->mag_prior;
        sigma[ACCEL + i] = s->accel_prior;
    }
    sigma[THETA + 2] = s->has_mag ? TURN_START : HEADING_START;
    sigma[VELOCITY] = sigma[VELOCITY + 1] = sqrt(SPEED_NOISE * SPEED_NOISE + 0.5 * k->speed);
    sigma[FIELD] = sigma[FIELD + 1] = FIELD_START;
    e->x[FIELD] = k->state[FIELD];
    e->x[FIELD + 1] = k->state[FIELD + 1];
    for (int i = 0; i < STATES; i++) {
        e->p[i * STATES + i] = sigma[i] * sigma[i];
    }
}

/* The transition to knot k: identity but for the turn and the velocity. */
static void transition(const lab_knot *k, double f[SQUARE])
{
    memset(f, 0, SQUARE * sizeof *f);
    for (int i = 0; i < STATES; i++) {
        f[i * STATES + i] = 1;
    }
    for (int i = 0; i < 3; i++) {
        for (int j = 0; j < 3; j++) {
            f[(THETA + i) * STATES + BIAS + j] = -k->turn[3 * i + j] * k->length;
        }
    }
    for (int i = 0; i < 2; i++) {
        f[(VELOCITY + i) * STATES + VELOCITY + i] = k->gap ? 0 : 1 - k->length / VELOCITY_LEAK;
        for (int j = 0; j < 3 && !k->gap; j++) {
            f[(VELOCITY + i) * STATES + ACCEL + j] = -k->force_turn[3 * i + j] * k->length;
        }
    }
    if (!k->gap) {
        f[VELOCITY * STATES + THETA + 1] = MARL_STANDARD_GRAVITY * k->length;
        f[(VELOCITY + 1) * STATES + THETA] = -MARL_STANDARD_GRAVITY * k->length;
    }
}

/* p := f p f'. Rows of f other than those of turn and velocity are unit rows. */
static void propagate(const double f[SQUARE], double p[SQUARE])
{
    static const int row[] = {THETA, THETA + 1, THETA + 2, VELOCITY, VELOCITY + 1};
    double left[SQUARE];
    memcpy(left, p, sizeof left);
    for (int r = 0; r < 5; r++) {
        for (int j = 0; j < STATES; j++) {
            double sum = 0;
            for (int i = 0; i < STATES; i++) {
                sum += f[row[r] * STATES + i] * p[i * STATES + j];
            }
            left[row[r] * STATES + j] = sum;
        }
    }
    memcpy(p, left, sizeof left);
    for (int r = 0; r < 5; r++) {
        for (int j = 0; j < STATES; j++) {
            double sum = 0;
            for (int i = 0; i < STATES; i++) {
                sum += left[j * STATES + i] * f[row[r] * STATES + i];
            }
            p[j * STATES + row[r]] = sum;
        }
    }
}

static void predict(const lab_knot *before, const lab_knot *k, const double f[SQUARE], estimate *e)
{
    double x[STATES];
    memcpy(x, e->x, sizeof x);
    for (int i = 0; i < 3; i++) {
        for (int j = 0; j < 3; j++) {
            x[THETA + i] -= k->turn[3 * i + j] * k->length * (e->x[BIAS + j] - before->state[BIAS + j]);
        }
        x[THETA + i] += k->delta[i];
    }
    for (int i = 0; i < 2; i++) {
        double force = k->force[i] + MARL_STANDARD_GRAVITY * (i == 0 ? e->x[THETA + 1] : -e->x[THETA]);
        for (int j = 0; j < 3; j++) {
            force -= k->force_turn[3 * i + j] * e->x[ACCEL + j];
        }
        x[VELOCITY + i] = k->gap ? 0
                                 : (1 - k->length / VELOCITY_LEAK) * e->x[VELOCITY + i] +
                                       (k->forces > 0 ? k->length * force : 0);
    }
    memcpy(e->x, x, sizeof x);
    propagate(f, e->p);
    double turn2 = (GYRO_NOISE * GYRO_NOISE + 2 * PI * GYRO_SCALE * GYRO_SCALE * sqrt(k->rate2)) * k->length;
    for (int i = 0; i < 3; i++) {
        e->p[(THETA + i) * (STATES + 1)] += turn2 + (k->gap ? k->gap_turn2 : 0);
        e->p[(BIAS + i) * (STATES + 1)] += BIAS_WALK * BIAS_WALK * k->length;
    }
    for (int i = 0; i < 2; i++) {
        e->p[(VELOCITY + i) * (STATES + 1)] +=
            k->gap ? SPEED_NOISE * SPEED_NOISE + 0.5 * k->speed : VELOCITY_NOISE * k->length;
    }
}

/* Scalar measurement h x + offset = 0 with variance r. */
static void measure(estimate *e, const double h[STATES], double value, double r)
{
    double ph[STATES], s = r;
    for (int i = 0; i < STATES; i++) {
        ph[i] = 0;
        for (int j = 0; j < STATES; j++) {
            ph[i] += e->p[i * STATES + j] * h[j];
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

static void measure_force(const lab_knot *k, estimate *e)
{
    double r = 2 * CORRELATION / k->length * (ACCEL_NOISE * ACCEL_NOISE + 0.5 * k->motion);
    for (int i = 0; i < 2; i++) {
        double h[STATES] = {0}, value = k->force[i];
        h[THETA + (i == 0 ? 1 : 0)] = i == 0 ? MARL_STANDARD_GRAVITY : -MARL_STANDARD_GRAVITY;
        for (int j = 0; j < 3; j++) {
            h[ACCEL + j] = -k->force_turn[3 * i + j];
        }
        for (int j = 0; j < STATES; j++) {
            value += h[j] * e->x[j];
        }
        measure(e, h, value, r);
    }
}

static void measure_velocity(const lab_knot *k, estimate *e)
{
    double r = k->still
                   ? STILL_SPEED * STILL_SPEED / k->length
                   : 2 * CORRELATION / k->length * (SPEED_NOISE * SPEED_NOISE + VELOCITY_WIDTH * k->speed);
    for (int i = 0; i < 2; i++) {
        double h[STATES] = {0};
        h[VELOCITY + i] = 1;
        measure(e, h, e->x[VELOCITY + i], r);
    }
}

/* 0 = m + theta x m - Rm h - (0, B_h, B_z). */
static void measure_field(const lab_knot *k, estimate *e)
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
        for (int j = 0; j < STATES; j++) {
            value += h[j] * e->x[j];
        }
        measure(e, h, value, r);
    }
}

static void forward(lab_smoother *s)
{
    estimate e;
    double f[SQUARE], age = 0;
    start(s, &e);
    for (size_t i = 0; i < s->knots; i++) {
        lab_knot *k = &s->knot[i];
        double *store = s->store + i * PER_KNOT;
        if (i > 0) {
            transition(k, f);
            predict(&s->knot[i - 1], k, f, &e);
        }
        memcpy(store, e.x, sizeof e.x);
        memcpy(store + STATES, e.p, sizeof e.p);
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
        memcpy(store + HALF, e.x, sizeof e.x);
        memcpy(store + HALF + STATES, e.p, sizeof e.p);
    }
}

/* The gain P+ F' (P-)^-1, transposed: solves P- G' = F P+. Returns 0 when P- is not positive definite. */
static int find_gain(const double f[SQUARE], const double *after, const double *predicted,
                     double gain[SQUARE])
{
    double p[SQUARE];
    for (int i = 0; i < STATES; i++) {
        for (int j = 0; j < STATES; j++) { /* F P+, by columns for LAPACK */
            double sum = 0;
            for (int l = 0; l < STATES; l++) {
                sum += f[i * STATES + l] * after[l * STATES + j];
            }
            gain[j * STATES + i] = sum;
        }
    }
    memcpy(p, predicted, sizeof p);
    return LAPACKE_dposv_work(LAPACK_COL_MAJOR, 'L', STATES, STATES, p, STATES, gain, STATES) == 0;
}

/* x and p are those of knot k + 1; they become those of knot k. `gain` row i is state i. */
static void step_back(const double *store, const double *next, const double gain[SQUARE], double x[STATES],
                      double p[SQUARE])
{
    double d[STATES], change[SQUARE], half[SQUARE];
    for (int i = 0; i < STATES; i++) {
        d[i] = x[i] - next[i];
    }
    for (int i = 0; i < SQUARE; i++) {
        change[i] = p[i] - next[STATES + i];
    }
    for (int i = 0; i < STATES; i++) {
        x[i] = store[HALF + i];
        for (int j = 0; j < STATES; j++) {
            x[i] += gain[i * STATES + j] * d[j];
            double sum = 0;
            for (int l = 0; l < STATES; l++) {
                sum += gain[i * STATES + l] * change[l * STATES + j];
            }
            half[i * STATES + j] = sum;
        }
    }
    for (int i = 0; i < STATES; i++) {
        for (int j = 0; j <= i; j++) {
            double sum = store[HALF + STATES + i * STATES + j];
            for (int l = 0; l < STATES; l++) {
                sum += half[i * STATES + l] * gain[j * STATES + l];
            }
            p[i * STATES + j] = p[j * STATES + i] = sum;
        }
    }
}

static void keep(lab_knot *k, const double x[STATES], const double p[SQUARE])
{
    static const int row[6] = {0, 1, 2, 0, 0, 1}, column[6] = {0, 1, 2, 1, 2, 2};
    memcpy(k->state, x, sizeof k->state);
    for (int i = 0; i < 6; i++) {
        k->covariance[i] = p[row[i] * STATES + column[i]];
    }
    for (int i = 0; i < 3; i++) {
        k->covariance[6 + i] = p[(BIAS + i) * (STATES + 1)];
    }
    double speed2 = x[VELOCITY] * x[VELOCITY] + x[VELOCITY + 1] * x[VELOCITY + 1];
    k->moves_fast = speed2 + p[VELOCITY * (STATES + 1)] + p[(VELOCITY + 1) * (STATES + 1)] >
                    MAX_STILL_SPEED * MAX_STILL_SPEED;
}

static marl_status backward(lab_smoother *s, marl_error *error)
{
    double x[STATES], p[SQUARE], f[SQUARE], gain[SQUARE];
    const double *last = s->store + (s->knots - 1) * PER_KNOT + HALF;
    memcpy(x, last, sizeof x);
    memcpy(p, last + STATES, sizeof p);
    keep(&s->knot[s->knots - 1], x, p);
    for (int i = 0; i < STATES; i++) {
        s->last_covariance[i] = p[i * (STATES + 1)];
    }
    for (size_t i = s->knots - 1; i-- > 0;) {
        const double *store = s->store + i * PER_KNOT, *next = store + PER_KNOT;
        transition(&s->knot[i + 1], f);
        if (!find_gain(f, store + HALF + STATES, next + STATES, gain)) {
            return marl_fail(error, MARL_ERR_INSUFFICIENT, "the attitude is not determined at %.2f s",
                             1e-9 * (double)s->knot[i].t_ns);
        }
        step_back(store, next, gain, x, p);
        keep(&s->knot[i], x, p);
    }
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
    if (s->store == NULL) {
        s->store = malloc(s->knots * PER_KNOT * sizeof *s->store);
    }
    if (s->store == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory for %zu MB",
                         s->knots * PER_KNOT * sizeof *s->store >> 20);
    }
    forward(s);
    marl_status status = backward(s, error);
    if (status == MARL_OK) {
        apply(s);
    }
    return status;
}
