/* SPDX-License-Identifier: MIT
 * Along which axis of the board a speed is. While the body goes with the speed v along u, which is constant in the body, the
 * mean force over an interval, turned by the gyroscope into the frame in which a window began, is
 *
 *   (R2 v2 - R1 v1) u / seconds + G,
 *
 * with G, gravity's, constant over the window. u, and a bias of the gyroscope that turns R, follow by least squares; the
 * length of u is how many times larger than recorded the speed is. */
#include "lab/log/reading.h"
#include "lab/maths/block_fit.h"
#include "lab/maths/linear.h"
#include "marlinspike/inspect.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define WINDOW_S 6.0   /* a bias of the gyroscope turns R but little */
#define INTERVAL_S 0.4 /* at least, between two readings of the speed */
#define HELD_S 2.0     /* a speed that has not changed for so long stands */
#define GAP_S 0.5      /* between readings of the gyroscope */
#define BLOCKS 20.0
#define MAX_SIGMA 0.1 /* of the length */
#define UNSEEN 0.1    /* a shorter one, known so well, is none */
#define UNSEEN_SIGMA 0.03
#define MODEL 0.05 /* of the length: what lean, lever arms and raw scales do to it, for the standard errors */
#define MIN_R_SQUARED 0.4 /* less, and the body goes sideways, too, as in a hand */
#define PLAIN_DEG 30.0    /* off body x: a mount that is not quite straight ... */
#define PLAIN_SIGMAS 3.0  /* ... beyond so many standard errors */
#define NEAR_DEG 20.0     /* of an axis that the warning names */
#define SAME_UNIT 1.9     /* longer or shorter by less: slip, tyres, a lever arm, going sideways */
enum { UNKNOWNS = 6, MAX_INTERVALS = 16, MIN_INTERVALS = 30 };

typedef struct interval {
    double y[3], u[3][3]; /* mean force and what multiplies u, in the window's frame */
    double turned[3][3];  /* the mean of the integral of R: by how much a bias of 1 rad/s turns the force */
    int64_t until_ns;
} interval;

/* A window while it is filled. */
typedef struct window {
    double r[3][3], turned[3][3]; /* body to window; the integral of r */
    double force[3], turned_sum[3][3], seconds;
    double speed, at_start[3][3]; /* the last reading that an interval ended with, and r then */
    double elapsed;
    int n, has_speed;
    interval at[MAX_INTERVALS];
} window;

static void begin(window *w)
{
    memset(w, 0, sizeof *w);
    for (int k = 0; k < 3; k++) {
        w->r[k][k] = 1;
    }
}

static double mean_of(const window *w, int axis, int unknown)
{
    double sum = 0;
    for (int i = 0; i < w->n; i++) {
        sum += unknown < 0 ? w->at[i].y[axis] : w->at[i].u[axis][unknown];
    }
    return sum / w->n;
}

/* What a bias about `about` adds to the force along `axis`. */
static double of_bias(const interval *i, const double gravity[3], int axis, int about)
{
    int next = (axis + 1) % 3, after = (axis + 2) % 3;
    return i->turned[next][about] * gravity[after] - i->turned[after][about] * gravity[next];
}

/* The rows of the window, without their means, in which gravity is. */
static void flush(window *w, const double *x, lab_block_fit *fit)
{
    double gravity[3] = {0}, bias_mean[3][3] = {{0}};
    for (int axis = 0; axis < 3 && w->n > 0; axis++) {
        gravity[axis] = mean_of(w, axis, -1);
    }
    for (int k = 0; k < 9 * w->n; k++) {
        bias_mean[k % 9 / 3][k % 3] += of_bias(&w->at[k / 9], gravity, k % 9 / 3, k % 3) / w->n;
    }
    for (int i = 0; i < w->n && w->n > 2; i++) {
        for (int axis = 0; axis < 3; axis++) {
            double row[UNKNOWNS], left = w->at[i].y[axis] - gravity[axis];
            for (int k = 0; k < 3; k++) {
                row[k] = w->at[i].u[axis][k] - mean_of(w, axis, k);
                row[3 + k] = of_bias(&w->at[i], gravity, axis, k) - bias_mean[axis][k];
            }
            for (int k = 0; k < UNKNOWNS; k++) {
                left -= row[k] * x[k];
            }
            lab_block_fit_add(fit, w->at[i].until_ns, row, left);
        }
    }
    begin(w);
}

static void step(window *w, marl_vec3 rate, marl_vec3 force, double seconds)
{
    const double f[3] = {(double)force.x, (double)force.y, (double)force.z};
    double half[3] = {0.5 * seconds * (double)rate.x, 0.5 * seconds * (double)rate.y,
                      0.5 * seconds * (double)rate.z};
    double turn[3][3], middle[3][3] = {{0}}, end[3][3] = {{0}};
    lab_rotation(half, turn);
    for (int k = 0; k < 27; k++) {
        middle[k / 9][k % 3] += w->r[k / 9][k / 3 % 3] * turn[k / 3 % 3][k % 3];
    }
    for (int k = 0; k < 27; k++) {
        end[k / 9][k % 3] += middle[k / 9][k / 3 % 3] * turn[k / 3 % 3][k % 3];
    }
    for (int k = 0; k < 9; k++) {
        w->force[k / 3] += seconds * middle[k / 3][k % 3] * f[k % 3];
        w->turned[k / 3][k % 3] += seconds * middle[k / 3][k % 3];
        w->turned_sum[k / 3][k % 3] += seconds * w->turned[k / 3][k % 3];
    }
    memcpy(w->r, end, sizeof end);
    w->seconds += seconds;
    w->elapsed += seconds;
}

