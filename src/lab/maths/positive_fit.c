/* SPDX-License-Identifier: MIT
 * Least squares over terms that cannot be negative: they are few, so every subset is tried. */
#include "lab/maths/positive_fit.h"
#include <lapacke.h>
#include <math.h>
#include <string.h>

#define MIN_SHARE 1e-15 /* of the greatest variance: no weight is infinite */
enum { ROUNDS = 6, WORK = 64 * LAB_FIT_TERMS };

/* Least squares over the terms of the set. Returns chi-square, infinity where there is no solution. */
static double solve(const lab_variances *v, unsigned set, const double *model, double term[LAB_FIT_TERMS],
                    double sigma[LAB_FIT_TERMS])
{
    double a[LAB_FIT_POINTS * LAB_FIT_TERMS], b[LAB_FIT_POINTS] = {0}, work[WORK], chi = 0;
    int which[LAB_FIT_TERMS], terms = 0;
    for (int k = 0; k < LAB_FIT_TERMS; k++) {
        term[k] = sigma[k] = 0;
        if (set & (1u << k)) {
            which[terms++] = k;
        }
    }
    for (size_t i = 0; i < v->n; i++) {
        double weight = sqrt(v->dof[i] / 2) / model[i];
        for (int k = 0; k < terms; k++) {
            a[(size_t)k * v->n + i] = weight * v->share[i][which[k]];
        }
        b[i] = weight * v->variance[i];
    }
    lapack_int n = (lapack_int)v->n;
    if (terms > n || LAPACKE_dgels_work(LAPACK_COL_MAJOR, 'N', n, terms, 1, a, n, b, n, work, WORK) != 0) {
        return INFINITY;
    }
    for (size_t i = (size_t)terms; i < v->n; i++) {
        chi += b[i] * b[i];
    }
    /* the upper triangle R stands in a: the covariance is the inverse of R'R */
    if (LAPACKE_dpotri_work(LAPACK_COL_MAJOR, 'U', terms, a, n) != 0) {
        return INFINITY;
    }
    for (int k = 0; k < terms; k++) {
        term[which[k]] = b[k];
        sigma[which[k]] = sqrt(a[k * n + k]);
    }
    return chi;
}

static int none_negative(const double term[LAB_FIT_TERMS])
{
    for (int k = 0; k < LAB_FIT_TERMS; k++) {
        if (term[k] < 0) {
            return 0;
        }
    }
    return 1;
}

/* The best solution without a negative term among the subsets of `allowed`. */
static double solve_positive(const lab_variances *v, unsigned allowed, const double *model,
                             double term[LAB_FIT_TERMS], double sigma[LAB_FIT_TERMS])
{
    double best = INFINITY;
    for (unsigned set = 1; set < 1u << v->terms; set++) {
        double t[LAB_FIT_TERMS] = {0}, s[LAB_FIT_TERMS] = {0};
        double chi = (set & ~allowed) ? INFINITY : solve(v, set, model, t, s);
        if (chi < best && none_negative(t)) {
            best = chi;
            memcpy(term, t, sizeof t);
            memcpy(sigma, s, sizeof s);
        }
    }
    return best;
}

static double greatest_variance(const lab_variances *v)
{
    double max = 0;
    for (size_t i = 0; i < v->n; i++) {
        max = fmax(max, v->variance[i]);
    }
    return max;
}

void lab_positive_fit_find(const lab_variances *v, unsigned allowed, lab_positive_fit *fit)
{
    const double min = MIN_SHARE * greatest_variance(v);
    *fit = (lab_positive_fit){.allowed = allowed};
    for (size_t i = 0; i < v->n; i++) {
        fit->model[i] = fmax(v->variance[i], min);
    }
    for (int round = 0; round < ROUNDS; round++) {
        fit->chi = solve_positive(v, allowed, fit->model, fit->term, fit->sigma);
        for (size_t i = 0; i < v->n; i++) {
            double model = 0;
            for (int k = 0; k < v->terms; k++) {
                model += fit->term[k] * v->share[i][k];
            }
            fit->model[i] = fmax(model, min);
        }
    }
}

double lab_positive_fit_without(const lab_variances *v, const lab_positive_fit *fit, int term)
{
    double t[LAB_FIT_TERMS], s[LAB_FIT_TERMS];
    return solve_positive(v, fit->allowed & ~(1u << term), fit->model, t, s) - fit->chi;
}

void lab_positive_fit_errors(const lab_variances *v, const lab_positive_fit *fit, double sigma[LAB_FIT_TERMS])
{
    double t[LAB_FIT_TERMS];
    (void)solve(v, fit->allowed, fit->model, t, sigma);
}
