/* SPDX-License-Identifier: MIT
 * The clock of a reference against a log's, from turning. The reference shows the rate r = M w(t + shift) + b
 * of what the gyroscope reads, with a free map M. (This way round, since the gyroscope has less noise: noise
 * in what explains would make M and the standard errors too small.) Shift, rate of the clocks, M and b follow
 * together by the method of Gauss and Newton. */
#include "lab/clock/clock_coarse.h"
#include "lab/clock/lag_grid.h"
#include "lab/clock/turning.h"
#include "lab/log/reading.h"
#include "lab/log/series.h"
#include "lab/maths/block_fit.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define DIVERGED_S 1e9 /* s: a fit that runs away */
#define DIVERGED_RATE 0.5
#define STRETCH_NS 20e9   /* over which means are taken out */
#define LONGEST_NS 1600e6 /* half a window */
#define SHORTEST_NS 10e6
#define AGREE 4 /* standard errors, and seconds: shorter windows may differ by so much */
#define AGREE_S 0.0005
#define MAX_SECONDS 1e6
#define MAX_SIGMA_S 0.02
#define MAX_PPM_SIGMA 100.0
#define MAX_RATE 0.01  /* no two clocks differ by more */
#define MIN_HONEST 0.5 /* share of the change that is no noise */
#define CONVERGED_S 1e-7
#define CONVERGED 0.02 /* standard errors */
enum {
    LINEAR = 12, /* unknowns of M and b */
    SHIFT = 12,
    RATE = 13,
    ROUNDS = 20,
    BLOCKS = 20 /* for the standard errors, at least, where 5 s do for one */
};

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

/* What the fit over windows of one length works on. */
typedef struct fitting {
    double step_ns, middle_s;
    int64_t block_ns;
    int64_t *edge, *moved; /* of the windows, by the reference's clock and by the log's */
    lab_turning x, y;
    double (*centred)[3]; /* y without its means */
    lab_block_fit fit;
    double all;   /* squares of the reference's rate in it, about its mean */
    int unknowns; /* of the round at hand; LINEAR: the shift is held */
    int solved, settled;
    double step[LAB_BLOCK_FIT_MAX], covariance[LAB_BLOCK_FIT_MAX * LAB_BLOCK_FIT_MAX];
} fitting;

/* The rows of one place: three axes. */
static void add_place(fitting *w, const alignment *at, size_t k)
{
    const double *x = w->x.rate[k];
    int64_t t_ns = w->edge[k + 1] - w->edge[0];
    for (int i = 0; i < 3; i++) {
        const double *m = at->map[i];
        double row[LAB_BLOCK_FIT_MAX] = {0}, change = 0, predicted = m[3];
        for (int j = 0; j < 3; j++) {
            row[4 * i + j] = x[j];
            predicted += m[j] * x[j];
            change += m[j] * w->x.change[k][j];
        }
        row[4 * i + 3] = 1;
        row[SHIFT] = change;
        row[RATE] = change * ((double)t_ns * 1e-9 - w->middle_s);
        lab_block_fit_add(&w->fit, t_ns, row, w->centred[k][i] - predicted);
    }
}

/* Takes the means out over stretches of some seconds, so that a bias of the gyroscope that wanders in minutes
 * is not taken for a shift. */
static void centre_by_stretch(fitting *w)
{
    size_t length = (size_t)(STRETCH_NS / w->step_ns) + 1;
    for (size_t from = 0; from < w->y.n; from += length) {
        double sum[9] = {0}, n = 0;
        size_t to = from + length < w->y.n ? from + length : w->y.n;
        for (size_t k = from; k < to; k++) {
            int used = w->x.known[k] && w->y.known[k];
            n += used;
            for (int i = 0; i < 3 && used; i++) {
                sum[i] += w->x.rate[k][i];
                sum[3 + i] += w->x.change[k][i];
                sum[6 + i] += w->y.rate[k][i];
            }
        }
        for (size_t k = from; k < to && n > 0; k++) {
            for (int i = 0; i < 3; i++) {
                w->x.rate[k][i] -= sum[i] / n;
                w->x.change[k][i] -= sum[3 + i] / n;
                w->centred[k][i] = w->y.rate[k][i] - sum[6 + i] / n;
            }
        }
    }
}

/* Errors in variables: gyroscope noise inflates the regressor. Its share of the regressor's squares. */
static double noise_share(const fitting *w, double noise)
{
    double squares = 0, of_noise = 2 * noise / pow(2e-9 * w->step_ns, 2);
    size_t n = 0;
    for (size_t k = 0; k < w->x.n; k++) {
        const double *c = w->x.change[k];
        squares += c[0] * c[0] + c[1] * c[1] + c[2] * c[2];
        n += w->x.known[k] != 0;
    }
    return squares > 0 ? fmin(1, (double)n * of_noise / squares) : 1;
}

static double squares_of(const fitting *w)
{
    double squares = 0;
    for (size_t k = 0; k < w->y.n; k++) {
        for (int i = 0; i < 3 && w->y.known[k] && w->x.known[k]; i++) {
            squares += w->centred[k][i] * w->centred[k][i];
        }
    }
    return squares;
}

