/* SPDX-License-Identifier: MIT
 * White noise, flicker and walk from Allan deviations. */
#include "lab/maths/positive_fit.h"
#include "lab/noise/noise_parts.h"
#include "marlinspike/inspect.h"
#include <math.h>

enum { WHITE, FLICKER, WALK, LOW_PASS, TERMS };

#define FLICKER_SHARE 0.44127123 /* 2 ln 2 / pi */
#define MIN_CHI_SQUARE 9.0       /* a term is seen when chi-square falls by so much: three deviations */
#define WHITE_SLOPE (-0.4)
#define RISEN 1.15 /* the curve behind its floor */

/* Points of the curve share readings, which the fit counts as independent: the slower the noise, the more of its errors
 * are common to several points. By how much the standard errors are larger, from simulated rests of 300 and 1,800 s. */
static const double shared[TERMS] = {[WHITE] = 1.3, [FLICKER] = 1.6, [WALK] = 2.2, [LOW_PASS] = 1};

/* A low-pass makes the first points too small. Those within its memory are left out; behind it what it takes
 * away goes with 1 / tau^2, which is a term of the fit where it is seen. */
static size_t first_white(const marl_allan *allan)
{
    for (size_t i = 0; i + 8 < allan->n; i++) {
        const marl_allan_point *a = &allan->point[i], *b = &allan->point[i + 4];
        double slope = log(b->deviation / a->deviation) / log(b->tau_s / a->tau_s);
        if (slope < WHITE_SLOPE) {
            return i;
        }
    }
    return 0;
}

static void choose_points(const marl_allan *allan, lab_variances *p)
{
    p->n = 0;
    p->terms = TERMS;
    for (size_t i = first_white(allan); i < allan->n && p->n < LAB_FIT_POINTS; i += 4) {
        const marl_allan_point *a = &allan->point[i];
        p->variance[p->n] = a->deviation * a->deviation;
        p->dof[p->n] = a->dof;
        p->share[p->n][WHITE] = 1 / a->tau_s;
        p->share[p->n][FLICKER] = FLICKER_SHARE;
        p->share[p->n][WALK] = a->tau_s / 3;
        p->share[p->n][LOW_PASS] = -1 / (a->tau_s * a->tau_s);
        p->n++;
    }
}

/* The least deviation, if the curve rises again behind it by more than its own uncertainty. */
static double find_floor(const marl_allan *allan)
{
    size_t min = 0;
    for (size_t i = 1; i < allan->n; i++) {
        min = allan->point[i].deviation < allan->point[min].deviation ? i : min;
    }
    for (size_t i = min + 1; i < allan->n; i++) {
        if (allan->point[i].deviation > RISEN * allan->point[min].high) {
            return allan->point[min].deviation;
        }
    }
    return NAN;
}

/* A variance's term as the noise it stands for, with its standard error. */
static void report(const lab_positive_fit *f, int term, double *value, double *value_sigma)
{
    *value = sqrt(f->term[term]);
    *value_sigma = 0.5 * shared[term] * f->sigma[term] / *value;
}

/* The term where significant, else its detection limit. */
static void report_or_bound(const lab_variances *p, const lab_positive_fit *f, int term, double *value,
                            double *sigma, double *max)
{
    double errors[TERMS];
    if (f->term[term] > 0 && lab_positive_fit_without(p, f, term) > MIN_CHI_SQUARE) {
        report(f, term, value, sigma);
        return;
    }
    lab_positive_fit_errors(p, f, errors);
    *max = sqrt(f->term[term] + 3 * shared[term] * errors[term]);
}

void lab_noise_fit(const marl_allan *allan, marl_noise *noise)
{
    const unsigned all = (1u << TERMS) - 1;
    lab_variances p;
    lab_positive_fit f;
    *noise = (marl_noise){NAN, NAN, NAN, find_floor(allan), NAN, NAN, NAN, NAN, NAN};
    choose_points(allan, &p);
    if (p.n < TERMS + 1 || !(p.variance[0] > 0)) {
        return; /* too short, or the axis never moves: no result */
    }
    lab_positive_fit_find(&p, all, &f);
    if (isfinite(f.chi) && lab_positive_fit_without(&p, &f, LOW_PASS) < MIN_CHI_SQUARE) {
        lab_positive_fit_find(&p, all & ~(1u << LOW_PASS), &f);
    }
    if (!isfinite(f.chi)) {
        return; /* no noise of these kinds */
    }
    if (f.term[WHITE] > 0) {
        report(&f, WHITE, &noise->white, &noise->white_sigma);
    }
    report_or_bound(&p, &f, FLICKER, &noise->flicker, &noise->flicker_sigma, &noise->flicker_max);
    report_or_bound(&p, &f, WALK, &noise->walk, &noise->walk_sigma, &noise->walk_max);
}
