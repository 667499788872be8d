/* SPDX-License-Identifier: MIT
 * White noise, flicker and walk from Allan deviations. */
#include "marlinspike/noise.h"
#include "statistics.h"
#include <lapacke.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

enum { WHITE, FLICKER, WALK, LOW_PASS, TERMS };
enum { MOST_POINTS = 32, ROUNDS = 6 };

#define FLICKER_SHARE 0.44127123 /* 2 ln 2 / pi */
#define PI 3.141592653589793
#define SEEN 9.0 /* a term is seen when chi-square falls by so much: three deviations */
#define WHITE_SLOPE (-0.4)
#define LEAST_SHARE 1e-15 /* of the first variance: no weight is infinite */
#define RISEN 1.15        /* the curve behind its floor */

/* The points that are fitted: nearly independent, an octave apart. */
typedef struct points {
    size_t n;
    double variance[MOST_POINTS], freedom[MOST_POINTS], share[MOST_POINTS][TERMS];
} points;

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

static void choose_points(const marl_allan *allan, points *p)
{
    p->n = 0;
    for (size_t i = first_white(allan); i < allan->n && p->n < MOST_POINTS; i += 4) {
        const marl_allan_point *a = &allan->point[i];
        p->variance[p->n] = a->deviation * a->deviation;
        p->freedom[p->n] = a->freedom;
        p->share[p->n][WHITE] = 1 / a->tau_s;
        p->share[p->n][FLICKER] = FLICKER_SHARE;
        p->share[p->n][WALK] = a->tau_s / 3;
        p->share[p->n][LOW_PASS] = -1 / (a->tau_s * a->tau_s);
        p->n++;
    }
}

/* Least squares over the terms of the set; weights come from the model, so that a low point does not weigh
 * more for being low. Returns chi-square, infinity where there is no solution. */
static double solve(const points *p, unsigned set, const double *model, double term[TERMS],
                    double sigma[TERMS])
{
    double a[MOST_POINTS * TERMS], b[MOST_POINTS] = {0}, chi = 0;
    int which[TERMS], terms = 0;
    for (int k = 0; k < TERMS; k++) {
        term[k] = sigma[k] = 0;
        if (set & (1u << k)) {
            which[terms++] = k;
        }
    }
    for (size_t i = 0; i < p->n; i++) {
        double weight = sqrt(p->freedom[i] / 2) / model[i];
        for (int k = 0; k < terms; k++) {
            a[i * (size_t)terms + (size_t)k] = weight * p->share[i][which[k]];
        }
        b[i] = weight * p->variance[i];
    }
    if ((size_t)terms > p->n ||
        LAPACKE_dgels(LAPACK_ROW_MAJOR, 'N', (lapack_int)p->n, terms, 1, a, terms, b, 1) != 0) {
        return INFINITY;
    }
    for (size_t i = (size_t)terms; i < p->n; i++) {
        chi += b[i] * b[i];
    }
    /* the upper triangle R stands in a: the covariance is the inverse of R'R */
    if (LAPACKE_dpotri(LAPACK_ROW_MAJOR, 'U', terms, a, terms) != 0) {
        return INFINITY;
    }
    for (int k = 0; k < terms; k++) {
        term[which[k]] = b[k];
        sigma[which[k]] = sqrt(a[k * terms + k]);
    }
    return chi;
}

static int none_negative(const double term[TERMS])
{
    return term[WHITE] >= 0 && term[FLICKER] >= 0 && term[WALK] >= 0 && term[LOW_PASS] >= 0;
}

/* The best solution without a negative term among the subsets of `allowed`. */
static double solve_positive(const points *p, unsigned allowed, const double *model, double term[TERMS],
                             double sigma[TERMS])
{
    double best = INFINITY;
    for (unsigned set = 1; set < 1u << TERMS; set++) {
        double t[TERMS] = {0}, s[TERMS] = {0};
        double chi = (set & ~allowed) ? INFINITY : solve(p, set, model, t, s);
        if (chi < best && none_negative(t)) {
            best = chi;
            memcpy(term, t, sizeof t);
            memcpy(sigma, s, sizeof s);
        }
    }
    return best;
}