static marl_status fit_once(const lab_two_clocks *r, fitting *w, alignment *at, marl_error *error)
{
    int unknowns = w->unknowns;
    if (!(fabs(at->shift_s) < DIVERGED_S) || !(fabs(at->rate) < DIVERGED_RATE)) {
        w->solved = 0;
        return MARL_OK;
    }
    double start_s = at->shift_s - at->rate * w->middle_s;
    int64_t from = r->log_from + llround(1e9 * start_s);
    for (size_t k = 0; k < w->y.n + 2; k++) {
        w->moved[k] = from + llround((double)(w->edge[k] - r->reference_from) * (1 + at->rate));
    }
    MARL_TRY(lab_turning_of_gyro(&w->x, r->log, w->moved, error));
    centre_by_stretch(w);
    lab_block_fit_init(&w->fit, unknowns, w->block_ns);
    for (size_t k = 0; k < w->y.n; k++) {
        if (w->y.known[k] && w->x.known[k]) {
            add_place(w, at, k);
        }
    }
    w->all = squares_of(w);
    w->solved = w->fit.rows > 3 * LAB_BLOCK_FIT_MAX && lab_block_fit_solve(&w->fit, w->step, w->covariance);
    double honest = 1 - noise_share(w, r->gyro_noise);
    w->solved = w->solved && (unknowns <= SHIFT || honest > MIN_HONEST);
    for (int i = SHIFT * unknowns; i < unknowns * unknowns && w->solved; i++) {
        w->covariance[i] /= i % unknowns >= SHIFT ? honest * honest : 1;
    }
    for (int i = SHIFT; i < unknowns && w->solved; i++) {
        w->step[i] /= honest;
    }
    for (int i = 0; i < LINEAR && w->solved; i++) {
        at->map[i / 4][i % 4] += w->step[i];
    }
    return MARL_OK;
}

/* Rounds until nothing moves: first map and bias alone, then the shift too, and the rate where it is asked
 * for. */
static marl_status fit_all(const lab_two_clocks *r, fitting *w, alignment *at, int unknowns,
                           marl_error *error)
{
    w->settled = 0;
    w->unknowns = LINEAR;
    memset(at->map, 0, sizeof at->map);
    marl_status status = fit_once(r, w, at, error);
    w->unknowns = unknowns;
    for (int i = 0; i < ROUNDS && status == MARL_OK && w->solved && !w->settled; i++) {
        status = fit_once(r, w, at, error);
        double rate = unknowns > RATE ? w->step[RATE] : 0;
        if (status == MARL_OK && w->solved) {
            at->shift_s += w->step[SHIFT];
            at->rate += rate;
            double sigma = sqrt(w->covariance[SHIFT * unknowns + SHIFT]);
            w->settled =
                fabs(w->step[SHIFT]) + fabs(rate) * r->reference_s < fmax(CONVERGED_S, CONVERGED * sigma);
        }
    }
    return status;
}

/* By the log's clock: the other way round, and at its first row. */
static void report(const lab_two_clocks *r, const fitting *w, const alignment *at, marl_clock *clock)
{
    int unknowns = w->unknowns;
    const double *covariance = w->covariance;
    double first_s = (at->rate * w->middle_s - at->shift_s) / (1 + at->rate); /* by the reference's clock */
    double since_s = first_s - w->middle_s, variance = covariance[SHIFT * unknowns + SHIFT];
    *clock = nothing_found();
    clock->r_squared = w->all > 0 ? 1 - w->fit.squares / w->all : 0;
    if (unknowns > RATE) {
        double rates = covariance[RATE * unknowns + RATE], both = covariance[SHIFT * unknowns + RATE];
        variance += since_s * since_s * rates + 2 * since_s * both;
        clock->ppm = 1e6 * (1 / (1 + at->rate) - 1);
        clock->ppm_sigma = 1e6 * sqrt(rates);
    }
    clock->offset_sigma_s = sqrt(variance);
    clock->offset_s = 1e-9 * (double)(r->reference_from - r->log_from) + first_s;
    clock->found =
        clock->offset_sigma_s < MAX_SIGMA_S && clock->r_squared > LAB_MIN_SHARE && fabs(at->rate) < MAX_RATE;
}

/* Edges where the reference was read: nothing is interpolated there, which would shift what is fast. */
static void put_edges(const lab_two_clocks *r, fitting *w)
{
    size_t place = 0;
    const marl_series *s = r->reference;
    for (size_t k = 0; k < w->y.n + 2; k++) {
        int64_t wanted = r->reference_from + llround((double)k * w->step_ns);
        while (place + 1 < s->n && s->at[place].t_ns < wanted) {
            place++;
        }
        w->edge[k] = s->at[place].t_ns;
    }
}

