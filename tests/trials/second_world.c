/* SPDX-License-Identifier: MIT
 * The second simulator. */
#include "second_world.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define TAU 6.283185307179586
#define GRAVITY 9.80665
enum { SUBSTEPS = 8, WAVES = 4 };

typedef struct motion {
    double axis[3], angle, seconds;        /* a turn; angle 0: none */
    double rate[3][WAVES], push[3][WAVES]; /* amplitudes of a hand; all 0: none */
    double hz[3][WAVES], phase[3][WAVES];
} motion;

/* `dt`: between two readings, s. */
static void draw_sensor(second_sensor *s, double dt, double bias, double across, dice *d)
{
    for (int k = 0; k < SECOND_SLOW; k++) { /* time constants of 0.5 s to 512 s */
        s->keep[k] = exp(-dt / (0.5 * pow(4, k)));
    }
    for (int i = 0; i < 3; i++) {
        s->bias[i] = bias * dice_normal(d);
        for (int j = i; j < 3; j++) {
            double off = (i == j ? 2 * across : across) * dice_normal(d);
            s->scale[i][j] = s->scale[j][i] = (i == j) + off;
        }
        for (int k = 0; k < SECOND_SLOW; k++) {
            s->state[i][k] = s->slow * dice_normal(d);
        }
    }
}

void second_world_init(second_world *w, uint64_t seed)
{
    *w = (second_world){.dice = {seed * 977 + 13}, .q = {1, 0, 0, 0}};
    dice *d = &w->dice;
    w->rate_hz = dice_between(d, 60, 180);
    w->mag_every = 1 + (int)dice_below(d, 4);
    double strength = dice_between(d, 30, 60), dip = dice_between(d, 0.3, 1.2);
    w->field[1] = strength * cos(dip);
    w->field[2] = -strength * sin(dip);
    w->sensor[MARL_ACCEL] = (second_sensor){.white = 0.02, .slow = 2e-4, .count = 0.0024};
    w->sensor[MARL_GYRO] = (second_sensor){.white = 0.002, .slow = 2e-5, .count = 0.00053};
    w->sensor[MARL_MAG] = (second_sensor){.white = 0.3, .slow = 0.01, .count = 0.15};
    draw_sensor(&w->sensor[MARL_ACCEL], 1 / w->rate_hz, 0.1, 0.005, d);
    draw_sensor(&w->sensor[MARL_GYRO], 1 / w->rate_hz, 0.0175, 0.005, d);
    draw_sensor(&w->sensor[MARL_MAG], w->mag_every / w->rate_hz, 15, 0.005, d);
    w->log.path = strdup("second.csv");
    w->log.info.columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG | MARL_COLUMNS_Q;
}

/* Rate in the body and acceleration in the world, at a time of the motion. */
static void move(const motion *m, double t, double rate[3], double accel[3])
{
    double s = m->seconds > 0 ? t / m->seconds : 0, speed = 30 * s * s * (1 - s) * (1 - s);
    double ease = fmin(1, fmin(t, m->seconds - t)); /* a hand takes a second to begin and to end */
    for (int k = 0; k < 3; k++) {
        rate[k] = m->angle != 0 ? m->axis[k] * m->angle * speed / m->seconds : 0;
        accel[k] = 0;
        for (int n = 0; n < WAVES; n++) {
            double at = TAU * m->hz[k][n] * t + m->phase[k][n];
            rate[k] += ease * m->rate[k][n] * cos(at);
            accel[k] += ease * m->push[k][n] * sin(1.7 * at);
        }
    }
}

/* q' = q w / 2 */
static void slope_of(const double q[4], const double w[3], double slope[4])
{
    slope[0] = 0.5 * (-q[1] * w[0] - q[2] * w[1] - q[3] * w[2]);
    slope[1] = 0.5 * (q[0] * w[0] + q[2] * w[2] - q[3] * w[1]);
    slope[2] = 0.5 * (q[0] * w[1] + q[3] * w[0] - q[1] * w[2]);
    slope[3] = 0.5 * (q[0] * w[2] + q[1] * w[1] - q[2] * w[0]);
}

