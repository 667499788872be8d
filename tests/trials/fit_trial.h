/* SPDX-License-Identifier: MIT
 * Ellipsoid fits against their Cramer-Rao bound, for tests and the benchmark. */
#ifndef FIT_TRIAL_H
#define FIT_TRIAL_H

#include "lab/calibrate/ellipsoid.h"
#include "lab/maths/random.h"
#include "marlinspike/simulate.h"
#include <lapacke.h>
#include <math.h>
#include <string.h>

#define FIT_TRIAL_MAX 400

/* What is measured and how well it is covered. */
typedef struct fit_trial {
    size_t points;
    double field, noise, cap_deg; /* directions lie within cap_deg of a random one: 180 = all */
    int passage;                  /* 5 % of the readings lie in a smooth rise and fall to 30 uT */
} fit_trial;

typedef struct fit_truth {
    double bias[3], shape[3][3];
} fit_truth;

/* Where the surface lies towards y, at a distance of one in corrected units. */
static inline void fit_trial_raw(const fit_truth *t, const double y[3], double x[3])
{
    double a[9], b[3] = {y[0], y[1], y[2]};
    lapack_int pivots[3];
    memcpy(a, t->shape, sizeof a);
    (void)LAPACKE_dgesv(LAPACK_ROW_MAJOR, 3, 1, a, 3, pivots, b, 1);
    for (int k = 0; k < 3; k++) {
        x[k] = t->bias[k] + b[k];
    }
}

/* Hard iron of the size of the field, soft iron of a tenth. */
static inline fit_truth fit_trial_truth(const fit_trial *how, lab_random *random)
{
    fit_truth t;
    for (int i = 0; i < 3; i++) {
        t.bias[i] = how->field * 0.6 * lab_random_normal(random);
        for (int k = 0; k <= i; k++) {
            double off = 0.05 * lab_random_normal(random);
            t.shape[i][k] = t.shape[k][i] = ((i == k ? 1 : 0) + off) / how->field;
        }
    }
    return t;
}

static inline void fit_trial_direction(double cap_deg, const double pole[3], lab_random *random, double y[3])
{
    double min = cos(cap_deg * 0.017453292519943295), n;
    do {
        n = 0;
        for (int k = 0; k < 3; k++) {
            y[k] = lab_random_normal(random);
            n += y[k] * y[k];
        }
        for (int k = 0; k < 3; k++) {
            y[k] /= sqrt(n);
        }
    } while (y[0] * pole[0] + y[1] * pole[1] + y[2] * pole[2] < min);
}

/* Readings of one trial, and their true places. */
static inline void fit_trial_make(const fit_trial *how, const fit_truth *truth, lab_random *random,
                                  double (*x)[3], double (*clean)[3])
{
    double pole[3];
    const double everywhere[3] = {0, 0, 1};
    fit_trial_direction(180, everywhere, random, pole);
    size_t wide = how->points / 20,
           from = (size_t)(lab_random_uniform(random) * (double)(how->points - wide));
    double steel[3], y[3];
    fit_trial_direction(180, everywhere, random, steel);
    for (size_t i = 0; i < how->points; i++) {
        fit_trial_direction(how->cap_deg, pole, random, y);
        fit_trial_raw(truth, y, clean[i]);
        double along = i >= from && i < from + wide ? ((double)(i - from) + 0.5) / (double)wide : 0;
        double rise = how->passage ? 30 * 0.5 * (1 - cos(6.283185307179586 * along)) : 0;
        for (int k = 0; k < 3; k++) {
            x[i][k] = clean[i][k] + how->noise * lab_random_normal(random) + rise * steel[k];
        }
    }
}

/* Distance from the surface as geometry has it to first order, from numbers alone: the level over the length
 * of its numerical gradient. */
static inline double fit_trial_distance(const double p[9], const double x[3])
{
    static const int place[6][2] = {{0, 0}, {1, 1}, {2, 2}, {0, 1}, {0, 2}, {1, 2}};
    double shape[3][3], level = 0, gradient[3] = {0}, n = 0, y[3];
    for (int k = 0; k < 6; k++) {
        shape[place[k][0]][place[k][1]] = shape[place[k][1]][place[k][0]] = p[3 + k];
    }
    for (int i = 0; i < 3; i++) {
        y[i] = 0;
        for (int k = 0; k < 3; k++) {
            y[i] += shape[i][k] * (x[k] - p[k]);
        }
        level += y[i] * y[i];
    }
    for (int i = 0; i < 3; i++) {
        for (int k = 0; k < 3; k++) {
            gradient[i] += 2 * shape[i][k] * y[k];
        }
        n += gradient[i] * gradient[i];
    }
    return (level - 1) / sqrt(n);
}

