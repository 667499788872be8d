/* SPDX-License-Identifier: MIT
 * Arrangements of axes, found from motion. */
#include "marlinspike/axes.h"
#include "lab/inspect/arrangement.h"
#include "lab/log/reading.h"
#include "lab/maths/linear.h"
#include "lab/maths/statistics.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define WINDOW_NS INT64_C(100000000)
#define BEST_RESIDUAL 0.35 /* more, and nothing fits */
#define NEXT_TIMES 1.6     /* the next best must be so much worse */
#define MIN_DIP 10.0       /* degrees */
#define DEGREE 0.017453292519943295
enum { MIN_WINDOWS = 30, MAX_UNKNOWNS = 4 };

/* Means of the three sensors over a window of time, and which of them were there. */
typedef struct window {
    int64_t at;
    double v[MARL_SENSOR_COUNT][3];
    unsigned n[MARL_SENSOR_COUNT];
} window;

typedef struct windows {
    window *at;
    size_t n;
} windows;

/* Sums of a least-squares problem: A'A, A'y, y'y. */
typedef struct sums {
    double aa[MAX_UNKNOWNS][MAX_UNKNOWNS], ay[MAX_UNKNOWNS], yy;
    size_t rows;
} sums;

static void arrange(const marl_arrangement *a, const double v[3], double out[3])
{
    for (int i = 0; i < 3; i++) {
        out[i] = a->axis[i] < 0 ? -v[-a->axis[i] - 1] : v[a->axis[i] - 1];
    }
}

static void cross(const double a[3], const double b[3], double out[3])
{
    for (int i = 0; i < 3; i++) {
        out[i] = a[(i + 1) % 3] * b[(i + 2) % 3] - a[(i + 2) % 3] * b[(i + 1) % 3];
    }
}

static void close_window(window *w)
{
    for (int s = 0; s < MARL_SENSOR_COUNT; s++) {
        for (int k = 0; k < 3; k++) {
            w->v[s][k] = w->n[s] > 0 ? w->v[s][k] / w->n[s] : 0;
        }
    }
}

/* Windows follow each other on the grid of their length; empty ones are left out. */
static marl_status gather_readings(const marl_log *log, windows *all, marl_error *error)
{
    all->n = 0;
    all->at = malloc((log->n + 1) * sizeof *all->at);
    if (all->at == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        int64_t at = (s->t_ns - log->row[0].sample.t_ns) / WINDOW_NS;
        if (all->n == 0 || all->at[all->n - 1].at != at) {
            memset(&all->at[all->n++], 0, sizeof *all->at);
            all->at[all->n - 1].at = at;
        }
        window *w = &all->at[all->n - 1];
        for (unsigned k = 0; k < MARL_SENSOR_COUNT; k++) {
            if (s->fresh & (1u << k)) {
                const marl_vec3 *v = lab_reading(s, (marl_sensor)k);
                w->v[k][0] += (double)v->x;
                w->v[k][1] += (double)v->y;
                w->v[k][2] += (double)v->z;
                w->n[k]++;
            }
        }
    }
    for (size_t i = 0; i < all->n; i++) {
        close_window(&all->at[i]);
    }
    return MARL_OK;
}

/* Is this window in the middle of three that hold both sensors? */
static int usable(const windows *all, size_t i, marl_sensor seen)
{
    const window *w = all->at + i;
    int whole = i > 0 && i + 1 < all->n && w[1].at == w->at + 1 && w[-1].at == w->at - 1;
    for (int k = -1; whole && k <= 1; k++) {
        whole = w[k].n[seen] > 0 && w[k].n[MARL_GYRO] > 0;
    }
    return whole;
}

/* How the vector that a sensor sees changes in the middle of three windows, 1/s. */
static void change_of(const window *w, marl_sensor sensor, double change[3])
{
    for (int k = 0; k < 3; k++) {
        change[k] = (w[1].v[sensor][k] - w[-1].v[sensor][k]) / (2e-9 * (double)WINDOW_NS);
    }
}

static void add_row(sums *s, const double *a, int unknowns, double y)
{
    for (int i = 0; i < unknowns; i++) {
        for (int k = 0; k < unknowns; k++) {
            s->aa[i][k] += a[i] * a[k];
        }
        s->ay[i] += a[i] * y;
    }
    s->yy += y * y;
    s->rows++;
}