static void step_attitude(double q[4], const motion *m, double t, double dt)
{
    static const double at[4] = {0, 0.5, 0.5, 1}, weight[4] = {1, 2, 2, 1};
    double slope[4] = {0}, sum[4] = {0}, norm = 0;
    for (int stage = 0; stage < 4; stage++) {
        double rate[3], accel[3], here[4];
        move(m, t + at[stage] * dt, rate, accel);
        for (int k = 0; k < 4; k++) {
            here[k] = q[k] + at[stage] * dt * slope[k];
        }
        slope_of(here, rate, slope);
        for (int k = 0; k < 4; k++) {
            sum[k] += weight[stage] * slope[k] / 6;
        }
    }
    for (int k = 0; k < 4; k++) {
        q[k] += dt * sum[k];
        norm += q[k] * q[k];
    }
    for (int k = 0; k < 4; k++) {
        q[k] /= sqrt(norm);
    }
}

/* A vector of the world, seen from the body. */
static void to_body(const double q[4], const double v[3], double out[3])
{
    double w = q[0], x = q[1], y = q[2], z = q[3];
    const double m[3][3] = {{1 - 2 * (y * y + z * z), 2 * (x * y + w * z), 2 * (x * z - w * y)},
                            {2 * (x * y - w * z), 1 - 2 * (x * x + z * z), 2 * (y * z + w * x)},
                            {2 * (x * z + w * y), 2 * (y * z - w * x), 1 - 2 * (x * x + y * y)}};
    for (int k = 0; k < 3; k++) {
        out[k] = m[k][0] * v[0] + m[k][1] * v[1] + m[k][2] * v[2];
    }
}

static marl_vec3 read_sensor(second_sensor *s, const double truth[3], dice *d)
{
    double v[3];
    for (int i = 0; i < 3; i++) {
        v[i] = s->bias[i] + s->white * dice_normal(d);
        for (int j = 0; j < 3; j++) {
            v[i] += s->scale[i][j] * truth[j];
        }
        for (int k = 0; k < SECOND_SLOW; k++) {
            double keep = s->keep[k];
            s->state[i][k] = keep * s->state[i][k] + sqrt(1 - keep * keep) * s->slow * dice_normal(d);
            v[i] += s->state[i][k];
        }
        v[i] = s->count * floor(v[i] / s->count + 0.5);
    }
    return (marl_vec3){(float)v[0], (float)v[1], (float)v[2]};
}

/* One row: means over its time; the truth and the stamp are of the middle. */
static void add_row(second_world *w, const motion *m, double t)
{
    double dt = 1 / w->rate_hz, small = dt / SUBSTEPS, turned[3] = {0}, force[3] = {0};
    marl_log_row *row = &w->log.row[w->log.n];
    *row = (marl_log_row){.has_q = 1};
    for (int i = 0; i < SUBSTEPS; i++) {
        double rate[3], accel[3], seen[3];
        if (i == SUBSTEPS / 2) {
            row->q = (marl_quat){(float)w->q[0], (float)w->q[1], (float)w->q[2], (float)w->q[3]};
        }
        move(m, t + (i + 0.5) * small, rate, accel);
        accel[2] += GRAVITY;
        step_attitude(w->q, m, t + i * small, small);
        to_body(w->q, accel, seen);
        for (int k = 0; k < 3; k++) {
            turned[k] += rate[k] / SUBSTEPS;
            force[k] += seen[k] / SUBSTEPS;
        }
    }
    marl_sample *s = &row->sample;
    s->t_ns = INT64_C(100000) * (int64_t)floor(1e4 * (w->t_s + 0.5 * dt) + 0.5);
    s->fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO;
    s->accel = read_sensor(&w->sensor[MARL_ACCEL], force, &w->dice);
    s->gyro = read_sensor(&w->sensor[MARL_GYRO], turned, &w->dice);
    if (w->log.n % (size_t)w->mag_every == 0) {
        const double q[4] = {(double)row->q.w, (double)row->q.x, (double)row->q.y, (double)row->q.z};
        double seen[3];
        to_body(q, w->field, seen);
        s->mag = read_sensor(&w->sensor[MARL_MAG], seen, &w->dice);
        s->fresh |= MARL_FRESH_MAG;
    }
    w->t_s += dt;
    w->log.report.rows = ++w->log.n;
}

