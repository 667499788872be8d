/* SPDX-License-Identifier: MIT
 * The nominal motion of a block, and what its readings are in the world. */
#include "lab/smooth/smooth_parts.h"
#include <math.h>
#include <string.h>

#define MAX_ARM_SPAN 0.1     /* s: over a longer one the angular acceleration is not known */
#define ARM_HALF_NS 25000000 /* before and behind a row: over a shorter span noise is most of it */

/* One row on its way: rotation and rate (body) there, and the integrals from the start of the block. */
typedef struct step {
    const marl_sample *sample;
    double turn[9], rate[3];
    double to_here[9], by_rate[3][9]; /* rotation, and rotation times rate */
} step;

static void multiply(const double a[9], const double b[9], double out[9])
{
    double m[9];
    for (int i = 0; i < 9; i++) {
        m[i] = a[i / 3 * 3] * b[i % 3] + a[i / 3 * 3 + 1] * b[3 + i % 3] + a[i / 3 * 3 + 2] * b[6 + i % 3];
    }
    memcpy(out, m, sizeof m);
}

/* sum += m v. */
static void add_turned(const double m[9], const double v[3], double sum[3])
{
    for (int i = 0; i < 3; i++) {
        sum[i] += m[3 * i] * v[0] + m[3 * i + 1] * v[1] + m[3 * i + 2] * v[2];
    }
}

/* The transposed rotation times v. */
static void to_body(const double m[9], const double v[3], double out[3])
{
    for (int i = 0; i < 3; i++) {
        out[i] = m[i] * v[0] + m[3 + i] * v[1] + m[6 + i] * v[2];
    }
}

/* sum += scale * (column i of the rotation) * v[j], for each element (i, j) of a matrix. */
static void add_matrix(const double turn[9], const double v[3], double scale, double sum[3][9])
{
    for (int r = 0; r < 3; r++) {
        for (int i = 0; i < 3; i++) {
            double share = scale * turn[3 * r + i];
            sum[r][3 * i] += share * v[0];
            sum[r][3 * i + 1] += share * v[1];
            sum[r][3 * i + 2] += share * v[2];
        }
    }
}

/* Adds a reading v, of which `expected` is expected, in the body: a second before it was that and rate x expected.
 * by_bias and by_rate sum the integrals up to here. */
static void add_reading(const step *at, marl_vec3 v, const double expected[3], lab_block_vector *to)
{
    const double read[3] = {(double)v.x, (double)v.y, (double)v.z}, *w = at->rate, *e = expected;
    const double before[3] = {w[1] * e[2] - w[2] * e[1], w[2] * e[0] - w[0] * e[2],
                              w[0] * e[1] - w[1] * e[0]};
    add_matrix(at->turn, expected, 1, to->matrix);
    add_turned(at->turn, read, to->mean);
    add_turned(at->turn, before, to->by_delay);
    for (int i = 0; i < 9; i++) {
        to->turn[i] += at->turn[i];
        to->by_bias[i] += at->to_here[i];
    }
    for (int r = 0; r < 3; r++) {
        for (int i = 0; i < 9; i++) {
            to->by_rate[r][i] += at->by_rate[r][i];
        }
    }
    to->n++;
}

/* The rows between which the rate's change about row i is taken: at least its neighbours. */
static void rows_about(const lab_smoother *s, size_t i, size_t *from, size_t *to)
{
    int64_t t_ns = s->sample[i].t_ns;
    *from = i > 0 ? i - 1 : 0;
    *to = i + 1 < s->rows ? i + 1 : i;
    while (*from > 0 && t_ns - s->sample[*from - 1].t_ns <= ARM_HALF_NS) {
        --*from;
    }
    while (*to + 1 < s->rows && s->sample[*to + 1].t_ns - t_ns <= ARM_HALF_NS) {
        ++*to;
    }
}

/* The acceleration of a point at r in the body is ([alpha]x + [w]x[w]x) r: that matrix, with alpha from the rates about
 * row i. Zeros where alpha is not known. */
