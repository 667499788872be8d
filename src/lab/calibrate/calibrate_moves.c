/* SPDX-License-Identifier: MIT
 * The gyroscope's matrix from moves between rests: a direction that the rests show, carried from one to the
 * next by the gyroscope, must arrive where it is found. */
#include "lab/calibrate/moves.h"
#include "lab/calibrate/raw_log.h"
#include "lab/maths/linear.h"
#include "lab/maths/statistics.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define LONGEST_S 30.0     /* of a move; more, and the bias wanders in it */
#define MIN_ANGLE 0.3      /* rad: less turning knows nothing of the matrix */
#define MAX_SIGMA 0.01     /* of an element */
#define MAX_DEVIATIONS 4.0 /* deviations, from the median: knocked, or clipped */
#define MIN_OUTLIER 0.017  /* rad: closer ones are never left out */
#define MAX_LEFT_OUT 0.34  /* of the moves */
enum { N = LAB_MOVE_ELEMENTS, ROUNDS = 4, MIN_MOVES = 8 };

/* Sums of the fit. */
typedef struct sums {
    double normal[N * N], right[N], squares;
    double rows; /* independent ones: a direction shows two of a turn's three */
} sums;

/* What carrying one direction over misses: found - carried = carried x turn at first order. Returns its
 * square. */
static double add_direction(const lab_move *m, const double from[3], const double found[3], sums *s)
{
    double carried[3], row[N][3], left[3];
    for (int i = 0; i < 3; i++) {
        carried[i] = lab_dot3(m->rotation[i], from);
        left[i] = found[i] - carried[i];
    }
    for (int e = 0; e < N; e++) {
        lab_cross3(carried, m->slope[e], row[e]);
    }
    for (int e = 0; e < N && s != NULL; e++) {
        s->right[e] += lab_dot3(row[e], left);
        for (int f = 0; f < N; f++) {
            s->normal[e * N + f] += lab_dot3(row[e], row[f]);
        }
    }
    if (s != NULL) {
        s->squares += lab_dot3(left, left);
        s->rows += 2;
    }
    return lab_dot3(left, left);
}

/* A move with its rests; the error is of the direction that misses most, rad. */
static double add_move(const lab_rest *a, const lab_rest *b, const lab_move *m, sums *s)
{
    double worst = add_direction(m, a->up, b->up, s);
    if (a->has_north && b->has_north) {
        worst = fmax(worst, add_direction(m, a->north, b->north, s));
    }
    return sqrt(worst);
}

/* One round: steps the matrix; *covariance is that of its elements. 0 when they cannot be separated. */
static int fit_round(const marl_log *log, const lab_rest *rests, marl_moves_result *r, double matrix[3][3],
                     double covariance[N * N])
{
    sums s = {.rows = 0};
    for (size_t i = 0; i < r->n; i++) {
        lab_move m;
        marl_move *of = &r->move[i];
        lab_move_integrate(log, &rests[of->from], &rests[of->from + 1], (const double(*)[3])matrix, &m);
        of->error = add_move(&rests[of->from], &rests[of->from + 1], &m, of->used ? &s : NULL);
    }
    memcpy(covariance, s.normal, sizeof s.normal);
    if (!(s.rows > N) || !lab_invert_positive(N, covariance)) {
        return 0;
    }
    double variance = s.squares / (s.rows - N);
    for (int e = 0; e < N; e++) {
        for (int f = 0; f < N; f++) {
            matrix[e / 3][e % 3] += covariance[e * N + f] * s.right[f];
        }
    }
    for (int e = 0; e < N * N; e++) {
        covariance[e] *= variance;
    }
    r->outcome.fit.residual_rms = sqrt(variance);
    return 1;
}

/* Leaves out what misses by far more than most do. Returns 1 when that changed. */
static int leave_out(marl_moves_result *r, double *scratch)
{
    int changed = 0;
    size_t n = 0;
    for (size_t i = 0; i < r->n; i++) {
        scratch[n++] = r->move[i].error;
    }
    double limit = fmax(MIN_OUTLIER, MAX_DEVIATIONS * lab_quantile(scratch, n, 0.5) /
                                         0.8326); /* median of two axes' length */
    r->left_out = 0;
    for (size_t i = 0; i < r->n; i++) {
        int used = r->move[i].error <= limit;
        changed |= used != r->move[i].used;
        r->move[i].used = used;
        r->left_out += !used;
    }
    return changed;
}

/* The accelerometer's own errors turn the axes that the gyroscope's become. */
static void report(const double matrix[3][3], const double covariance[N * N], const marl_fit *accel,
                   marl_moves_result *r)
{
    marl_fit *fit = &r->outcome.fit;
    double dof = 2 * (double)(r->n - r->left_out) - N, few = dof > 2 ? sqrt(dof / (dof - 2)) : INFINITY;
    memcpy(fit->matrix, matrix, sizeof fit->matrix);
    for (int e = 0; e < N; e++) {
        double own = accel->matrix_sigma[e / 3][e % 3];
        fit->matrix_sigma[e / 3][e % 3] =
            hypot(few * sqrt(covariance[e * N + e]), accel->present && isfinite(own) ? own : 0);
    }
    fit->present = fit->has_sigma = 1;
    fit->points = (double)(r->n - r->left_out);
    fit->field = fit->dip_deg = NAN;
}