static void predict(const points *p, const double term[TERMS], double *model)
{
    for (size_t i = 0; i < p->n; i++) {
        model[i] = 0;
        for (int k = 0; k < TERMS; k++) {
            model[i] += term[k] * p->share[i][k];
        }
        model[i] = fmax(model[i], LEAST_SHARE * p->variance[0]);
    }
}

/* The least deviation, if the curve rises again behind it by more than its own uncertainty. */
static double find_floor(const marl_allan *allan)
{
    size_t least = 0;
    for (size_t i = 1; i < allan->n; i++) {
        least = allan->point[i].deviation < allan->point[least].deviation ? i : least;
    }
    for (size_t i = least + 1; i < allan->n; i++) {
        if (allan->point[i].deviation > RISEN * allan->point[least].high) {
            return allan->point[least].deviation;
        }
    }
    return NAN;
}

/* A variance's term as the noise it stands for, with its standard error. */
static void tell(double term, double sigma, double *value, double *value_sigma)
{
    *value = sqrt(term);
    *value_sigma = 0.5 * sigma / *value;
}

/* A solution, and what it was found with. */
typedef struct solution {
    unsigned allowed;
    double chi, term[TERMS], sigma[TERMS], model[MOST_POINTS];
} solution;

/* Weights follow the model, the model the weights. */
static void iterate(const points *p, unsigned allowed, solution *f)
{
    f->allowed = allowed;
    for (size_t i = 0; i < p->n; i++) {
        f->model[i] = fmax(p->variance[i], LEAST_SHARE * p->variance[0]);
    }
    for (int i = 0; i < ROUNDS; i++) {
        f->chi = solve_positive(p, allowed, f->model, f->term, f->sigma);
        predict(p, f->term, f->model);
    }
}

/* How much worse the fit is without a term. */
static double lost_without(const points *p, const solution *f, int term)
{
    double t[TERMS], s[TERMS];
    return solve_positive(p, f->allowed & ~(1u << term), f->model, t, s) - f->chi;
}

/* A term that is seen, or the least that would have been. */
static void tell_or_bound(const points *p, const solution *f, int term, double *value, double *sigma,
                          double *most)
{
    double t[TERMS], s[TERMS];
    if (f->term[term] > 0 && lost_without(p, f, term) > SEEN) {
        tell(f->term[term], f->sigma[term], value, sigma);
        return;
    }
    (void)solve(p, f->allowed, f->model, t, s); /* the errors of all terms, also of those that are zero */
    *most = sqrt(f->term[term] + 3 * s[term]);
}

/* What the flattest second-order low-pass takes from the Allan variance N^2 / tau of white noise sampled
 * every step_s: its correlation R(t) takes away 3 / tau^2 times the sum of t R(t) over the samples. As a
 * share of N^2, in s. */
static double taken_away(double corner_hz, double step_s)
{
    double a = sqrt(2) * PI * corner_hz, whole = 0.5, moment = 0;
    for (int k = 1; k * step_s * a < 40; k++) {
        double t = k * step_s, r = exp(-a * t) * (cos(a * t) + sin(a * t));
        whole += r;
        moment += t * r;
    }
    return 1.5 * moment / whole;
}

/* The corner that takes away so much; NaN where it would lie beyond what the samples can show. */
static double find_corner(double taken, double step_s)
{
    double low = 1e-5 / step_s, high = 0.35 / step_s;
    if (!(taken > taken_away(high, step_s) && taken < taken_away(low, step_s))) {
        return NAN;
    }
    for (int i = 0; i < 60; i++) {
        double middle = sqrt(low * high);
        if (taken_away(middle, step_s) > taken) {
            low = middle;
        } else {
            high = middle;
        }
    }
    return low;
}