static marl_status make_fitting(const lab_two_clocks *r, fitting *w, marl_error *error)
{
    size_t n = (size_t)(r->reference_s * 1e9 / w->step_ns) + 1;
    w->middle_s = r->reference_s / 2;
    w->block_ns = (int64_t)fmax((double)LAB_BLOCK_NS, fmin(STRETCH_NS, 1e9 * r->reference_s / BLOCKS));
    w->centred = calloc(n, sizeof *w->centred);
    w->edge = calloc(n + 2, sizeof *w->edge);
    w->moved = calloc(n + 2, sizeof *w->moved);
    if (w->centred == NULL || w->edge == NULL || w->moved == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    MARL_TRY(lab_turning_make(&w->x, n, error));
    MARL_TRY(lab_turning_make(&w->y, n, error));
    put_edges(r, w);
    MARL_TRY(lab_turning_of_series(&w->y, r->reference, w->edge, (int64_t)w->step_ns, error));
    lab_turning_forget_jumps(&w->y, r->reference, w->edge, r->fastest);
    return MARL_OK;
}

static void free_fitting(fitting *w)
{
    free(w->centred);
    free(w->edge);
    free(w->moved);
    lab_turning_free(&w->x);
    lab_turning_free(&w->y);
}

/* Over windows of one length: with the rate of the clocks, and without it where it is not determined. *at
 * is the start, and then the result. */
static marl_status find_by(const lab_two_clocks *r, double step_ns, alignment *at, marl_clock *clock,
                           marl_error *error)
{
    fitting w = {.step_ns = step_ns};
    alignment start = *at;
    *clock = nothing_found();
    marl_status s = make_fitting(r, &w, error);
    for (int unknowns = RATE + 1, done = 0; unknowns > SHIFT && s == MARL_OK && !done; unknowns--) {
        *at = start;
        s = fit_all(r, &w, at, unknowns, error);
        if (s == MARL_OK && w.settled) {
            report(r, &w, at, clock);
            done = unknowns == RATE || clock->ppm_sigma <= MAX_PPM_SIGMA;
        } else {
            break; /* what does not come to rest with a rate would only hide it without */
        }
    }
    free_fitting(&w);
    return s;
}

/* Long windows see slow motion through the noise, short ones see vibration, which determines the time
 * best. Each length starts where the best one so far ended; the one with the smallest standard error
 * counts. */
static marl_status find_fine(const lab_two_clocks *r, alignment at, marl_clock *clock, marl_error *error)
{
    marl_status status = MARL_OK;
    *clock = nothing_found();
    for (double step = LONGEST_NS; step >= SHORTEST_NS && step >= r->min_step_ns && status == MARL_OK;
         step /= 2) {
        alignment here = at;
        marl_clock by;
        status = find_by(r, step, &here, &by, error);
        int agrees =
            !clock->found || fabs(here.shift_s - at.shift_s) < AGREE * clock->offset_sigma_s + AGREE_S;
        int smaller =
            by.offset_sigma_s < clock->offset_sigma_s && (isfinite(by.ppm) || !isfinite(clock->ppm));
        if (status == MARL_OK && by.found && agrees && (!clock->found || smaller)) {
            *clock = by;
            at = here;
        }
    }
    return status;
}

/* From the first row of a piece to that of the log, which is so much before it. */
static void move_to_first_row(marl_clock *clock, double before_s)
{
    if (clock->found && isfinite(clock->ppm)) {
        clock->offset_s -= before_s * 1e-6 * clock->ppm;
        clock->offset_sigma_s = hypot(clock->offset_sigma_s, before_s * 1e-6 * clock->ppm_sigma);
    }
}

marl_status marl_clock_find(const marl_log *log, const marl_series *reference, marl_clock *clock,
                            marl_error *error)
{
    lab_clock_shift coarse;
    *clock = nothing_found();
    double gyro_step = lab_gyro_step_s(log), step = lab_median_step_s(reference);
    if ((log->info.columns & MARL_COLUMNS_GYRO) != MARL_COLUMNS_GYRO || !isfinite(gyro_step)) {
        return marl_fail(
            error, MARL_ERR_INSUFFICIENT,
            "%s: the offset of the clocks is found from the gyroscope, which the log does not have",
            log->path);
    }
    if (!isfinite(step)) {
        return MARL_OK;
    }
    const marl_log part = lab_longest_piece(log);
    const marl_series piece = lab_series_longest_piece(reference);
    lab_two_clocks r = {.log = &part, .reference = &piece};
    r.log_from = part.row[0].sample.t_ns;
    r.reference_from = piece.at[0].t_ns;
    r.log_s = lab_log_seconds(&part);
    r.reference_s = 1e-9 * (double)(piece.at[piece.n - 1].t_ns - r.reference_from);
    r.gyro_noise = lab_gyro_noise(log);
    r.fastest = lab_gyro_fastest(log);
    r.min_step_ns = 1e9 * fmax(gyro_step, step);
    if (fmax(r.log_s, r.reference_s) > MAX_SECONDS) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: too long to find the offset of its clock",
                         log->path);
    }
    marl_status status = lab_clock_coarse(&r, &coarse, error);
    if (status == MARL_OK && coarse.found) {
        status = find_fine(&r, (alignment){.shift_s = coarse.shift_s}, clock, error);
        clock->repeats = coarse.repeats;
        move_to_first_row(clock, 1e-9 * (double)(r.log_from - log->row[0].sample.t_ns));
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