/* The bias is the mean of all rests; its error how they scatter. */
static void report_bias(const lab_rest *rests, size_t n, marl_fit *fit)
{
    lab_moments temp = {0};
    for (size_t i = 0; i < n; i++) {
        if (isfinite(rests[i].temp)) {
            lab_moments_add(&temp, rests[i].temp);
        }
    }
    fit->temperature_degC = temp.n > 0 ? temp.mean : NAN;
    for (int k = 0; k < 3; k++) {
        lab_moments rate = {0};
        for (size_t i = 0; i < n; i++) {
            lab_moments_add(&rate, rests[i].rate[k]);
        }
        fit->bias[k] = rate.mean;
        fit->bias_sigma[k] = lab_moments_deviation(&rate) / sqrt((double)n);
    }
}

static marl_status collect_moves(const marl_log *log, const lab_rest *rests, size_t n, marl_moves_result *r,
                                 marl_error *error)
{
    static const double one[3][3] = {{1, 0, 0}, {0, 1, 0}, {0, 0, 1}};
    r->move = calloc(n + 1, sizeof *r->move);
    if (r->move == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i + 1 < n; i++) {
        lab_move m;
        marl_span span = {rests[i].span.to_ns, rests[i + 1].span.from_ns};
        if ((double)(span.to_ns - span.from_ns) > LONGEST_S * 1e9) {
            continue;
        }
        lab_move_integrate(log, &rests[i], &rests[i + 1], one, &m);
        if (m.angle > MIN_ANGLE) {
            r->move[r->n++] = (marl_move){.span = span, .from = i, .angle = m.angle, .error = NAN, .used = 1};
        }
    }
    return MARL_OK;
}

static marl_status decide(const marl_log *log, const marl_fit *accel, marl_moves_result *r, int fits,
                          marl_error *error)
{
    marl_calibrated *o = &r->outcome;
    double worst = 0;
    for (int e = 0; e < N && fits; e++) {
        double sigma = o->fit.matrix_sigma[e / 3][e % 3];
        worst = isfinite(sigma) ? fmax(worst, sigma) : INFINITY;
    }
    if (!fits || !(worst < MAX_SIGMA)) {
        int is_raw = !accel->present;
        if (is_raw) {
            snprintf(
                o->next, sizeof o->next,
                "calibrate poses first, by the same log if it has them: moves compare the gyroscope with the "
                "accelerometer, which is not calibrated");
        }
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: these %zu moves do not determine the gyroscope's matrix%s", log->path, r->n,
                         is_raw ? ": the accelerometer is not calibrated (poses first)" : "");
    }
    if ((double)r->left_out > MAX_LEFT_OUT * (double)r->n) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: %zu of %zu moves do not fit the others: clipped, or knocked while at rest",
                         log->path, r->left_out, r->n);
    }
    o->next[0] = '\0';
    o->accepted = 1;
    return MARL_OK;
}

/* The rests, and what they were corrected by. */
typedef struct found_rests {
    lab_rest *at;
    size_t n;
    const marl_fit *accel;
} found_rests;

static marl_status fit_moves(const marl_log *log, const found_rests *rests, marl_moves_result *r,
                             marl_error *error)
{
    double matrix[3][3], covariance[N * N] = {0};
    memcpy(matrix, r->outcome.fit.matrix, sizeof matrix);
    double *scratch = malloc((r->n + 1) * sizeof *scratch);
    if (scratch == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    int fits = 1, again = 1;
    for (int round = 0; round < ROUNDS || (again && round < 2 * ROUNDS); round++) {
        fits = fits && fit_round(log, rests->at, r, matrix, covariance);
        again = fits && round > 0 && leave_out(r, scratch);
    }
    free(scratch);
    if (fits) {
        report((const double(*)[3])matrix, covariance, rests->accel, r);
        report_bias(rests->at, rests->n, &r->outcome.fit);
    }
    return decide(log, rests->accel, r, fits, error);
}

marl_status marl_calibrate_moves(const marl_log *log, const marl_calibration_record *record,
                                 marl_moves_result *r, marl_error *error)
{
    found_rests rests = {.accel = &record->fit[MARL_ACCEL]};
    memset(r, 0, sizeof *r);
    marl_calibrated *o = &r->outcome;
    MARL_TRY(lab_calibration_log_check(log, MARL_GYRO, o, error));
    o->model = "bias, scale and misalignment";
    o->fit.residual_rms = NAN;
    for (int e = 0; e < N; e++) { /* where it starts: axes may be swapped, as 'axes' found */
        const marl_fit *known = &record->fit[MARL_GYRO];
        o->fit.matrix[e / 3][e % 3] = known->present ? known->matrix[e / 3][e % 3] : e % 4 == 0;
    }
    snprintf(o->next, sizeof o->next,
             "lay the pod down in twenty attitudes, three seconds each, and turn it about all of its axes by "
             "a right "
             "angle and more in between");
    marl_status status = marl_log_require(&log->info, log->path, MARL_COLUMNS_ACCEL, error);
    status = status != MARL_OK ? status : lab_rests_find(log, record, &rests.at, &rests.n, error);
    status = status != MARL_OK ? status : collect_moves(log, rests.at, rests.n, r, error);
    if (status == MARL_OK && r->n < MIN_MOVES) {
        status = marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: %zu moves from rest to rest; %d are the least",
                           log->path, r->n, MIN_MOVES);
    }
    status = status != MARL_OK ? status : fit_moves(log, &rests, r, error);
    if (status == MARL_OK && !record->fit[MARL_ACCEL].present) {
        snprintf(o->remark, sizeof o->remark,
                 "the accelerometer is not calibrated: its errors are in the matrix; 'calibrate poses' of "
                 "the same "
                 "recording first");
    }
    free(rests.at);
    return status;
}

void marl_moves_result_free(marl_moves_result *result)
{
    free(result->move);
    result->move = NULL;
    result->n = 0;
}