void marl_noise_fit(const marl_allan *allan, marl_noise *noise)
{
    const unsigned all = (1u << TERMS) - 1;
    points p;
    solution f;
    *noise = (marl_noise){NAN, NAN, NAN, find_floor(allan), NAN, NAN, NAN, NAN, NAN, NAN};
    choose_points(allan, &p);
    if (p.n < TERMS + 1 || !(p.variance[0] > 0)) {
        return; /* too short, or the axis never moves: nothing is told */
    }
    iterate(&p, all, &f);
    if (isfinite(f.chi) && lost_without(&p, &f, LOW_PASS) < SEEN) {
        iterate(&p, all & ~(1u << LOW_PASS), &f);
    }
    if (!isfinite(f.chi)) {
        return; /* no noise of these kinds */
    }
    if (f.term[WHITE] > 0) {
        tell(f.term[WHITE], f.sigma[WHITE], &noise->white, &noise->white_sigma);
    }
    if (f.term[WHITE] > 0 && f.term[LOW_PASS] > 0) {
        noise->low_pass_hz = find_corner(f.term[LOW_PASS] / f.term[WHITE], allan->step_s);
    }
    tell_or_bound(&p, &f, FLICKER, &noise->flicker, &noise->flicker_sigma, &noise->flicker_most);
    tell_or_bound(&p, &f, WALK, &noise->walk, &noise->walk_sigma, &noise->walk_most);
}

/* Rows of a run of readings without a gap. */
typedef struct run {
    size_t first, last, readings; /* rows of the log, both included */
} run;

static uint8_t flag_of(marl_sensor sensor)
{
    return (uint8_t)(1u << sensor);
}

/* The longest run inside the still spans. */
static run find_run(const marl_log *log, const marl_inspection *inspection, marl_sensor sensor)
{
    run best = {0, 0, 0}, open = {0, 0, 0};
    size_t at = 0;
    double longest = 1.5 / inspection->sensor[sensor].rate_hz;
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (!(s->fresh & flag_of(sensor))) {
            continue;
        }
        int rests = marl_spans_hold(&inspection->still, s->t_ns, &at);
        double step = open.readings > 0 ? 1e-9 * (double)(s->t_ns - log->row[open.last].sample.t_ns) : 0;
        if (!rests || step > longest) {
            open.readings = 0;
        }
        if (rests) {
            open.first = open.readings == 0 ? i : open.first;
            open.last = i;
            open.readings++;
            best = open.readings > best.readings ? open : best;
        }
    }
    return best;
}

static void collect(const marl_log *log, const run *r, marl_sensor sensor, int axis, double *value)
{
    size_t n = 0;
    for (size_t i = r->first; i <= r->last; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (s->fresh & flag_of(sensor)) {
            const marl_vec3 *v = lab_reading(s, sensor);
            value[n++] = (double)(axis == 0 ? v->x : axis == 1 ? v->y : v->z);
        }
    }
}

marl_status marl_noise_of_log(const marl_log *log, const marl_inspection *inspection, marl_sensor sensor,
                              marl_sensor_noise *noise, marl_error *error)
{
    marl_status status = MARL_OK;
    memset(noise, 0, sizeof *noise);
    run r = find_run(log, inspection, sensor);
    if (r.readings < 16) {
        return MARL_OK;
    }
    double *value = malloc(r.readings * sizeof *value);
    if (value == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    noise->from_ns = log->row[r.first].sample.t_ns;
    noise->seconds = 1e-9 * (double)(log->row[r.last].sample.t_ns - noise->from_ns);
    double step = noise->seconds / (double)(r.readings - 1);
    for (int axis = 0; axis < 3 && status == MARL_OK; axis++) {
        if (inspection->sensor[sensor].axes & (1u << axis)) {
            collect(log, &r, sensor, axis, value);
            status = marl_allan_of(value, r.readings, step, &noise->allan[axis], error);
            if (status == MARL_OK) {
                marl_noise_fit(&noise->allan[axis], &noise->noise[axis]);
            }
            noise->axes |= 1u << axis;
        }
    }
    free(value);
    return status;
}