static void end_interval(window *w, double speed, int64_t t_ns)
{
    interval *i = &w->at[w->n];
    for (int k = 0; k < 9 && w->has_speed; k++) {
        i->u[k / 3][k % 3] = (w->r[k / 3][k % 3] * speed - w->at_start[k / 3][k % 3] * w->speed) / w->seconds;
        i->turned[k / 3][k % 3] = w->turned_sum[k / 3][k % 3] / w->seconds;
        i->y[k / 3] = w->force[k / 3] / w->seconds;
    }
    i->until_ns = t_ns;
    w->n += w->has_speed;
    w->has_speed = 1;
    w->speed = speed;
    w->seconds = 0;
    memcpy(w->at_start, w->r, sizeof w->r);
    memset(w->force, 0, sizeof w->force);
    memset(w->turned_sum, 0, sizeof w->turned_sum);
}

/* A speed that a slow receiver wrote once and the logger with every row is a reading where it changes. */
typedef struct held {
    float speed;
    int64_t t_ns; /* when it last was a reading */
} held;

static int is_reading(held *h, const marl_sample *s)
{
    int is = (s->fresh & MARL_FRESH_SPEED) &&
             (fabsf(s->speed - h->speed) > 0 || 1e-9 * (double)(s->t_ns - h->t_ns) >= HELD_S);
    *h = is ? (held){s->speed, s->t_ns} : *h;
    return is;
}

static void add_rows(lab_block_fit *fit, const marl_log *log, const double x[UNKNOWNS])
{
    const uint8_t both = MARL_FRESH_ACCEL | MARL_FRESH_GYRO;
    marl_vec3 force = {0, 0, 0};
    window w;
    held last = {0, log->row[0].sample.t_ns};
    uint8_t seen = 0;
    int64_t before = 0;
    begin(&w);
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        force = s->fresh & MARL_FRESH_ACCEL ? s->accel : force;
        double seconds = 1e-9 * (double)(s->t_ns - before);
        if (s->fresh & MARL_FRESH_GYRO) {
            if (seconds > GAP_S || (seen & both) != both) {
                flush(&w, x, fit);
            } else {
                step(&w, s->gyro, force, seconds);
            }
            before = s->t_ns;
        }
        seen |= s->fresh;
        if (is_reading(&last, s) && (!w.has_speed || w.seconds >= INTERVAL_S)) {
            end_interval(&w, (double)s->speed, s->t_ns);
        }
        if (w.elapsed >= WINDOW_S || w.n == MAX_INTERVALS) {
            flush(&w, x, fit);
        }
    }
    flush(&w, x, fit);
}

static double largest_sigma(const marl_speed_axis *s)
{
    return fmax(fmax(s->sigma[0], s->sigma[1]), s->sigma[2]);
}

static marl_speed_verdict verdict_of(const marl_speed_axis *s)
{
    double length = sqrt(lab_dot3(s->axis, s->axis)), sigma = largest_sigma(s);
    if (length < UNSEEN && sigma < UNSEEN_SIGMA) {
        return MARL_SPEED_UNSEEN;
    }
    if (!(sigma < MAX_SIGMA * length) || s->r_squared < MIN_R_SQUARED) {
        return MARL_SPEED_UNDECIDED;
    }
    double angle = acos(fmax(-1, fmin(1, s->axis[0] / length)));
    return angle > PLAIN_DEG * MARL_DEGREE + PLAIN_SIGMAS * sigma / length ? MARL_SPEED_OTHER_AXIS
           : length < 1 / SAME_UNIT || length > SAME_UNIT                  ? MARL_SPEED_OTHER_UNIT
                                                                           : MARL_SPEED_PLAIN;
}

/* Axis and standard errors, turned by the mount. */
static void put_in_body(marl_speed_axis *found, marl_vec3 by_sensor, const double *covariance,
                        marl_quat mount)
{
    const marl_mat3 r = marl_quat_to_matrix(mount);
    const marl_vec3 by_body = marl_quat_rotate(mount, by_sensor);
    const double axis[3] = {(double)by_body.x, (double)by_body.y, (double)by_body.z};
    for (int k = 0; k < 3; k++) {
        double variance = 0;
        for (int i = 0; i < 9; i++) {
            variance += (double)r.m[k][i / 3] * (double)r.m[k][i % 3] * covariance[i / 3 * UNKNOWNS + i % 3];
        }
        found->axis[k] = axis[k];
        found->sigma[k] = hypot(sqrt(variance), MODEL * sqrt(lab_dot3(axis, axis)));
    }
}

