/* SPDX-License-Identifier: MIT
 * The published filters, plainly. */
#include "published.h"
#include <math.h>
#include <string.h>

#define GRAVITY 9.80665
#define PI 3.141592653589793
#define N PUBLISHED_STATES

static void multiply(const double a[4], const double b[4], double out[4])
{
    const double r[4] = {a[0] * b[0] - a[1] * b[1] - a[2] * b[2] - a[3] * b[3],
                         a[0] * b[1] + a[1] * b[0] + a[2] * b[3] - a[3] * b[2],
                         a[0] * b[2] - a[1] * b[3] + a[2] * b[0] + a[3] * b[1],
                         a[0] * b[3] + a[1] * b[2] - a[2] * b[1] + a[3] * b[0]};
    memcpy(out, r, sizeof r);
}

/* The turn by the rotation vector v. */
static void turn_of(const double v[3], double q[4])
{
    double angle = sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]),
           k = angle > 0 ? sin(0.5 * angle) / angle : 0.5;
    q[0] = cos(0.5 * angle);
    for (int i = 0; i < 3; i++) {
        q[i + 1] = k * v[i];
    }
}

/* Body to world. */
static void matrix_of(const double q[4], double r[3][3])
{
    double w = q[0], x = q[1], y = q[2], z = q[3];
    const double m[3][3] = {{w * w + x * x - y * y - z * z, 2 * (x * y - w * z), 2 * (x * z + w * y)},
                            {2 * (x * y + w * z), w * w - x * x + y * y - z * z, 2 * (y * z - w * x)},
                            {2 * (x * z - w * y), 2 * (y * z + w * x), w * w - x * x - y * y + z * z}};
    memcpy(r, m, sizeof m);
}

/* About the level axes, then about up. */
static void turn_world(published *s, const double d[3])
{
    const double level[3] = {d[0], d[1], 0}, up[3] = {0, 0, d[2]};
    double turn[4];
    turn_of(level, turn);
    multiply(turn, s->q, s->q);
    turn_of(up, turn);
    multiply(turn, s->q, s->q);
}

static void add_to_bias(published *s, double r[3][3], const double world[3])
{
    for (int i = 0; i < 3; i++) {
        s->bias[i] += r[0][i] * world[0] + r[1][i] * world[1] + r[2][i] * world[2];
    }
}

/* f x z with f the direction of the force, or of its horizontal part where it points down. */
static void tilt_error(const published *s, double e[3])
{
    const double *f = s->force;
    double length = sqrt(f[0] * f[0] + f[1] * f[1] + (f[2] < 0 ? 0 : f[2] * f[2]));
    e[0] = f[1] / length;
    e[1] = -f[0] / length;
    e[2] = 0;
}

/* The angle of the field from north, turned by d first (to first order). */
static double heading_error(const published *s, const double d[3])
{
    const double *m = s->field;
    return atan2(m[0] + d[1] * m[2] - d[2] * m[1], m[1] + d[2] * m[0] - d[0] * m[2]);
}

void published_complementary(published *s)
{
    double r[3][3], e[3], d[3], b[3] = {0};
    matrix_of(s->q, r);
    tilt_error(s, e);
    for (int i = 0; i < 3; i++) {
        d[i] = s->gain * s->age * e[i];
        b[i] = -s->integral * s->age * e[i];
    }
    if (s->fields > 0) {
        double psi = heading_error(s, d);
        d[2] = s->heading_gain * s->field_age * psi;
        b[2] = -s->heading_integral * s->field_age * psi;
    }
    turn_world(s, d);
    add_to_bias(s, r, b);
}

