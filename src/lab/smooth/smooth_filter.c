/* SPDX-License-Identifier: MIT
 * One pass: the filter forwards, the smoother backwards. */
#include "lab/maths/linear.h"
#include "lab/maths/statistics.h"
#include "lab/smooth/smooth_model.h"
#include <lapacke.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define MAX_STILL_SPEED 3.0 /* v_s, m/s: a body that glides faster is not taken for still */
#define MAX_TURN 0.5        /* rad in one pass */

/* Per knot in the store: x+, the lower triangle of P+. The slopes, most of it, stand for themselves in less room. */
enum { HEAD = STATES + STATES * (STATES + 1) / 2 };

static void put(const lab_estimate *e, const lab_constants *c, size_t knot, lab_smoother *s)
{
    double *store = s->store + knot * HEAD;
    float *slope = s->slopes + knot * STATES * (size_t)c->used;
    memcpy(store, e->x, sizeof e->x);
    store += STATES;
    for (int i = 0; i < STATES; i++) {
        memcpy(store, e->p + i * STATES, (size_t)(i + 1) * sizeof *store);
        store += i + 1;
        for (int j = 0; j < c->used; j++) {
            *slope++ = (float)e->slope[i][j];
        }
    }
}

static void get(const lab_smoother *s, const lab_constants *c, size_t knot, lab_estimate *e)
{
    const double *store = s->store + knot * HEAD;
    const float *slope = s->slopes + knot * STATES * (size_t)c->used;
    memcpy(e->x, store, sizeof e->x);
    store += STATES;
    for (int i = 0; i < STATES; i++) {
        for (int j = 0; j <= i; j++) {
            e->p[i * STATES + j] = e->p[j * STATES + i] = *store++;
        }
        for (int j = 0; j < c->used; j++) {
            e->slope[i][j] = (double)*slope++;
        }
    }
}

static void forward(lab_smoother *s, lab_constants *c)
{
    lab_estimate e;
    double f[SQUARE], age = 0;
    lab_smooth_begin(s, &e);
    for (size_t i = 0; i < s->knots; i++) {
        lab_knot *k = &s->knot[i];
        if (i > 0) {
            lab_smooth_transition(k, f);
            lab_smooth_predict(s, c, &s->knot[i - 1], k, f, &e);
        }
        age += k->length;
        if (i > 0 && !k->gap) {
            k->field_age = age;
            lab_smooth_measure(s, &s->knot[i - 1], k, &e, c);
            age = k->field.n > 0 ? 0 : age;
        }
        put(&e, c, i, s);
    }
}

/* The gain G = P+ F' (P-)^-1, by rows, from P- G' = F P+. 0 when P- is not positive definite. */
static int find_gain(const double f[SQUARE], const double after[SQUARE], const double predicted[SQUARE],
                     double gain[SQUARE])
{
    double p[SQUARE];
    for (int i = 0; i < STATES; i++) {
        for (int r = 0; r < STATES; r++) {
            double sum = 0;
            for (int l = 0; l < STATES; l++) {
                sum += f[r * STATES + l] * after[i * STATES + l];
            }
            gain[i * STATES + r] = sum;
        }
    }
    memcpy(p, predicted, sizeof p);
    return LAPACKE_dposv_work(LAPACK_COL_MAJOR, 'L', STATES, STATES, p, STATES, gain, STATES) == 0;
}

static void step_back_covariance(const lab_estimate *after, const lab_estimate *predicted,
                                 const double gain[SQUARE], lab_estimate *e)
{
    double change[SQUARE], half[STATES];
    for (int i = 0; i < SQUARE; i++) {
        change[i] = e->p[i] - predicted->p[i];
    }
    for (int i = 0; i < STATES; i++) {
        memset(half, 0, sizeof half);
        for (int l = 0; l < STATES; l++) {
            for (int j = 0; j < STATES; j++) {
                half[j] += gain[i * STATES + l] * change[l * STATES + j];
            }
        }
        for (int j = 0; j <= i; j++) {
            double sum = after->p[i * STATES + j];
            for (int l = 0; l < STATES; l++) {
                sum += half[l] * gain[j * STATES + l];
            }
            e->p[i * STATES + j] = e->p[j * STATES + i] = sum;
        }
    }
}

/* The estimate at knot k + 1 becomes that at knot k, from the filter's there (after) and its prediction of k
 * + 1. */
static void step_back(const lab_constants *c, const lab_estimate *after, const lab_estimate *predicted,
                      const double gain[SQUARE], lab_estimate *e)
{
    double d[STATES], slope[STATES][CONSTANTS];
    for (int i = 0; i < STATES; i++) {
        d[i] = e->x[i] - predicted->x[i];
        for (int j = 0; j < c->used; j++) {
            slope[i][j] = e->slope[i][j] - predicted->slope[i][j];
        }
    }
    for (int i = 0; i < STATES; i++) {
        e->x[i] = after->x[i];
        memcpy(e->slope[i], after->slope[i], sizeof e->slope[i]);
        for (int l = 0; l < STATES; l++) {
            double g = gain[i * STATES + l];
            e->x[i] += g * d[l];
            for (int j = 0; j < c->used; j++) {
                e->slope[i][j] += g * slope[l][j];
            }
        }
    }
    step_back_covariance(after, predicted, gain, e);
}

/* The constants' share of the covariance of states a and b is share[a] share[b]': the slopes times L. */
static void find_shares(const lab_constants *c, const lab_estimate *e, double share[STATES][CONSTANTS])
{
    for (int a = 0; a < STATES; a++) {
        memset(share[a], 0, sizeof share[a]);
        for (int i = 0; i < c->used; i++) {
            for (int j = 0; j <= i; j++) {
                share[a][j] += e->slope[a][i] * c->matrix[i * CONSTANTS + j];
            }
        }
    }
}