static void mean_force(const marl_log *log, marl_quat mount, double force[3])
{
    marl_vec3 sum = {0, 0, 0};
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (s->fresh & MARL_FRESH_ACCEL) {
            sum = (marl_vec3){sum.x + s->accel.x, sum.y + s->accel.y, sum.z + s->accel.z};
        }
    }
    sum = marl_quat_rotate(mount, sum);
    double n = fmax(1, sqrt((double)(sum.x * sum.x + sum.y * sum.y + sum.z * sum.z)));
    force[0] = (double)sum.x / n;
    force[1] = (double)sum.y / n;
    force[2] = (double)sum.z / n;
}

marl_speed_axis marl_speed_axis_find(const marl_log *log, marl_quat mount)
{
    const unsigned needed = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | (1u << MARL_COLUMN_SPEED);
    marl_speed_axis found = {.verdict = MARL_SPEED_ABSENT};
    double x[UNKNOWNS] = {0}, all = 0;
    double more[LAB_BLOCK_FIT_MAX], covariance[LAB_BLOCK_FIT_MAX * LAB_BLOCK_FIT_MAX];
    if ((log->info.columns & needed) != needed || log->n == 0) {
        return found;
    }
    found.verdict = MARL_SPEED_UNDECIDED;
    int64_t block = (int64_t)(1e9 * lab_log_seconds(log) / BLOCKS);
    /* the problem is linear: the second round is for the residuals, from which the standard errors are */
    for (int round = 0; round < 2; round++) {
        lab_block_fit fit;
        lab_block_fit_init(&fit, UNKNOWNS, block > LAB_BLOCK_NS ? block : LAB_BLOCK_NS);
        add_rows(&fit, log, x);
        if (fit.rows < 3 * MIN_INTERVALS || !lab_block_fit_solve(&fit, more, covariance)) {
            return found;
        }
        for (int k = 0; k < UNKNOWNS; k++) {
            x[k] += more[k];
        }
        all = round == 0 ? fit.squares : all;
        found.r_squared = 1 - fit.squares / all;
    }
    const marl_vec3 by_sensor = {(float)x[0], (float)x[1], (float)x[2]};
    put_in_body(&found, by_sensor, covariance, mount);
    mean_force(log, mount, found.force);
    found.verdict = verdict_of(&found);
    return found;
}

/* The signed axis that lies within PLAIN_DEG of it; 0 when none does. */
static int nearest_axis(const double v[3])
{
    double length = sqrt(lab_dot3(v, v));
    for (int k = 0; k < 3; k++) {
        if (fabs(v[k]) > length * cos(NEAR_DEG * MARL_DEGREE)) {
            return v[k] < 0 ? -(k + 1) : k + 1;
        }
    }
    return 0;
}

/* Which axes x, y, z should be for x to be forward and z as near to where the mean force points as it can be. */
static marl_arrangement forward(int axis, const double force[3])
{
    marl_arrangement a = {{axis, 0, 0}};
    double most = -1;
    for (int k = 1; k <= 3; k++) {
        if (k != abs(axis) && fabs(force[k - 1]) > most) {
            most = fabs(force[k - 1]);
            a.axis[2] = force[k - 1] < 0 ? -k : k;
        }
    }
    double x[3] = {0}, z[3] = {0}, y[3];
    x[abs(axis) - 1] = axis < 0 ? -1 : 1;
    z[abs(a.axis[2]) - 1] = a.axis[2] < 0 ? -1 : 1;
    lab_cross3(z, x, y);
    a.axis[1] = nearest_axis(y);
    return a;
}

static void warn_of_axis(marl_warnings *warnings, const char *path, const marl_speed_axis *s)
{
    int axis = nearest_axis(s->axis);
    char how[32] = "", advice[120] = "leave the speed out, or turn the board";
    if (axis != 0) {
        const marl_arrangement a = forward(axis, s->force);
        marl_arrangement_text(&a, how);
        snprintf(advice, sizeof advice, "take %s of all sensors (--columns), or leave the speed out", how);
    }
    marl_warn(warnings, "speed-axis",
              "%s: by its accelerations the body goes along (%.2f, %.2f, %.2f) +- %.2f, and filters take the "
              "speed to be along x: %s",
              path, s->axis[0], s->axis[1], s->axis[2], largest_sigma(s), advice);
}

void marl_speed_axis_warn(marl_warnings *warnings, const char *path, const marl_speed_axis *s)
{
    if (s->verdict == MARL_SPEED_OTHER_AXIS) {
        warn_of_axis(warnings, path, s);
    } else if (s->verdict == MARL_SPEED_OTHER_UNIT) {
        marl_warn(warnings, "speed-unit",
                  "%s: by its accelerations the body goes %.2f +- %.2f times as fast as the speed that is "
                  "recorded; 0.28 would be km/h taken for m/s, 3.6 the other way round",
                  path, s->axis[0], s->sigma[0]);
    } else if (s->verdict == MARL_SPEED_UNSEEN) {
        marl_warn(warnings, "speed-unseen",
                  "%s: the accelerations do not follow the speed that is recorded, which misleads filters: "
                  "leave it out",
                  path);
    }
}