static void find_point(const lab_smoother *s, size_t i, const double bias[3], double point[9])
{
    size_t from, to;
    rows_about(s, i, &from, &to);
    const marl_sample *before = &s->sample[from], *after = &s->sample[to];
    double span = 1e-9 * (double)(after->t_ns - before->t_ns), a[3], w[3], was[3];
    memset(point, 0, 9 * sizeof *point);
    if (span <= 0 || span > MAX_ARM_SPAN) {
        return;
    }
    lab_rate_at(s, from, bias, was);
    lab_rate_at(s, to, bias, a);
    lab_rate_at(s, i, bias, w);
    for (int k = 0; k < 3; k++) {
        a[k] = (a[k] - was[k]) / span;
    }
    const double x2 = w[0] * w[0], y2 = w[1] * w[1], z2 = w[2] * w[2];
    const double matrix[9] = {-y2 - z2,           w[0] * w[1] - a[2], w[0] * w[2] + a[1],
                              w[0] * w[1] + a[2], -x2 - z2,           w[1] * w[2] - a[0],
                              w[0] * w[2] - a[1], w[1] * w[2] + a[0], -x2 - y2};
    memcpy(point, matrix, sizeof matrix);
}

/* A force is expected of gravity and of the motion about the point that the arm goes to: what a matrix gets wrong of it is
 * wrong of both together, which on a rope is nothing along the level axes. */
static void add_force(const lab_smoother *s, size_t i, const step *at, const double bias[3], lab_knot *k)
{
    static const double gravity[3] = {0, 0, MARL_STANDARD_GRAVITY};
    const double *arm = s->constant + ARM;
    double point[9], turned[9], expected[3];
    find_point(s, i, bias, point);
    multiply(at->turn, point, turned);
    to_body(at->turn, gravity, expected);
    for (int r = 0; r < 3; r++) {
        expected[r] += point[3 * r] * arm[0] + point[3 * r + 1] * arm[1] + point[3 * r + 2] * arm[2];
    }
    for (int e = 0; e < 9; e++) {
        k->arm[e] += turned[e];
    }
    add_reading(at, s->sample[i].accel, expected, &k->force);
}

/* The row's step of the nominal motion q, and its share of the integrals and of the block's sums. */
static void take_step(const lab_smoother *s, size_t i, const double bias[3], double q[4], step *at,
                      lab_knot *k)
{
    double dt = lab_step_s(s, i), turned[3], force[3];
    const double *read = s->rate + 3 * i, rate[3] = {read[0] - bias[0], read[1] - bias[1], read[2] - bias[2]};
    lab_turn_into(s, i, bias, turned);
    lab_turn_body(q, turned);
    lab_matrix_of(q, at->turn);
    lab_rate_at(s, i, bias, at->rate);
    lab_force_at(s, i, force);
    add_matrix(at->turn, rate, 1, k->by_rate);
    add_matrix(at->turn, force, 1, k->by_force);
    add_matrix(at->turn, rate, dt, at->by_rate);
    for (int e = 0; e < 9; e++) {
        k->turn[e] += at->turn[e];
        at->to_here[e] += at->turn[e] * dt;
    }
}

/* Sums over the rows of a block; `at` ends at the knot. */
static void add_rows(const lab_smoother *s, lab_knot *k, const double bias[3], double q[4], step *at)
{
    const double field[3] = {0, s->constant[FIELD], s->constant[FIELD + 1]};
    for (size_t i = k->first; i <= k->last; i++) {
        at->sample = &s->sample[i];
        take_step(s, i, bias, q, at, k);
        if (at->sample->fresh & MARL_FRESH_ACCEL) {
            add_force(s, i, at, bias, k);
        }
        if (at->sample->fresh & MARL_FRESH_MAG) {
            double expected[3];
            to_body(at->turn, field, expected);
            add_reading(at, at->sample->mag, expected, &k->field);
        }
    }
}

static void scale(double *v, int n, int count)
{
    for (int i = 0; i < n; i++) {
        v[i] /= count > 0 ? count : 1;
    }
}

static void turn_columns(const double m[9], double v[3][9])
{
    for (int c = 0; c < 9; c++) {
        const double x[3] = {v[0][c], v[1][c], v[2][c]};
        for (int r = 0; r < 3; r++) {
            v[r][c] = m[3 * r] * x[0] + m[3 * r + 1] * x[1] + m[3 * r + 2] * x[2];
        }
    }
}

static void turn_vector(const double m[9], double v[3])
{
    const double x[3] = {v[0], v[1], v[2]};
    for (int r = 0; r < 3; r++) {
        v[r] = m[3 * r] * x[0] + m[3 * r + 1] * x[1] + m[3 * r + 2] * x[2];
    }
}