static void go_on(second_world *w, const motion *m)
{
    size_t rows = (size_t)(m->seconds * w->rate_hz);
    marl_log_row *more = realloc(w->log.row, (w->log.n + rows + 1) * sizeof *more);
    if (more == NULL) {
        fprintf(stderr, "no memory\n");
        exit(1);
    }
    w->log.row = more;
    for (size_t i = 0; i < rows; i++) {
        add_row(w, m, (double)i / w->rate_hz);
    }
}

void second_world_rest(second_world *w, double seconds)
{
    go_on(w, &(motion){.seconds = seconds});
}

void second_world_turn(second_world *w, const double axis[3], double angle_rad, double seconds)
{
    motion m = {.angle = angle_rad, .seconds = seconds};
    double length = sqrt(axis[0] * axis[0] + axis[1] * axis[1] + axis[2] * axis[2]);
    for (int k = 0; k < 3; k++) {
        m.axis[k] = axis[k] / length;
    }
    go_on(w, &m);
}

void second_world_hand(second_world *w, double seconds, double rate, double accel)
{
    motion m = {.seconds = seconds};
    for (int k = 0; k < 3; k++) {
        for (int n = 0; n < WAVES; n++) {
            m.hz[k][n] = dice_between(&w->dice, 0.05, 0.8);
            m.phase[k][n] = dice_between(&w->dice, 0, TAU);
            m.rate[k][n] = rate * sqrt(2.0 / WAVES);
            m.push[k][n] = accel * sqrt(2.0 / WAVES);
        }
    }
    go_on(w, &m);
}

/* The inverse by cofactors. */
void second_world_matrix(const second_sensor *s, double matrix[3][3])
{
    const double(*a)[3] = s->scale;
    double determinant = 0;
    for (int i = 0; i < 3; i++) {
        for (int j = 0; j < 3; j++) {
            int i1 = (i + 1) % 3, i2 = (i + 2) % 3, j1 = (j + 1) % 3, j2 = (j + 2) % 3;
            matrix[j][i] = a[i1][j1] * a[i2][j2] - a[i1][j2] * a[i2][j1];
        }
    }
    for (int j = 0; j < 3; j++) {
        determinant += a[0][j] * matrix[j][0];
    }
    for (int k = 0; k < 9; k++) {
        matrix[k / 3][k % 3] /= determinant;
    }
}

marl_calibration_record second_world_calibration(const second_world *w)
{
    marl_calibration_record record = marl_calibration_record_empty();
    for (int sensor = 0; sensor < MARL_SENSOR_COUNT; sensor++) {
        marl_fit *fit = &record.fit[sensor];
        *fit = marl_fit_none();
        fit->present = fit->has_sigma = 1;
        second_world_matrix(&w->sensor[sensor], fit->matrix);
        memcpy(fit->bias, w->sensor[sensor].bias, sizeof fit->bias);
        fit->residual_rms =
            sensor == MARL_ACCEL ? 0.001 : w->sensor[sensor].white; /* of poses; of readings */
        for (int k = 0; k < 3; k++) {
            fit->bias_sigma[k] = sensor == MARL_GYRO ? 1e-4 : sensor == MARL_ACCEL ? 0.002 : 0.05;
            fit->matrix_sigma[k][0] = fit->matrix_sigma[k][1] = fit->matrix_sigma[k][2] = 5e-4;
        }
    }
    record.fit[MARL_MAG].field = sqrt(w->field[1] * w->field[1] + w->field[2] * w->field[2]);
    return record;
}
