/* SPDX-License-Identifier: MIT
 * Arrangements of axes, found from motion. */
#include "lab/inspect/arrangement.h"
#include "lab/inspect/axes_blocks.h"
#include "lab/inspect/axes_windows.h"
#include "lab/maths/linear.h"
#include "lab/maths/statistics.h"
#include "marlinspike/inspect.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define BEST_RESIDUAL 0.35 /* more, and nothing fits */
#define NEXT_TIMES 1.6     /* the next best must be so much worse */
#define MIN_DIP 10.0       /* degrees */
#define MAX_RESIDUAL 0.9   /* rest and the hand's own accelerations may be most of what changes */
#define MARGIN 6.0         /* standard errors between the best and any other */
#define MIN_SECOND 0.0004  /* 2 % of the rate about a second axis */
enum { MIN_WINDOWS = 30, MAX_UNKNOWNS = 4, MIN_BLOCKS = 12 };

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

/* Three rows of a problem, one an axis. */
typedef struct equation {
    double row[3][MAX_UNKNOWNS], y[3];
} equation;

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

/* d(accel)/dt = accel x (scale * rate - bias): four unknowns, three rows a window. */
static void gyro_rows(const lab_axes_windows *all, size_t i, const marl_arrangement *how, equation *e)
{
    const lab_axes_window *w = &all->at[i];
    double rate[3], turned[3];
    const double *g = w->v[MARL_ACCEL];
    arrange(how, w->v[MARL_GYRO], rate);
    lab_axes_change(all, i, MARL_ACCEL, e->y);
    lab_cross3(g, rate, turned);
    memset(e->row, 0, sizeof e->row);
    for (int k = 0; k < 3; k++) {
        int next = (k + 1) % 3, after = (k + 2) % 3;
        e->row[k][0] = turned[k];
        e->row[k][1 + after] = -g[next]; /* -(accel x bias) */
        e->row[k][1 + next] = g[after];
    }
}

/* What three rows leave with these unknowns. */
static double left_of(const equation *e, int unknowns, const double *x)
{
    double squares = 0;
    for (int k = 0; k < 3; k++) {
        double left = e->y[k];
        for (int i = 0; i < unknowns; i++) {
            left -= e->row[k][i] * x[i];
        }
        squares += left * left;
    }
    return squares;
}

static double fit_gyro(const lab_axes_windows *all, int number, double *scale)
{
    sums s = {0};
    const marl_arrangement how = lab_arrangement(number);
    double x[MAX_UNKNOWNS] = {0};
    equation e;
    for (size_t i = 0; i < all->n; i++) {
        if (lab_axes_usable(all, i, MARL_ACCEL)) {
            gyro_rows(all, i, &how, &e);
            for (int k = 0; k < 3; k++) {
                add_row(&s, e.row[k], 4, e.y[k]);
            }
        }
    }
    double left = s.rows >= 3 * MIN_WINDOWS ? solve(&s, 4, x) : 1;
    *scale = left < 1 ? x[0] : NAN;
    for (size_t i = 0; i < all->n; i++) {
        if (lab_axes_usable(all, i, MARL_ACCEL)) {
            gyro_rows(all, i, &how, &e);
            x[0] = fmax(x[0], 0); /* no gyroscope turns backwards: that is another arrangement */
            all->left[(size_t)number * all->blocks + i / LAB_AXES_BLOCK] += left_of(&e, 4, x);
        }
    }
    return left < 1 && x[0] <= 0 ? 1 : left;
}

/* The gyroscope in the accelerometer's axes, and an arrangement of the magnetometer. */
typedef struct mag_trial {
    const marl_axes_fit *gyro;
    marl_arrangement how;
} mag_trial;

/* d(mag)/dt = (mag - offset) x rate: three unknowns. */
static void mag_rows(const lab_axes_windows *all, size_t i, const mag_trial *m, equation *e)
{
    const lab_axes_window *w = &all->at[i];
    double rate[3], change[3], field[3], turned[3];
    arrange(&m->gyro->best, w->v[MARL_GYRO], rate);
    lab_axes_change(all, i, MARL_MAG, change);
    arrange(&m->how, change, e->y);
    arrange(&m->how, w->v[MARL_MAG], field);
    for (int k = 0; k < 3; k++) {
        rate[k] *= m->gyro->scale;
    }
    lab_cross3(field, rate, turned);
    memset(e->row, 0, sizeof e->row);
    for (int k = 0; k < 3; k++) {
        int next = (k + 1) % 3, after = (k + 2) % 3;
        e->row[k][next] = -rate[after]; /* -(offset x rate) */
        e->row[k][after] = rate[next];
        e->y[k] -= turned[k];
    }
}