static double covariance(const lab_constants *c, const lab_estimate *e, double share[STATES][CONSTANTS],
                         int a, int b)
{
    double sum = e->p[a * STATES + b];
    for (int j = 0; j < c->used; j++) {
        sum += share[a][j] * share[b][j];
    }
    return sum;
}

/* The smoothed knot: `value` are the constants' deviations from the pass before. */
static void keep(const lab_constants *c, const double value[CONSTANTS], const lab_estimate *e,
                 lab_smoother *s, lab_knot *k)
{
    static const int row[6] = {0, 1, 2, 0, 0, 1}, column[6] = {0, 1, 2, 1, 2, 2};
    double share[STATES][CONSTANTS];
    find_shares(c, e, share);
    for (int i = 0; i < STATES; i++) {
        k->state[i] = e->x[i];
        for (int j = 0; j < c->used; j++) {
            k->state[i] += e->slope[i][j] * value[j];
        }
    }
    for (int i = 0; i < 6; i++) {
        k->covariance[i] = covariance(c, e, share, row[i], column[i]);
    }
    for (int i = 0; i < 3; i++) {
        k->covariance[6 + i] = covariance(c, e, share, BIAS + i, BIAS + i);
    }
    const double *v = k->state + VELOCITY, *t = k->state + THETA, *p = k->covariance;
    double speed2 = v[0] * v[0] + v[1] * v[1] + covariance(c, e, share, VELOCITY, VELOCITY) +
                    covariance(c, e, share, VELOCITY + 1, VELOCITY + 1);
    k->moves_fast = speed2 > MAX_STILL_SPEED * MAX_STILL_SPEED;
    s->change += (t[0] * t[0] + t[1] * t[1] + t[2] * t[2]) / (p[0] + p[1] + p[2]) / (double)s->knots;
}

static marl_status backward(lab_smoother *s, const lab_constants *c, const double value[CONSTANTS],
                            marl_error *error)
{
    lab_estimate e, after, predicted;
    double f[SQUARE], gain[SQUARE];
    get(s, c, s->knots - 1, &e);
    s->change = 0;
    for (size_t i = s->knots - 1; i-- > 0;) {
        get(s, c, i, &after);
        predicted = after;
        lab_smooth_transition(&s->knot[i + 1], f);
        lab_smooth_predict(s, c, &s->knot[i], &s->knot[i + 1], f, &predicted);
        keep(c, value, &e, s, &s->knot[i + 1]);
        if (!find_gain(f, after.p, predicted.p, gain)) {
            return marl_fail(error, MARL_ERR_INSUFFICIENT, "the attitude is not determined at %.2f s",
                             1e-9 * (double)s->knot[i].t_ns);
        }
        step_back(c, &after, &predicted, gain, &e);
    }
    keep(c, value, &e, s, &s->knot[0]);
    return MARL_OK;
}

/* North is where the field points: a field that points south means that all attitudes are turned by half a turn. */
static void face_north(lab_smoother *s)
{
    static const double half_turn[3] = {0, 0, LAB_PI};
    if (s->constant[FIELD] >= 0) {
        return;
    }
    s->constant[FIELD] = -s->constant[FIELD];
    for (size_t i = 0; i < s->knots; i++) {
        lab_turn_world(half_turn, s->knot[i].q);
        s->knot[i].state[VELOCITY] = -s->knot[i].state[VELOCITY];
        s->knot[i].state[VELOCITY + 1] = -s->knot[i].state[VELOCITY + 1];
    }
}

/* The turns become part of the attitudes, and the constants those of this pass. */
static void apply(lab_smoother *s, const lab_constants *c, const double value[CONSTANTS])
{
    for (size_t i = 0; i < s->knots; i++) {
        lab_knot *k = &s->knot[i];
        double *t = k->state + THETA, angle = sqrt(t[0] * t[0] + t[1] * t[1] + t[2] * t[2]);
        double share = angle > MAX_TURN ? MAX_TURN / angle : 1;
        const double turn[3] = {share * t[0], share * t[1], share * t[2]};
        lab_turn_world(turn, k->q);
        t[0] = t[1] = t[2] = 0;
    }
    memcpy(s->constant_sigma, s->assumed.sigma, sizeof s->constant_sigma);
    for (int i = 0; i < c->used; i++) {
        s->constant[c->place[i]] += value[i] * c->unit[i];
        double variance = 0;
        for (int j = 0; j <= i; j++) {
            variance += c->matrix[i * CONSTANTS + j] * c->matrix[i * CONSTANTS + j];
        }
        s->constant_sigma[c->place[i]] = c->unit[i] * sqrt(variance);
    }
    face_north(s);
    s->deviance = c->deviance;
    s->passes++;
}

marl_status lab_smooth_filter(lab_smoother *s, marl_error *error)
{
    lab_constants c;
    double value[CONSTANTS];
    if (s->store == NULL) {
        s->store = malloc(s->knots * HEAD * sizeof *s->store);
        s->slopes = malloc(s->knots * STATES * CONSTANTS * sizeof *s->slopes);
    }
    if (s->store == NULL || s->slopes == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory for %zu knots", s->knots);
    }
    lab_constants_begin(s, &c);
    forward(s, &c);
    if (!lab_constants_solve(&c, value)) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "the sensors' errors are not determined");
    }
    MARL_TRY(backward(s, &c, value, error));
    apply(s, &c, value);
    return MARL_OK;
}
