/* SPDX-License-Identifier: MIT
 * The clock of a reference against a log's, from turning. The reference shows the rate r = M w(t + shift) + b
 * of what the gyroscope reads, with a free map M. (This way round, since the gyroscope has less noise: noise
 * in what explains would make M and the standard errors too small.) A shift is right to the step of a grid
 * where M explains most, as a turned and scaled one; then shift, rate of the clocks, M and b follow together
 * by the method of Gauss and Newton. */
#include "block_fit.h"
#include "correlate.h"
#include "marlinspike/reference.h"
#include "series.h"
#include "turning.h"
#include <lapacke.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define COARSE_NS 100e6
#define LONGEST_NS 1600e6 /* half a window */
#define SHORTEST_NS 10e6
#define AGREE 4 /* standard errors */
#define AGREE_S 0.0005
#define STEPS_IN_HALF 1.5
#define LEAST_OVERLAP_S 10.0
#define WIDEST_S 2.0 /* the shifts that fit about as well may lie so far apart */
#define FITS_TOO 1.5 /* a shift that leaves so many times as much unexplained as the best fits as well */
#define NEARLY 0.9
#define CLEARLY_LESS 0.95
#define LEAST_SHARE 0.3
#define MOST_SIGMA_S 0.02
#define MOST_PPM_SIGMA 100.0
#define MOST_RATE 0.01 /* no two clocks differ by more */
#define CONVERGED_S 1e-7
#define CONVERGED 0.02 /* standard errors */
enum {
    LINEAR = 12, /* unknowns of M and b */
    SHIFT = 12,
    RATE = 13,
    ROUNDS = 20
};

/* What the two recordings are reduced to. */
typedef struct recordings {
    const marl_log *log;
    const marl_series *reference;
    int64_t log_from, reference_from; /* their first moments */
    double log_s, reference_s;        /* how long they are */
    double least_step_ns;             /* what both can fill */
} recordings;

/* Times of the log, of those of the reference: log_from + shift at the reference's middle, growing by rate.
 */
typedef struct alignment {
    double shift_s;
    double rate;
    double map[3][4]; /* M and b */
} alignment;

static marl_clock nothing_found(void)
{
    return (marl_clock){0, NAN, NAN, NAN, NAN, 0, 0};
}

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
static double share_explained(double cause, const double product[9], double effect)
{
    double p[9], value[3], left[9], right[9], rest[2];
    memcpy(p, product, sizeof p);
    if (!(effect > 0) || !(cause > 0) ||
        LAPACKE_dgesvd(LAPACK_ROW_MAJOR, 'N', 'N', 3, 3, p, 3, value, left, 3, right, 3, rest) != 0) {
        return NAN;
    }
    double mirrored = product[0] * (product[4] * product[8] - product[5] * product[7]) -
                      product[1] * (product[3] * product[8] - product[5] * product[6]) +
                      product[2] * (product[3] * product[7] - product[4] * product[6]);
    double along = value[0] + value[1] + (mirrored < 0 ? -value[2] : value[2]);
    return along * along / cause / effect;
}

/* At every lag of the grid, where enough of both overlaps. */
static void shares(const double *cause, const double *effect, const float *products, size_t na, size_t nb,
                   size_t least, double *share)
{
    size_t lags = na + nb - 1;
    for (size_t i = 0; i < lags; i++) {
        size_t fb = i + 1 < nb ? nb - 1 - i : 0, fa = i + 1 < nb ? 0 : i + 1 - nb;
        size_t n = na - fa < nb - fb ? na - fa : nb - fb;
        double product[9];
        for (size_t p = 0; p < 9; p++) {
            product[p] = (double)products[p * lags + i];
        }
        share[i] = n >= least
                       ? share_explained(cause[fa + n] - cause[fa], product, effect[fb + n] - effect[fb])
                       : NAN;
    }
}

static marl_status shares_at_all_lags(const lab_turning *x, const lab_turning *y, size_t least, double *share,
                                      marl_error *error)
{
    double *cause = running_squares(x), *effect = running_squares(y);
    float *products = NULL;
    const double *series[6];
    double *flat = calloc(3 * (x->n + y->n) + 1, sizeof *flat);
    int room = flat != NULL && cause != NULL && effect != NULL;
    marl_status status = room ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
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
        shares(cause, effect, products, x->n, y->n, least, share);
    }
    free(cause);
    free(effect);
    free(products);
    free(flat);
    return status;
}