/* Share of y that is left; the unknowns in x. 1 when they cannot be separated. */
static double solve(const sums *s, int unknowns, double x[MAX_UNKNOWNS])
{
    double a[MAX_UNKNOWNS * MAX_UNKNOWNS], r_squared = 0;
    for (int i = 0; i < unknowns; i++) {
        x[i] = s->ay[i];
        for (int k = 0; k < unknowns; k++) {
            a[i * unknowns + k] = s->aa[i][k];
        }
    }
    if (!(s->yy > 0) || !lab_solve_positive(unknowns, a, x)) {
        return 1;
    }
    for (int i = 0; i < unknowns; i++) {
        r_squared += x[i] * s->ay[i];
    }
    return fmax(0, 1 - r_squared / s->yy);
}

/* d(accel)/dt = accel x (scale * rate - bias): four unknowns. */
static double fit_gyro(const windows *all, const marl_arrangement *how, double *scale)
{
    sums s = {0};
    double x[MAX_UNKNOWNS] = {0};
    for (size_t i = 0; i < all->n; i++) {
        const window *w = &all->at[i];
        double rate[3], change[3], turned[3];
        if (!usable(all, i, MARL_ACCEL)) {
            continue;
        }
        const double *g = w->v[MARL_ACCEL];
        arrange(how, w->v[MARL_GYRO], rate);
        change_of(w, MARL_ACCEL, change);
        cross(g, rate, turned);
        for (int k = 0; k < 3; k++) {
            int next = (k + 1) % 3, after = (k + 2) % 3;
            double row[MAX_UNKNOWNS] = {turned[k]};
            row[1 + after] = -g[next]; /* -(accel x bias) */
            row[1 + next] = g[after];
            add_row(&s, row, 4, change[k]);
        }
    }
    double left = s.rows >= 3 * MIN_WINDOWS ? solve(&s, 4, x) : 1;
    *scale = left < 1 ? x[0] : NAN;
    return left < 1 && x[0] <= 0 ? 1 : left;
}

/* d(mag)/dt = (mag - offset) x rate: three unknowns. The rate is in the accelerometer's axes already. */
static double fit_mag(const windows *all, const marl_arrangement *gyro, double scale,
                      const marl_arrangement *how, double offset[3])
{
    sums s = {0};
    double x[MAX_UNKNOWNS] = {0};
    for (size_t i = 0; i < all->n; i++) {
        const window *w = &all->at[i];
        double rate[3], change[3], field[3], arranged[3], turned[3];
        if (!usable(all, i, MARL_MAG)) {
            continue;
        }
        arrange(gyro, w->v[MARL_GYRO], rate);
        change_of(w, MARL_MAG, change);
        arrange(how, change, arranged);
        arrange(how, w->v[MARL_MAG], field);
        for (int k = 0; k < 3; k++) {
            rate[k] *= scale;
        }
        cross(field, rate, turned);
        for (int k = 0; k < 3; k++) {
            int next = (k + 1) % 3, after = (k + 2) % 3;
            double row[MAX_UNKNOWNS] = {0};
            row[next] = -rate[after]; /* -(offset x rate) */
            row[after] = rate[next];
            add_row(&s, row, 3, arranged[k] - turned[k]);
        }
    }
    if (s.rows < 3 * MIN_WINDOWS) {
        return INFINITY;
    }
    double left = solve(&s, 3, x) * s.yy;
    memcpy(offset, x, 3 * sizeof *offset);
    return left;
}

/* Does it turn at all, and about more than one axis? From the second moments of the rate. */
static int turns_enough(const windows *all)
{
    double moment[3] = {0, 0, 0}, second[9] = {0};
    size_t n = 0;
    for (size_t i = 0; i < all->n; i++) {
        const double *w = all->at[i].v[MARL_GYRO];
        if (all->at[i].n[MARL_GYRO] > 0) {
            n++;
            for (int a = 0; a < 3; a++) {
                for (int b = 0; b < 3; b++) {
                    second[3 * a + b] += w[a] * w[b];
                }
            }
        }
    }
    if (n < MIN_WINDOWS || !lab_eigen(3, second, moment)) {
        return 0;
    }
    return moment[1] > 0.02 * moment[2]; /* ascending: 14 % of the rate about a second axis */
}

static void keep_best(marl_axes_fit *fit, double left, const marl_arrangement *how, double scale)
{
    if (left < fit->residual) {
        fit->next = fit->residual;
        fit->residual = left;
        fit->best = *how;
        fit->scale = scale;
    } else {
        fit->next = fmin(fit->next, left);
    }
}

