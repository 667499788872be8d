/* SPDX-License-Identifier: MIT
 * Attitudes in double, and the nominal motion of a block. */
#include "lab/smooth/smooth_parts.h"
#include <math.h>
#include <string.h>

static void product(const double a[4], const double b[4], double out[4])
{
    double q[4] = {a[0] * b[0] - a[1] * b[1] - a[2] * b[2] - a[3] * b[3],
                   a[0] * b[1] + a[1] * b[0] + a[2] * b[3] - a[3] * b[2],
                   a[0] * b[2] - a[1] * b[3] + a[2] * b[0] + a[3] * b[1],
                   a[0] * b[3] + a[1] * b[2] - a[2] * b[1] + a[3] * b[0]};
    double length = sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2] + q[3] * q[3]);
    for (int k = 0; k < 4; k++) {
        out[k] = q[k] / length;
    }
}

static void exponential(const double rotation[3], double q[4])
{
    double angle = sqrt(rotation[0] * rotation[0] + rotation[1] * rotation[1] + rotation[2] * rotation[2]);
    double share = angle > 1e-9 ? sin(0.5 * angle) / angle : 0.5;
    q[0] = cos(0.5 * angle);
    for (int k = 0; k < 3; k++) {
        q[k + 1] = share * rotation[k];
    }
}

void lab_turn_world(const double rotation[3], double q[4])
{
    double turn[4];
    exponential(rotation, turn);
    product(turn, q, q);
}

void lab_turn_body(double q[4], const double rotation[3])
{
    double turn[4];
    exponential(rotation, turn);
    product(q, turn, q);
}

void lab_matrix_of(const double q[4], double m[9])
{
    double w = q[0], x = q[1], y = q[2], z = q[3];
    const double r[9] = {1 - 2 * (y * y + z * z), 2 * (x * y - w * z),     2 * (x * z + w * y),
                         2 * (x * y + w * z),     1 - 2 * (x * x + z * z), 2 * (y * z - w * x),
                         2 * (x * z - w * y),     2 * (y * z + w * x),     1 - 2 * (x * x + y * y)};
    memcpy(m, r, sizeof r);
}

void lab_rotation_between(const double a[4], const double b[4], double rotation[3])
{
    const double inverse[4] = {b[0], -b[1], -b[2], -b[3]};
    double q[4];
    product(a, inverse, q);
    double sign = q[0] < 0 ? -1 : 1, sine = sqrt(q[1] * q[1] + q[2] * q[2] + q[3] * q[3]);
    double scale = sine > 1e-12 ? 2 * atan2(sine, sign * q[0]) / sine : 2;
    for (int k = 0; k < 3; k++) {
        rotation[k] = sign * scale * q[k + 1];
    }
}

static void mean_reading(const marl_sample *before, const marl_sample *after, double rate[3])
{
    rate[0] = 0.5 * ((double)before->gyro.x + (double)after->gyro.x);
    rate[1] = 0.5 * ((double)before->gyro.y + (double)after->gyro.y);
    rate[2] = 0.5 * ((double)before->gyro.z + (double)after->gyro.z);
}

void lab_rate_between(const marl_sample *before, const marl_sample *after, const double state[STATES],
                      double rate[3])
{
    double read[3];
    mean_reading(before, after, read);
    for (int i = 0; i < 3; i++) {
        const double *row = state + MATRIX + 3 * i;
        rate[i] = read[i] - state[BIAS + i] - (row[0] * read[0] + row[1] * read[1] + row[2] * read[2]);
    }
}

static void multiply(const double a[9], const double b[9], double out[9])
{
    double m[9];
    for (int i = 0; i < 9; i++) {
        m[i] = a[i / 3 * 3] * b[i % 3] + a[i / 3 * 3 + 1] * b[3 + i % 3] + a[i / 3 * 3 + 2] * b[6 + i % 3];
    }
    memcpy(out, m, sizeof m);
}

static void add_turned(const double m[9], const marl_vec3 *v, double sum[3])
{
    for (int i = 0; i < 3; i++) {
        sum[i] += m[3 * i] * (double)v->x + m[3 * i + 1] * (double)v->y + m[3 * i + 2] * (double)v->z;
    }
}

