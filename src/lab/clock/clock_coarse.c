/* SPDX-License-Identifier: MIT
 * The shift of two clocks on a grid: the one at which the gyroscope's rate, turned and scaled, explains most
 * of the reference's. */
#include "lab/clock/clock_coarse.h"
#include "lab/clock/lag_grid.h"
#include "lab/clock/turning.h"
#include "lab/maths/correlate.h"
#include "lab/maths/linear.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define COARSE_NS 100e6
/* A shift that leaves so many times as much unexplained as the best fits as well ... */
#define FITS_TOO 1.5
#define GYRO_LOSS 0.002 /* share that errors of the gyroscope may cost here and not there */
#define NEARLY 0.9      /* ... if it explains so much of what that does */
#define CLEARLY_LESS 0.95

static void centre(lab_turning *t)
{
    double mean[3] = {0}, n = 0;
    for (size_t k = 0; k < t->n; k++) {
        n += t->known[k];
        for (int i = 0; i < 3; i++) {
            mean[i] += t->rate[k][i];
        }
    }
    for (size_t k = 0; k < t->n && n > 0; k++) {
        for (int i = 0; i < 3; i++) {
            t->rate[k][i] -= t->known[k] ? mean[i] / n : 0;
        }
    }
}

/* Sums of the squares before each place. NULL without memory. */
static double *running_squares(const lab_turning *t)
{
    double *sum = calloc(t->n + 1, sizeof *sum);
    for (size_t k = 0; k < t->n && sum != NULL; k++) {
        const double *w = t->rate[k];
        sum[k + 1] = sum[k] + w[0] * w[0] + w[1] * w[1] + w[2] * w[2];
    }
    return sum;
}

/* The share of the reference's squares that the gyroscope's rate explains, turned and scaled at best: by the
 * singular values of the products, of which the last is negative when the best map would be a mirror
 * ("Least-squares estimation of transformation parameters between two point patterns", 1991). */
static double r_squared_of(double regressor, const double product[9], double response)
{
    double value[3];
    if (!(response > 0) || !(regressor > 0) || !lab_singular_values(product, value)) {
        return NAN;
    }
    double mirrored = product[0] * (product[4] * product[8] - product[5] * product[7]) -
                      product[1] * (product[3] * product[8] - product[5] * product[6]) +
                      product[2] * (product[3] * product[7] - product[4] * product[6]);
    double along = value[0] + value[1] + (mirrored < 0 ? -value[2] : value[2]);
    return along * along / regressor / response;
}

/* Running squares of both, and the products at every lag. */
typedef struct lagged {
    const double *regressor, *response;
    const float *products;
} lagged;

/* At every lag of the grid, where enough of both overlaps. */
static void put_shares(const lab_lag_grid *g, const lagged *l, double *share)
{
    for (size_t i = 0; i < g->lags; i++) {
        lab_overlap o = lab_overlap_at(g, i);
        double product[9];
        for (size_t p = 0; p < 9; p++) {
            product[p] = (double)l->products[p * g->lags + i];
        }
        share[i] = o.n >= g->min ? r_squared_of(l->regressor[o.in_a + o.n] - l->regressor[o.in_a], product,
                                                l->response[o.in_b + o.n] - l->response[o.in_b])
                                 : NAN;
    }
}

static marl_status shares_at_all_lags(const lab_turning *x, const lab_turning *y, const lab_lag_grid *g,
                                      double *share, marl_error *error)
{
    double *regressor = running_squares(x), *response = running_squares(y);
    float *products = NULL;
    const double *series[6];
    double *flat = calloc(3 * (x->n + y->n) + 1, sizeof *flat);
    int capacity = flat != NULL && regressor != NULL && response != NULL;
    marl_status status = capacity ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    for (size_t i = 0; i < 6 && flat != NULL; i++) {
        const lab_turning *t = i < 3 ? x : y;
        double *to = flat + (i < 3 ? i * x->n : 3 * x->n + (i - 3) * y->n);
        for (size_t k = 0; k < t->n; k++) {
            to[k] = t->rate[k][i % 3];
        }
        series[i] = to;
    }
    const lab_series_set a = {3, x->n, series}, b = {3, y->n, series + 3};
    status = status != MARL_OK ? status : lab_cross_sums(&a, &b, &products, error);
    if (status == MARL_OK) {
        put_shares(g, &(lagged){regressor, response, products}, share);
    }
    free(regressor);
    free(response);
    free(products);
    free(flat);
    return status;
}