static void decide(marl_axes_fit *fit)
{
    int sure = fit->residual < BEST_RESIDUAL && fit->next > NEXT_TIMES * fit->residual;
    fit->verdict = sure ? MARL_AXES_DECIDED : MARL_AXES_UNDECIDED;
}

static void find_gyro(const windows *all, marl_axes_fit *fit)
{
    for (int i = 0; i < LAB_ARRANGEMENTS; i++) {
        marl_arrangement how = lab_arrangement(i);
        double scale, left = fit_gyro(all, &how, &scale);
        keep_best(fit, left, &how, scale);
    }
    decide(fit);
}

/* The sum of squares of the changes, to which what is left is compared. */
static double changes(const windows *all)
{
    double sum = 0;
    for (size_t i = 0; i < all->n; i++) {
        double change[3];
        if (usable(all, i, MARL_MAG)) {
            change_of(&all->at[i], MARL_MAG, change);
            sum += change[0] * change[0] + change[1] * change[1] + change[2] * change[2];
        }
    }
    return sum;
}

/* Mean angle of the field below the horizon. */
static double find_dip(const windows *all, const marl_arrangement *how, const double offset[3])
{
    double sum = 0, n = 0;
    for (size_t i = 0; i < all->n; i++) {
        const window *w = &all->at[i];
        double field[3], product = 0, gravity = 0, strength = 0;
        if (w->n[MARL_ACCEL] == 0 || w->n[MARL_MAG] == 0) {
            continue;
        }
        arrange(how, w->v[MARL_MAG], field);
        for (int k = 0; k < 3; k++) {
            field[k] -= offset[k];
            product += field[k] * w->v[MARL_ACCEL][k];
            gravity += w->v[MARL_ACCEL][k] * w->v[MARL_ACCEL][k];
            strength += field[k] * field[k];
        }
        if (gravity > 0 && strength > 0) {
            sum -= asin(fmax(-1, fmin(1, product / sqrt(gravity * strength))));
            n++;
        }
    }
    return n > 0 ? sum / n / DEGREE : NAN;
}

static void find_mag(const windows *all, marl_axes *axes)
{
    double offset[3] = {0, 0, 0}, best[3] = {0, 0, 0}, whole = changes(all);
    marl_axes_fit *fit = &axes->mag;
    for (int i = 0; i < LAB_ARRANGEMENTS / 2 && whole > 0; i++) {
        marl_arrangement how = lab_arrangement(i);
        double left = fit_mag(all, &axes->gyro.best, axes->gyro.scale, &how, offset) / whole;
        if (left < fit->residual) {
            memcpy(best, offset, sizeof best);
        }
        keep_best(fit, left, &how, NAN);
    }
    decide(fit);
    if (fit->verdict == MARL_AXES_DECIDED) {
        axes->dip_deg = find_dip(all, &fit->best, best);
        fit->sign_decided = fabs(axes->dip_deg) >= MIN_DIP;
        if (axes->dip_deg < 0) { /* the field points down in the north */
            axes->dip_deg = -axes->dip_deg;
            for (int k = 0; k < 3; k++) {
                fit->best.axis[k] = -fit->best.axis[k];
            }
        }
    }
}

marl_status marl_axes_find(const marl_log *log, marl_axes *axes, marl_error *error)
{
    const marl_axes_fit none = {MARL_AXES_ABSENT, {{1, 2, 3}}, 1, 1, NAN, 0};
    unsigned both = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO;
    windows all;
    *axes = (marl_axes){none, none, NAN};
    if ((log->info.columns & both) != both) {
        return MARL_OK;
    }
    marl_status status = gather_readings(log, &all, error);
    if (status != MARL_OK) {
        return status;
    }
    int has_mag = (log->info.columns & MARL_COLUMNS_MAG) == MARL_COLUMNS_MAG;
    axes->gyro.verdict = MARL_AXES_UNDECIDED;
    axes->mag.verdict = has_mag ? MARL_AXES_UNDECIDED : MARL_AXES_ABSENT;
    if (turns_enough(&all)) {
        find_gyro(&all, &axes->gyro);
        if (has_mag && axes->gyro.verdict == MARL_AXES_DECIDED) {
            find_mag(&all, axes);
        }
    }
    free(all.at);
    return MARL_OK;
}