static size_t overlap_at(size_t lag, size_t na, size_t nb)
{
    size_t from_end = na + nb - 2 - lag, least = na < nb ? na : nb;
    size_t n = 1 + (lag < from_end ? lag : from_end);
    return n < least ? n : least;
}

/* Motion that repeats itself fits at several shifts: of those that explain about as much as the best, the one
 * where both recordings have most in common. */
static size_t longest_that_fits(const double *share, size_t best, size_t na, size_t nb)
{
    double enough = fmax(1 - FITS_TOO * (1 - share[best]), NEARLY * share[best]);
    size_t longest = best;
    for (size_t i = 1; i + 2 < na + nb; i++) {
        int peak = share[i] >= enough && share[i] >= share[i - 1] && share[i] >= share[i + 1];
        longest = peak && overlap_at(i, na, nb) > overlap_at(longest, na, nb) ? i : longest;
    }
    return longest;
}

/* The greatest overlap among shifts that fit about as well as `at` and are no neighbours of it. */
static size_t overlap_of_rivals(const double *share, size_t at, size_t na, size_t nb, size_t widest)
{
    double enough = 1 - LAB_RIVAL * (1 - share[at]);
    size_t low = at, high = at, lags = na + nb - 1, most = 0;
    while (low > 0 && (share[low - 1] >= enough || at - low < widest / 2)) {
        low--;
    }
    while (high + 1 < lags && (share[high + 1] >= enough || high - at < widest / 2)) {
        high++;
    }
    for (size_t i = 0; i < lags && high - low <= 2 * widest; i++) {
        int rival = share[i] >= enough && (i < low || i > high);
        most = rival && overlap_at(i, na, nb) > most ? overlap_at(i, na, nb) : most;
    }
    return high - low <= 2 * widest ? most : SIZE_MAX;
}