/* The bound: inverse of the information of all readings. Returns 0 when it does not exist. */
static inline int fit_trial_bound(const fit_truth *t, double noise, const double (*clean)[3], size_t n,
                                  double covariance[81])
{
    const double p0[9] = {t->bias[0],     t->bias[1],     t->bias[2],     t->shape[0][0], t->shape[1][1],
                          t->shape[2][2], t->shape[0][1], t->shape[0][2], t->shape[1][2]};
    memset(covariance, 0, 81 * sizeof *covariance);
    for (size_t i = 0; i < n; i++) {
        double slope[9];
        for (int k = 0; k < 9; k++) {
            double up[9], down[9], step = k < 3 ? 1e-4 / p0[3] : 1e-5 * p0[3];
            memcpy(up, p0, sizeof up);
            memcpy(down, p0, sizeof down);
            up[k] += step;
            down[k] -= step;
            slope[k] = (fit_trial_distance(up, clean[i]) - fit_trial_distance(down, clean[i])) / (2 * step);
        }
        for (int j = 0; j < 81; j++) {
            covariance[j] += slope[j / 9] * slope[j % 9] / (noise * noise);
        }
    }
    if (LAPACKE_dpotrf(LAPACK_ROW_MAJOR, 'U', 9, covariance, 9) != 0 ||
        LAPACKE_dpotri(LAPACK_ROW_MAJOR, 'U', 9, covariance, 9) != 0) {
        return 0;
    }
    for (int j = 0; j < 81; j++) { /* both triangles */
        covariance[j] = j / 9 <= j % 9 ? covariance[j] : covariance[9 * (j % 9) + j / 9];
    }
    return 1;
}

/* Ratios to the bound: root mean square of the errors over that of the bounds. */
typedef struct fit_ratios {
    double bias, shape;
    double normalised; /* mean squared error of the biases in units of the reported covariance, over 3 */
    int failed;
} fit_ratios;

static inline double fit_normalised(const lab_ellipsoid *fit, const double error[3])
{
    double a[9], x[3] = {error[0], error[1], error[2]}, sum = 0;
    for (int k = 0; k < 9; k++) {
        a[k] = fit->cofactor[k / 3][k % 3] * fit->deviation * fit->deviation;
    }
    (void)LAPACKE_dposv(LAPACK_ROW_MAJOR, 'U', 3, 1, a, 3, x, 1);
    for (int k = 0; k < 3; k++) {
        sum += error[k] * x[k];
    }
    return sum;
}

static inline fit_ratios fit_trial_run(const fit_trial *how, int trials, uint64_t seed, int robust)
{
    static double x[FIT_TRIAL_MAX][3], clean[FIT_TRIAL_MAX][3];
    static unsigned char skip[FIT_TRIAL_MAX];
    static const int place[6][2] = {{0, 0}, {1, 1}, {2, 2}, {0, 1}, {0, 2}, {1, 2}};
    fit_ratios r = {0};
    double bias = 0, bias_bound = 0, shape = 0, shape_bound = 0, bound[81];
    int n = 0;
    for (int trial = 0; trial < trials; trial++) {
        lab_random random = lab_random_seeded(seed, (uint64_t)trial);
        fit_truth truth = fit_trial_truth(how, &random);
        fit_trial_make(how, &truth, &random, x, clean);
        lab_ellipsoid fit;
        marl_status status =
            robust ? lab_ellipsoid_fit_robust(&(lab_points){(const double(*)[3])x, how->points, NULL},
                                              LAB_FULL, skip, &fit, NULL)
                   : lab_ellipsoid_fit(&(lab_points){(const double(*)[3])x, how->points, NULL}, LAB_FULL,
                                       &fit, NULL);
        if (status != MARL_OK ||
            !fit_trial_bound(&truth, how->noise, (const double(*)[3])clean, how->points, bound)) {
            r.failed++;
            continue;
        }
        double error[3];
        for (int k = 0; k < 3; k++) {
            error[k] = fit.bias[k] - truth.bias[k];
            bias += error[k] * error[k];
            bias_bound += bound[10 * k];
        }
        for (int k = 0; k < 6; k++) {
            double off = fit.shape[place[k][0]][place[k][1]] - truth.shape[place[k][0]][place[k][1]];
            shape += off * off;
            shape_bound += bound[10 * (3 + k)];
        }
        r.normalised += fit_normalised(&fit, error) / 3;
        n++;
    }
    r.bias = sqrt(bias / bias_bound);
    r.shape = sqrt(shape / shape_bound);
    r.normalised /= n > 0 ? n : 1;
    return r;
}

#endif