void published_gradient(published *s)
{
    double r[3][3], e[3], d[3] = {0}, b[3] = {0};
    matrix_of(s->q, r);
    tilt_error(s, e);
    double n = sqrt(e[0] * e[0] + e[1] * e[1]);
    for (int i = 0; i < 3 && n > 0; i++) {
        d[i] = e[i] / n * fmin(s->gain * s->age, n);
        b[i] = -e[i] / n * s->integral * s->age;
    }
    if (s->fields > 0) {
        double psi = heading_error(s, d), sign = psi < 0 ? -1 : 1;
        d[2] = sign * fmin(s->heading_gain * s->field_age, fabs(psi));
        b[2] = -sign * s->heading_integral * s->field_age;
    }
    turn_world(s, d);
    add_to_bias(s, r, b);
}

/* out = a b */
static void matmul(double a[N][N], double b[N][N], double out[N][N])
{
    for (int i = 0; i < N; i++) {
        for (int k = 0; k < N; k++) {
            out[i][k] = 0;
            for (int j = 0; j < N; j++) {
                out[i][k] += a[i][j] * b[j][k];
            }
        }
    }
}

static void transpose(double a[N][N], double out[N][N])
{
    for (int i = 0; i < N; i++) {
        for (int k = 0; k < N; k++) {
            out[k][i] = a[i][k];
        }
    }
}

static void predict(published *s, double r[3][3])
{
    double phi[N][N] = {{0}}, phi_t[N][N], half[N][N], rate2 = 0, t = s->age;
    for (int i = 0; i < N; i++) {
        phi[i][i] = i < 6 ? 1 : 1 - t / s->velocity_time;
    }
    for (int i = 0; i < 3; i++) {
        for (int k = 0; k < 3; k++) {
            phi[i][3 + k] = -r[i][k] * t;
        }
        rate2 += (s->rate[i] - s->bias[i]) * (s->rate[i] - s->bias[i]);
    }
    phi[6][1] = GRAVITY * t;
    phi[7][0] = -GRAVITY * t;
    transpose(phi, phi_t);
    matmul(phi, s->p, half);
    matmul(half, phi_t, s->p);
    for (int i = 0; i < 3; i++) {
        s->p[i][i] +=
            (s->gyro_noise * s->gyro_noise + 2 * PI * s->gyro_scale * s->gyro_scale * sqrt(rate2)) * t;
        s->p[3 + i][3 + i] += s->gyro_walk * s->gyro_walk * t;
    }
    for (int i = 0; i < 2; i++) {
        s->p[6 + i][6 + i] += 1e-4 * t;
        s->velocity[i] += s->force[i] * t - s->velocity[i] * t / s->velocity_time;
    }
}

/* z = h x + noise of variance r, gain restricted to the states in `may` (NULL: all); covariance for any gain:
 * (I - K h) P (I - K h)' + K r K'. */
static void update(published *s, double x[N], const double h[N], double z, double r, const double *gain)
{
    double column[N] = {0}, k[N], a[N][N] = {{0}}, a_t[N][N], half[N][N], variance = r, seen = 0;
    for (int i = 0; i < N; i++) {
        for (int j = 0; j < N; j++) {
            column[i] += s->p[i][j] * h[j];
        }
        seen += h[i] * x[i];
    }
    for (int i = 0; i < N; i++) {
        variance += h[i] * column[i];
    }
    for (int i = 0; i < N; i++) {
        k[i] = gain != NULL ? gain[i] : column[i] / variance;
    }
    for (int i = 0; i < N; i++) {
        for (int j = 0; j < N; j++) {
            a[i][j] = (i == j) - k[i] * h[j];
        }
    }
    transpose(a, a_t);
    matmul(a, s->p, half);
    matmul(half, a_t, s->p);
    for (int i = 0; i < N; i++) {
        for (int j = 0; j < N; j++) {
            s->p[i][j] += k[i] * r * k[j];
        }
        x[i] += k[i] * (z - seen);
    }
}