static void turn_vector(const double m[9], double v[3])
{
    const double x[3] = {v[0], v[1], v[2]};
    for (int i = 0; i < 3; i++) {
        v[i] = m[3 * i] * x[0] + m[3 * i + 1] * x[1] + m[3 * i + 2] * x[2];
    }
}

static void scale(double *v, int n, int count)
{
    for (int i = 0; i < n; i++) {
        v[i] /= count > 0 ? count : 1;
    }
}

/* Sums over the rows of a block, each turned into the world by the nominal motion q. */
static void add_rows(const lab_smoother *s, lab_knot *k, const double state[STATES], double q[4])
{
    for (size_t i = k->first; i <= k->last; i++) {
        const marl_sample *now = &s->sample[i], *before = &s->sample[i > 0 ? i - 1 : 0];
        double rate[3], m[9], dt = 1e-9 * (double)(now->t_ns - before->t_ns);
        if (i > 0) {
            lab_rate_between(before, now, state, rate);
            const double turned[3] = {rate[0] * dt, rate[1] * dt, rate[2] * dt};
            lab_turn_body(q, turned);
        }
        lab_matrix_of(q, m);
        mean_reading(before, now, rate);
        for (int e = 0; e < 9; e++) {
            k->turn[e] += m[e];
            for (int j = 0; j < 3; j++) {
                k->turn_by_rate[j][e] += m[e] * rate[j];
            }
            k->force_turn[e] += now->fresh & MARL_FRESH_ACCEL ? m[e] : 0;
            k->field_turn[e] += now->fresh & MARL_FRESH_MAG ? m[e] : 0;
        }
        if (now->fresh & MARL_FRESH_ACCEL) {
            add_turned(m, &now->accel, k->force);
            k->forces++;
        }
        if (now->fresh & MARL_FRESH_MAG) {
            add_turned(m, &now->mag, k->field);
            k->fields++;
        }
    }
}

/* The block's motion from the knot before (NULL: none), its sums turned to refer to the knot. */
static void move_block(const lab_smoother *s, const lab_knot *before, lab_knot *k)
{
    double q[4], back[9];
    memcpy(q, before != NULL ? before->q : k->q, sizeof q);
    memset(k->turn, 0, sizeof k->turn);
    memset(k->turn_by_rate, 0, sizeof k->turn_by_rate);
    memset(k->force, 0, sizeof k->force);
    memset(k->force_turn, 0, sizeof k->force_turn);
    memset(k->field, 0, sizeof k->field);
    memset(k->field_turn, 0, sizeof k->field_turn);
    k->forces = k->fields = 0;
    static const double none[STATES] = {0};
    add_rows(s, k, before != NULL ? before->state : none, q); /* the first knot is its row */
    lab_rotation_between(q, k->q, k->delta);
    double identity[4] = {1, 0, 0, 0}, minus[3] = {-k->delta[0], -k->delta[1], -k->delta[2]};
    lab_turn_world(minus, identity);
    lab_matrix_of(identity, back);
    int rows = (int)(k->last - k->first) + 1;
    scale(k->turn, 9, rows);
    for (int j = 0; j < 3; j++) {
        scale(k->turn_by_rate[j], 9, rows);
        multiply(back, k->turn_by_rate[j], k->turn_by_rate[j]);
    }
    scale(k->force, 3, k->forces);
    scale(k->force_turn, 9, k->forces);
    scale(k->field, 3, k->fields);
    scale(k->field_turn, 9, k->fields);
    multiply(back, k->turn, k->turn);
    multiply(back, k->force_turn, k->force_turn);
    multiply(back, k->field_turn, k->field_turn);
    turn_vector(back, k->force);
    turn_vector(back, k->field);
}

void lab_smooth_move(lab_smoother *s)
{
    for (size_t i = 0; i < s->knots; i++) {
        move_block(s, i > 0 ? &s->knot[i - 1] : NULL, &s->knot[i]);
    }
}