/* The shift on a grid. *found = 0 when none stands out; *only = 0 when others fit about as well. */
static marl_status find_coarse(const recordings *r, alignment *at, int *found, int *only, marl_error *error)
{
    double step = fmax(COARSE_NS, r->least_step_ns), *share = NULL;
    lab_turning x = {0}, y = {0};
    marl_status s = lab_turning_make(&x, (size_t)(r->log_s * 1e9 / step) + 1, error);
    s = s ? s : lab_turning_make(&y, (size_t)(r->reference_s * 1e9 / step) + 1, error);
    s = s ? s : lab_turning_of_gyro(&x, r->log, r->log_from, step, error);
    s = s ? s : lab_turning_of_series(&y, r->reference, r->reference_from, step, error);
    *found = 0;
    size_t lags = x.n + y.n - 1, shorter = x.n < y.n ? x.n : y.n;
    size_t least = (size_t)(LEAST_OVERLAP_S * 1e9 / step);
    if (s == MARL_OK && (share = calloc(lags, sizeof *share)) == NULL) {
        s = marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    if (s == MARL_OK && share != NULL) {
        centre(&x);
        centre(&y);
        s = shares_at_all_lags(&x, &y, shorter / 2 > least ? shorter / 2 : least, share, error);
    }
    size_t best = s == MARL_OK && share != NULL ? lab_greatest(share, 0, lags) : SIZE_MAX;
    if (share != NULL && best != SIZE_MAX && best > 0 && best + 1 < lags && share[best] > LEAST_SHARE) {
        size_t widest = (size_t)(WIDEST_S * 1e9 / step);
        best = longest_that_fits(share, best, x.n, y.n);
        size_t rivals = overlap_of_rivals(share, best, x.n, y.n, widest);
        *only = rivals == 0;
        *found = (double)rivals < CLEARLY_LESS * (double)overlap_at(best, x.n, y.n);
        double place = lab_peak_place(share[best - 1], share[best], share[best + 1]);
        at->shift_s = 1e-9 * step * ((double)best - (double)(y.n - 1) + (isfinite(place) ? place : 0));
    }
    free(share);
    lab_turning_free(&x);
    lab_turning_free(&y);
    return s;
}

/* What one round of the fit works on. */
typedef struct round {
    double step_ns, middle_s;
    lab_turning x, y;
    lab_block_fit fit;
    double all; /* squares of the reference's rate in it, about its mean */
} round_of;

/* The rows of one place: three axes. */
static void add_place(round_of *w, const alignment *at, size_t k)
{
    const double *x = w->x.rate[k], *before = w->x.rate[k - 1], *after = w->x.rate[k + 1];
    int64_t t_ns = llround((double)k * w->step_ns);
    for (int i = 0; i < 3; i++) {
        const double *m = at->map[i];
        double row[LAB_BLOCK_FIT_MOST] = {0}, change = 0, told = m[3];
        for (int j = 0; j < 3; j++) {
            row[4 * i + j] = x[j];
            told += m[j] * x[j];
            change += m[j] * (after[j] - before[j]) / (2e-9 * w->step_ns);
        }
        row[4 * i + 3] = 1;
        row[SHIFT] = change;
        row[RATE] = change * ((double)t_ns * 1e-9 - w->middle_s);
        lab_block_fit_add(&w->fit, t_ns, row, w->y.rate[k][i] - told);
    }
}

static double squares_about_mean(const lab_turning *y, const lab_turning *x)
{
    double sum[3] = {0}, squares = 0, n = 0;
    for (size_t k = 1; k + 1 < y->n; k++) {
        int used = y->known[k] && x->known[k - 1] && x->known[k] && x->known[k + 1];
        n += used;
        for (int i = 0; i < 3 && used; i++) {
            sum[i] += y->rate[k][i];
            squares += y->rate[k][i] * y->rate[k][i];
        }
    }
    return n > 0 ? squares - (sum[0] * sum[0] + sum[1] * sum[1] + sum[2] * sum[2]) / n : 0;
}

static marl_status fit_once(const recordings *r, round_of *w, alignment *at, int unknowns, double *step,
                            double *covariance, int *solved, marl_error *error)
{
    double begin_s = at->shift_s - at->rate * w->middle_s;
    int64_t from = r->log_from + llround(1e9 * begin_s);
    marl_status status = lab_turning_of_gyro(&w->x, r->log, from, w->step_ns * (1 + at->rate), error);
    if (status != MARL_OK) {
        return status;
    }
    lab_block_fit_begin(&w->fit, unknowns);
    for (size_t k = 1; k + 1 < w->y.n; k++) {
        if (w->y.known[k] && w->x.known[k - 1] && w->x.known[k] && w->x.known[k + 1]) {
            add_place(w, at, k);
        }
    }
    w->all = squares_about_mean(&w->y, &w->x);
    *solved = w->fit.rows > 3 * LAB_BLOCK_FIT_MOST && lab_block_fit_solve(&w->fit, step, covariance);
    for (int i = 0; i < LINEAR && *solved; i++) {
        at->map[i / 4][i % 4] += step[i];
    }
    return MARL_OK;
}

/* Rounds until nothing moves: first map and bias alone, then the shift too, and the rate where it is asked
 * for. */
static marl_status fit_all(const recordings *r, round_of *w, alignment *at, int unknowns, double *covariance,
                           int *settled, marl_error *error)
{
    double step[LAB_BLOCK_FIT_MOST] = {0};
    int solved = 0;
    *settled = 0;
    memset(at->map, 0, sizeof at->map);
    marl_status status = fit_once(r, w, at, LINEAR, step, covariance, &solved, error);
    for (int i = 0; i < ROUNDS && status == MARL_OK && solved && !*settled; i++) {
        status = fit_once(r, w, at, unknowns, step, covariance, &solved, error);
        double rate = unknowns > RATE ? step[RATE] : 0;
        if (status == MARL_OK && solved) {
            at->shift_s += step[SHIFT];
            at->rate += rate;
            double sigma = sqrt(covariance[SHIFT * unknowns + SHIFT]);
            *settled = fabs(step[SHIFT]) + fabs(rate) * r->reference_s < fmax(CONVERGED_S, CONVERGED * sigma);
        }
    }
    return status;
}

/* By the log's clock: the other way round, and at its first row. */
static void tell(const recordings *r, const round_of *w, const alignment *at, int unknowns,
                 const double *covariance, marl_clock *clock)
{
    double first_s = (at->rate * w->middle_s - at->shift_s) / (1 + at->rate); /* by the reference's clock */
    double since_s = first_s - w->middle_s, variance = covariance[SHIFT * unknowns + SHIFT];
    *clock = nothing_found();
    clock->explained = w->all > 0 ? 1 - w->fit.squares / w->all : 0;
    if (unknowns > RATE) {
        double rates = covariance[RATE * unknowns + RATE], both = covariance[SHIFT * unknowns + RATE];
        variance += since_s * since_s * rates + 2 * since_s * both;
        clock->ppm = 1e6 * (1 / (1 + at->rate) - 1);
        clock->ppm_sigma = 1e6 * sqrt(rates);
    }
    clock->offset_sigma_s = sqrt(variance);
    clock->offset_s = 1e-9 * (double)(r->reference_from - r->log_from) + first_s;
    clock->found =
        clock->offset_sigma_s < MOST_SIGMA_S && clock->explained > LEAST_SHARE && fabs(at->rate) < MOST_RATE;
}

/* Over windows of one length: with the rate of the clocks, and without it where it cannot be told. *at is
 * where to begin, and then what was found. */
static marl_status find_by(const recordings *r, double step_ns, alignment *at, marl_clock *clock,
                           marl_error *error)
{
    double covariance[LAB_BLOCK_FIT_MOST * LAB_BLOCK_FIT_MOST];
    round_of w = {.step_ns = step_ns, .middle_s = r->reference_s / 2};
    size_t n = (size_t)(r->reference_s * 1e9 / w.step_ns) + 1;
    alignment start = *at;
    int settled = 0;
    *clock = nothing_found();
    marl_status s = lab_turning_make(&w.x, n, error);
    s = s ? s : lab_turning_make(&w.y, n, error);
    s = s ? s : lab_turning_of_series(&w.y, r->reference, r->reference_from, w.step_ns, error);
    for (int unknowns = RATE + 1; unknowns > SHIFT && s == MARL_OK && !settled; unknowns--) {
        *at = start;
        s = fit_all(r, &w, at, unknowns, covariance, &settled, error);
        if (s == MARL_OK && settled) {
            tell(r, &w, at, unknowns, covariance, clock);
            settled = unknowns == RATE || clock->ppm_sigma <= MOST_PPM_SIGMA;
        }
    }
    lab_turning_free(&w.x);
    lab_turning_free(&w.y);
    return s;
}

/* Long windows see slow motion through the noise, short ones see vibration, which tells the time best. Each
 * length begins where the best one so far ended; the one that is surest counts. */
static marl_status find_fine(const recordings *r, alignment at, marl_clock *clock, marl_error *error)
{
    marl_status status = MARL_OK;
    *clock = nothing_found();
    for (double step = LONGEST_NS; step >= SHORTEST_NS && step >= r->least_step_ns && status == MARL_OK;
         step /= 2) {
        alignment here = at;
        marl_clock by;
        status = find_by(r, step, &here, &by, error);
        int agrees =
            !clock->found || fabs(here.shift_s - at.shift_s) < AGREE * clock->offset_sigma_s + AGREE_S;
        if (status == MARL_OK && by.found && agrees &&
            (!clock->found || by.offset_sigma_s < clock->offset_sigma_s)) {
            *clock = by;
            at = here;
        }
    }
    return status;
}

marl_status marl_clock_find(const marl_log *log, const marl_series *reference, marl_clock *clock,
                            marl_error *error)
{
    int found = 0, only = 0;
    alignment at = {0};
    *clock = nothing_found();
    double gyro_step = lab_gyro_step_s(log), step = lab_median_step_s(reference);
    if ((log->info.columns & MARL_COLUMNS_GYRO) != MARL_COLUMNS_GYRO || !isfinite(gyro_step)) {
        return marl_fail(
            error, MARL_ERR_EVIDENCE,
            "%s: the offset of the clocks is found from the gyroscope, which the log does not have",
            log->path);
    }
    if (!isfinite(step)) {
        return MARL_OK;
    }
    recordings r = {.log = log, .reference = reference};
    r.log_from = log->row[0].sample.t_ns;
    r.reference_from = reference->at[0].t_ns;
    r.log_s = 1e-9 * (double)(log->row[log->n - 1].sample.t_ns - r.log_from);
    r.reference_s = 1e-9 * (double)(reference->at[reference->n - 1].t_ns - r.reference_from);
    r.least_step_ns = 1e9 * fmax(gyro_step, step) * STEPS_IN_HALF;
    if (fmax(r.log_s, r.reference_s) * 1e9 / COARSE_NS > 1e8) {
        return marl_fail(error, MARL_ERR_EVIDENCE, "%s: too long to find the offset of its clock", log->path);
    }
    marl_status status = find_coarse(&r, &at, &found, &only, error);
    if (status == MARL_OK && found) {
        status = find_fine(&r, at, clock, error);
        clock->repeats = !only;
    }
    return status;
}

void marl_clock_apply(const marl_clock *clock, int64_t from_ns, marl_series *reference)
{
    double rate = isfinite(clock->ppm) ? 1e-6 * clock->ppm : 0;
    int64_t offset = llround(1e9 * clock->offset_s);
    for (size_t i = 0; i < reference->n; i++) {
        double since = (double)(reference->at[i].t_ns - offset - from_ns);
        reference->at[i].t_ns = from_ns + llround(since / (1 + rate));
    }
}