static double fit_mag(const lab_axes_windows *all, const marl_axes_fit *gyro, int number, double offset[3])
{
    sums s = {0};
    const mag_trial m = {gyro, lab_arrangement(number)};
    double x[MAX_UNKNOWNS] = {0};
    equation e;
    for (size_t i = 0; i < all->n; i++) {
        if (lab_axes_usable(all, i, MARL_MAG)) {
            mag_rows(all, i, &m, &e);
            for (int k = 0; k < 3; k++) {
                add_row(&s, e.row[k], 3, e.y[k]);
            }
        }
    }
    if (s.rows < 3 * MIN_WINDOWS) {
        return INFINITY;
    }
    double left = solve(&s, 3, x) * s.yy;
    memcpy(offset, x, 3 * sizeof *offset);
    for (size_t i = 0; i < all->n; i++) {
        if (lab_axes_usable(all, i, MARL_MAG)) {
            mag_rows(all, i, &m, &e);
            all->left[(size_t)number * all->blocks + i / LAB_AXES_BLOCK] += left_of(&e, 3, x);
        }
    }
    return left;
}

/* Does it turn at all, and about more than one axis? From the second moments of the rate. */
static int turns_enough(const lab_axes_windows *all)
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
    return moment[1] > MIN_SECOND * moment[2]; /* ascending */
}

/* An arrangement with what it leaves, a share of the changes. */
typedef struct trial {
    marl_arrangement how;
    double left, scale;
} trial;

/* Returns 1 when it is the best so far. */
static int keep_best(marl_axes_fit *fit, const trial *t)
{
    if (t->left < fit->residual) {
        fit->next = fit->residual;
        fit->residual = t->left;
        fit->best = t->how;
        fit->scale = t->scale;
        return 1;
    }
    fit->next = fmin(fit->next, t->left);
    return 0;
}

/* By how much more each of the others leaves than the best, block by block: the least of the means, in its
 * standard errors. Parts of a recording that show nothing add nothing to either. */
static double margin_of(const double *left, size_t blocks, int best, int candidates)
{
    double least = INFINITY;
    for (int i = 0; i < candidates; i++) {
        lab_moments more = {0};
        for (size_t b = 0; b < blocks && i != best; b++) {
            lab_moments_add(&more, left[(size_t)i * blocks + b] - left[(size_t)best * blocks + b]);
        }
        if (i != best) {
            double sigma = lab_moments_deviation(&more) / sqrt((double)more.n);
            least = more.n >= MIN_BLOCKS && sigma > 0 ? fmin(least, more.mean / sigma) : 0;
        }
    }
    return least;
}

static void decide(marl_axes_fit *fit, double margin)
{
    int clear = fit->residual < BEST_RESIDUAL && fit->next > NEXT_TIMES * fit->residual;
    int sure = fit->residual < MAX_RESIDUAL && margin > MARGIN;
    fit->verdict = clear || sure ? MARL_AXES_DECIDED : MARL_AXES_UNDECIDED;
}

static void find_gyro(const lab_axes_windows *all, marl_axes_fit *fit)
{
    int best = 0;
    memset(all->left, 0, LAB_ARRANGEMENTS * all->blocks * sizeof *all->left);
    for (int i = 0; i < LAB_ARRANGEMENTS; i++) {
        trial t = {.how = lab_arrangement(i)};
        t.left = fit_gyro(all, i, &t.scale);
        best = keep_best(fit, &t) ? i : best;
    }
    decide(fit, margin_of(all->left, all->blocks, best, LAB_ARRANGEMENTS));
}

/* By whole turns, which fit together only where the gyroscope's scale is near 1. */
static marl_status find_gyro_by_turns(const marl_log *log, marl_axes_fit *fit, marl_error *error)
{
    lab_axes_blocks turns;
    int best = 0;
    marl_status status = lab_axes_blocks_make(&turns, log, error);
    fit->residual = fit->next = 1;
    for (int i = 0; i < LAB_ARRANGEMENTS && status == MARL_OK && turns.changed > 0; i++) {
        trial t = {.how = lab_arrangement(i), .left = 0, .scale = 1};
        for (size_t b = 0; b < turns.blocks; b++) {
            t.left += turns.left[(size_t)i * turns.blocks + b] / turns.changed;
        }
        best = keep_best(fit, &t) ? i : best;
    }
    if (status == MARL_OK && turns.changed > 0) {
        decide(fit, margin_of(turns.left, turns.blocks, best, LAB_ARRANGEMENTS));
    }
    lab_axes_blocks_free(&turns);
    return status;
}