/* Only heading and bias along up: the gain of the full update, its other parts left out. */
static void update_heading(published *s, double x[N], double r[3][3])
{
    const double *m = s->field;
    const double turned[3] = {m[0] + x[1] * m[2] - x[2] * m[1], m[1] + x[2] * m[0] - x[0] * m[2],
                              m[2] + x[0] * m[1] - x[1] * m[0]};
    double level = hypot(turned[0], turned[1]), psi = atan2(turned[0], turned[1]);
    const double h[N] = {0, -turned[2] / level, 1};
    double column[N] = {0}, gain[N] = {0}, along = 0;
    double noise =
        fmax(1, 2 * s->disturbance_time / s->field_age) * s->mag_sigma * s->mag_sigma / (level * level);
    for (int i = 0; i < N; i++) {
        column[i] = s->p[i][1] * h[1] + s->p[i][2];
    }
    double variance = h[1] * column[1] + column[2] + noise, seen = h[1] * x[1] + x[2];
    for (int i = 0; i < 3; i++) {
        along += r[2][i] * column[3 + i] / variance;
    }
    gain[2] = column[2] / variance;
    for (int i = 0; i < 3; i++) {
        gain[3 + i] = along * r[2][i];
    }
    update(s, x, h, psi + seen, noise, gain); /* psi is the innovation */
}

void published_kalman(published *s)
{
    double r[3][3], x[N] = {0};
    double correlated = 2 * s->disturbance_time / s->age,
           accel = correlated * s->accel_sigma * s->accel_sigma;
    double speed = correlated * s->speed_sigma * s->speed_sigma;
    const double h[4][N] = {{0, GRAVITY}, {-GRAVITY}, {0, 0, 0, 0, 0, 0, 1, 0}, {0, 0, 0, 0, 0, 0, 0, 1}};
    matrix_of(s->q, r);
    predict(s, r);
    update(s, x, h[0], -s->force[0], accel, NULL);
    update(s, x, h[1], -s->force[1], accel, NULL);
    update(s, x, h[2], -s->velocity[0], speed, NULL);
    update(s, x, h[3], -s->velocity[1], speed, NULL);
    if (s->fields > 0) {
        update_heading(s, x, r);
    }
    turn_world(s, x);
    for (int i = 0; i < 3; i++) {
        s->bias[i] += x[3 + i];
    }
    s->velocity[0] += x[6];
    s->velocity[1] += x[7];
}

void published_start(published *s, const double q[4], double attitude, double bias)
{
    memcpy(s->q, q, sizeof s->q);
    for (int i = 0; i < 3; i++) {
        s->p[i][i] = attitude * attitude;
        s->p[3 + i][3 + i] = bias * bias;
    }
    s->p[6][6] = s->p[7][7] = s->speed_sigma * s->speed_sigma;
}

static void add_turned(double r[3][3], const double v[3], double sum[3])
{
    for (int i = 0; i < 3; i++) {
        sum[i] += r[i][0] * v[0] + r[i][1] * v[1] + r[i][2] * v[2];
    }
}

static void add_mean(double sum[3], int n)
{
    for (int i = 0; i < 3 && n > 0; i++) {
        sum[i] /= n;
    }
}

void published_step(published *s, published_correction *correct, const double gyro[3], const double accel[3],
                    const double *mag, double dt)
{
    double v[3], turn[4], r[3][3];
    for (int i = 0; i < 3; i++) {
        v[i] = (0.5 * (s->rate[i] + gyro[i]) - s->bias[i]) * dt;
        s->rate[i] = gyro[i];
    }
    turn_of(v, turn);
    multiply(s->q, turn, s->q);
    matrix_of(s->q, r);
    add_turned(r, accel, s->force);
    s->forces++;
    if (mag != NULL) {
        add_turned(r, mag, s->field);
        s->fields++;
    }
    s->age += dt;
    s->field_age += dt;
    if (s->age < 0.105 && s->age < s->since_start / 9) {
        return;
    }
    s->since_start += s->age;
    add_mean(s->force, s->forces);
    add_mean(s->field, s->fields);
    correct(s);
    s->field_age = s->fields > 0 ? 0 : s->field_age;
    s->age = 0;
    s->forces = s->fields = 0;
    memset(s->force, 0, sizeof s->force);
    memset(s->field, 0, sizeof s->field);
}