/* The greatest overlap among shifts that fit about as well as `at` and are no neighbours of it; SIZE_MAX when
 * the neighbours reach too far. */
static size_t overlap_of_rivals(const lab_lag_grid *g, const double *share, size_t at)
{
    double enough = 1 - GYRO_LOSS - LAB_RIVAL * (1 - share[at]);
    size_t low = at, high = at, max = 0, widest = (size_t)(LAB_WIDEST_S / g->step_s);
    while (low > 0 && (share[low - 1] >= enough || at - low < widest / 2)) {
        low--;
    }
    while (high + 1 < g->lags && (share[high + 1] >= enough || high - at < widest / 2)) {
        high++;
    }
    if (high - low > 2 * widest) {
        return SIZE_MAX;
    }
    for (size_t i = 0; i < g->lags; i++) {
        int rival = share[i] >= enough && (i < low || i > high);
        max = rival && lab_overlap_at(g, i).n > max ? lab_overlap_at(g, i).n : max;
    }
    return max;
}

/* Which lag of the grid it is, if it is any. Motion that repeats itself fits at several: of those that
 * explain about as much as the best, the one where both recordings have most in common. */
static void decide(const lab_lag_grid *g, const double *share, lab_clock_shift *shift)
{
    const lab_lag_range none = {1, 0};
    size_t best = lab_greatest(share, 0, g->lags);
    if (best == SIZE_MAX || best == 0 || best + 1 == g->lags || !(share[best] > LAB_MIN_SHARE)) {
        return;
    }
    double enough = fmax(1 - GYRO_LOSS - FITS_TOO * (1 - share[best]), NEARLY * share[best]);
    best = lab_longest_fit(g, share, enough, none, best);
    size_t rivals = overlap_of_rivals(g, share, best);
    double place = lab_peak_place(share[best - 1], share[best], share[best + 1]);
    shift->found = (double)rivals < CLEARLY_LESS * (double)lab_overlap_at(g, best).n;
    shift->repeats = rivals > 0;
    shift->shift_s = g->step_s * ((double)lab_lag_of(g, best) + (isfinite(place) ? place : 0));
}

/* An even grid; window k is around from + k step. */
static void put_edges(int64_t *edge, size_t n, int64_t from_ns, double step_ns)
{
    for (size_t k = 0; k < n; k++) {
        edge[k] = from_ns + llround(((double)k - 1) * step_ns);
    }
}

marl_status lab_clock_coarse(const lab_two_clocks *r, lab_clock_shift *shift, marl_error *error)
{
    double step = fmax(COARSE_NS, r->min_step_ns);
    lab_turning x = {0}, y = {0};
    marl_status s = lab_turning_make(&x, (size_t)(r->log_s * 1e9 / step) + 1, error);
    s = s != MARL_OK ? s : lab_turning_make(&y, (size_t)(r->reference_s * 1e9 / step) + 1, error);
    size_t edges = (x.n > y.n ? x.n : y.n) + 2;
    int64_t *edge = malloc(edges * sizeof *edge);
    s = s != MARL_OK || edge != NULL ? s : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    if (s == MARL_OK && edge != NULL) {
        put_edges(edge, edges, r->log_from, step);
        s = lab_turning_of_gyro(&x, r->log, edge, error);
        put_edges(edge, edges, r->reference_from, step);
        s = s != MARL_OK ? s : lab_turning_of_series(&y, r->reference, edge, (int64_t)step, error);
        lab_turning_forget_jumps(&y, r->reference, edge, r->fastest);
    }
    free(edge);
    double *share = calloc(x.n + y.n + 1, sizeof *share);
    const lab_lag_grid grid = lab_lag_grid_of(x.n, y.n, 1e-9 * step);
    *shift = (lab_clock_shift){0};
    s = s != MARL_OK || share != NULL ? s : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    if (s == MARL_OK && share != NULL) {
        centre(&x);
        centre(&y);
        s = shares_at_all_lags(&x, &y, &grid, share, error);
    }
    if (s == MARL_OK && share != NULL) {
        decide(&grid, share, shift);
    }
    free(share);
    lab_turning_free(&x);
    lab_turning_free(&y);
    return s;
}