/* The sum of squares of the changes, to which what is left is compared. */
static double changes(const lab_axes_windows *all)
{
    double sum = 0;
    for (size_t i = 0; i < all->n; i++) {
        double change[3];
        if (lab_axes_usable(all, i, MARL_MAG)) {
            lab_axes_change(all, i, MARL_MAG, change);
            sum += change[0] * change[0] + change[1] * change[1] + change[2] * change[2];
        }
    }
    return sum;
}

/* Mean angle of the field below the horizon. */
static double find_dip(const lab_axes_windows *all, const marl_arrangement *how, const double offset[3])
{
    double sum = 0, n = 0;
    for (size_t i = 0; i < all->n; i++) {
        const lab_axes_window *w = &all->at[i];
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
    return n > 0 ? sum / n / MARL_DEGREE : NAN;
}

/* Against the gyroscope as it is arranged by `gyro`. */
static void find_mag(const lab_axes_windows *all, const marl_axes_fit *gyro, marl_axes_fit *fit,
                     double *dip_deg)
{
    double best[3] = {0, 0, 0}, whole = changes(all);
    int number = 0;
    memset(all->left, 0, LAB_ARRANGEMENTS * all->blocks * sizeof *all->left);
    for (int i = 0; i < LAB_ARRANGEMENTS / 2 && whole > 0; i++) {
        double offset[3] = {0, 0, 0};
        trial t = {.how = lab_arrangement(i), .scale = NAN};
        t.left = fit_mag(all, gyro, i, offset) / whole;
        if (keep_best(fit, &t)) {
            memcpy(best, offset, sizeof best);
            number = i;
        }
    }
    decide(fit, whole > 0 ? margin_of(all->left, all->blocks, number, LAB_ARRANGEMENTS / 2) : 0);
    if (fit->verdict == MARL_AXES_DECIDED) {
        *dip_deg = find_dip(all, &fit->best, best);
        fit->sign_decided = fabs(*dip_deg) >= MIN_DIP;
        if (*dip_deg < 0) { /* the field points down in the north */
            *dip_deg = -*dip_deg;
            for (int k = 0; k < 3; k++) {
                fit->best.axis[k] = -fit->best.axis[k];
            }
        }
    }
}

static marl_status find_by(const marl_log *log, int64_t window_ns, int by_turns, marl_axes *axes,
                           marl_error *error)
{
    const marl_axes_fit none = {MARL_AXES_UNDECIDED, {{1, 2, 3}}, 1, 1, NAN, 0};
    int has_mag = (log->info.columns & MARL_COLUMNS_MAG) == MARL_COLUMNS_MAG;
    lab_axes_windows all;
    marl_status status = lab_axes_windows_make(&all, log, window_ns, error);
    *axes = (marl_axes){none, none, none, NAN};
    axes->mag.verdict = has_mag ? MARL_AXES_UNDECIDED : MARL_AXES_ABSENT;
    axes->mag_by_gyro.verdict = MARL_AXES_ABSENT;
    if (status == MARL_OK && turns_enough(&all)) {
        find_gyro(&all, &axes->gyro);
        if (by_turns && axes->gyro.verdict != MARL_AXES_DECIDED) {
            status = find_gyro_by_turns(log, &axes->gyro, error);
        }
        if (has_mag && axes->gyro.verdict == MARL_AXES_DECIDED) {
            find_mag(&all, &axes->gyro, &axes->mag, &axes->dip_deg);
        } else if (has_mag && by_turns) {
            const marl_axes_fit as_it_is = {MARL_AXES_DECIDED, {{1, 2, 3}}, 0, 0, 1, 0};
            axes->mag_by_gyro.verdict = MARL_AXES_UNDECIDED;
            find_mag(&all, &as_it_is, &axes->mag_by_gyro, &axes->dip_deg);
        }
    }
    lab_axes_windows_free(&all);
    return status;
}

/* Short windows follow fast turning; where they do not decide, longer ones see slow turning through a hand's
 * own accelerations, and at last whole turns. */
marl_status marl_axes_find(const marl_log *log, marl_axes *axes, marl_error *error)
{
    static const int64_t window_ns[] = {INT64_C(100000000), INT64_C(300000000)};
    const marl_axes_fit none = {MARL_AXES_ABSENT, {{1, 2, 3}}, 1, 1, NAN, 0};
    unsigned both = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO;
    marl_status status = MARL_OK;
    *axes = (marl_axes){none, none, none, NAN};
    if ((log->info.columns & both) != both) {
        return MARL_OK;
    }
    for (size_t i = 0; i < 2 && status == MARL_OK && axes->gyro.verdict != MARL_AXES_DECIDED; i++) {
        status = find_by(log, window_ns[i], i == 1, axes, error);
    }
    return status;
}