/* Sums become means that refer to the knot; integrals up to a reading become those from it to the knot. */
static void finish_vector(const double back[9], const step *end, lab_block_vector *v)
{
    scale(v->mean, 3, v->n);
    scale(v->by_delay, 3, v->n);
    scale(v->turn, 9, v->n);
    scale(v->by_bias, 9, v->n);
    for (int r = 0; r < 3; r++) {
        scale(v->matrix[r], 9, v->n);
        scale(v->by_rate[r], 9, v->n);
        for (int e = 0; e < 9; e++) {
            v->by_rate[r][e] = end->by_rate[r][e] - v->by_rate[r][e];
        }
    }
    for (int e = 0; e < 9; e++) {
        v->by_bias[e] = end->to_here[e] - v->by_bias[e];
    }
    turn_vector(back, v->mean);
    turn_vector(back, v->by_delay);
    multiply(back, v->turn, v->turn);
    multiply(back, v->by_bias, v->by_bias);
    turn_columns(back, v->matrix);
    turn_columns(back, v->by_rate);
}

static void clear_sums(lab_knot *k)
{
    memset(k->turn, 0, sizeof k->turn);
    memset(k->by_rate, 0, sizeof k->by_rate);
    memset(k->by_force, 0, sizeof k->by_force);
    memset(k->arm, 0, sizeof k->arm);
    memset(&k->force, 0, sizeof k->force);
    memset(&k->field, 0, sizeof k->field);
}

/* The block's motion from the knot before (NULL: none), its sums turned to refer to the knot. */
static void move_block(const lab_smoother *s, const lab_knot *before, lab_knot *k)
{
    static const double none[3] = {0};
    double q[4], back[9], identity[4] = {1, 0, 0, 0};
    step at = {0};
    int rows = (int)(k->last - k->first) + 1;
    memcpy(q, before != NULL ? before->q : k->q, sizeof q);
    clear_sums(k);
    add_rows(s, k, before != NULL ? before->state + BIAS : none, q, &at); /* the first knot is its row */
    lab_rotation_between(q, k->q, k->delta);
    const double minus[3] = {-k->delta[0], -k->delta[1], -k->delta[2]};
    lab_turn_world(minus, identity);
    lab_matrix_of(identity, back);
    scale(k->turn, 9, rows);
    multiply(back, k->turn, k->turn);
    for (int r = 0; r < 3; r++) {
        scale(k->by_rate[r], 9, rows);
        scale(k->by_force[r], 9, rows);
    }
    turn_columns(back, k->by_rate);
    turn_columns(back, k->by_force);
    scale(k->arm, 9, k->force.n);
    multiply(back, k->arm, k->arm);
    finish_vector(back, &at, &k->force);
    finish_vector(back, &at, &k->field);
}

void lab_smooth_move(lab_smoother *s)
{
    for (size_t i = 0; i < s->knots; i++) {
        move_block(s, i > 0 ? &s->knot[i - 1] : NULL, &s->knot[i]);
    }
}

/* mean - turn bias - matrix D - delay. */
static void without_constants(const lab_block_vector *v, const double *bias, const double *matrix,
                              double delay, double out[3])
{
    for (int r = 0; r < 3; r++) {
        out[r] = v->mean[r] - delay * v->by_delay[r];
        for (int i = 0; i < 3; i++) {
            out[r] -= v->turn[3 * r + i] * bias[i];
        }
        for (int e = 0; e < 9; e++) {
            out[r] -= v->matrix[r][e] * matrix[e];
        }
    }
}

void lab_smooth_force(const lab_smoother *s, const lab_knot *k, double force[3])
{
    const double *c = s->constant, *arm = c + ARM;
    without_constants(&k->force, c + ACCEL, c + ACCEL_MATRIX, c[ACCEL_DELAY], force);
    for (int r = 0; r < 3; r++) {
        force[r] -= k->arm[3 * r] * arm[0] + k->arm[3 * r + 1] * arm[1] + k->arm[3 * r + 2] * arm[2];
    }
    force[2] -= MARL_STANDARD_GRAVITY;
}

void lab_smooth_field(const lab_smoother *s, const lab_knot *k, double field[3])
{
    const double *c = s->constant;
    without_constants(&k->field, c + MAG, c + MAG_MATRIX, c[MAG_DELAY], field);
}
