/* SPDX-License-Identifier: MIT
 * The gyroscope's scale from turns. */
#include "lab/calibrate/raw_log.h"
#include "lab/inspect/spans.h"
#include "lab/log/reading.h"
#include "lab/maths/linear.h"
#include "lab/maths/statistics.h"
#include "marlinspike/calibrate.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define NEAR 0.2           /* share of the angle that a turn may be off */
#define ONE_AXIS 0.9       /* of the turn goes about one axis */
#define MAX_SIGMA 0.01     /* of the scale */
#define MAX_DEVIATIONS 5.0 /* deviations, from the median of the errors: a handling move */
#define MIN_FAR 0.01       /* of the angle: closer ones are never left out */
#define MAX_LEFT_OUT 0.34  /* of the turns; more, and it is not known which are right */
enum { ROUNDS = 5, MIN_REPEATS = 2 };

/* Mean rate in a rest, with its standard error. */
typedef struct rest {
    marl_span span;
    double mean[3], sigma[3];
    lab_moments temp;
} rest;

static void find_mean(const marl_log *log, rest *r)
{
    lab_moments m[3] = {{0}};
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (s->t_ns < r->span.from_ns || s->t_ns > r->span.to_ns) {
            continue;
        }
        if (s->fresh & MARL_FRESH_GYRO) {
            lab_moments_add_vector(m, s->gyro);
        }
        if (s->fresh & MARL_FRESH_TEMP) {
            lab_moments_add(&r->temp, (double)s->temp);
        }
    }
    for (int k = 0; k < 3; k++) {
        r->mean[k] = m[k].mean;
        r->sigma[k] = m[k].n > 1 ? lab_moments_deviation(&m[k]) / sqrt((double)m[k].n) : 0;
    }
}

/* Integral of the rate from one rest to the next, without the bias, which goes straight from one to the
 * other. */
static void integrate(const marl_log *log, const rest *a, const rest *b, double angle[3])
{
    const marl_sample *before = NULL;
    double span = (double)(b->span.from_ns - a->span.to_ns);
    memset(angle, 0, 3 * sizeof *angle);
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (!(s->fresh & MARL_FRESH_GYRO) || s->t_ns < a->span.to_ns || s->t_ns > b->span.from_ns) {
            continue;
        }
        if (before != NULL) {
            double dt = 1e-9 * (double)(s->t_ns - before->t_ns);
            double share = (0.5 * ((double)s->t_ns + (double)before->t_ns) - (double)a->span.to_ns) / span;
            const double x[3] = {(double)s->gyro.x, (double)s->gyro.y, (double)s->gyro.z};
            const double y[3] = {(double)before->gyro.x, (double)before->gyro.y, (double)before->gyro.z};
            for (int k = 0; k < 3; k++) {
                angle[k] += dt * (0.5 * (x[k] + y[k]) - a->mean[k] - share * (b->mean[k] - a->mean[k]));
            }
        }
        before = s;
    }
}

static double length(const double v[3])
{
    return sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]);
}

/* What stands between two rests, if it is a turn through the angle or a multiple of it. */
static int read_turn(const rest *a, const rest *b, double angle, const double integral[3], marl_turn *turn)
{
    double whole = length(integral), times = rint(whole / angle);
    int axis = fabs(integral[0]) > fabs(integral[1]) ? 0 : 1;
    axis = fabs(integral[2]) > fabs(integral[axis]) ? 2 : axis;
    if (times < 1 || fabs(whole - times * angle) > NEAR * angle || fabs(integral[axis]) < ONE_AXIS * whole) {
        return 0;
    }
    *turn = (marl_turn){{a->span.to_ns, b->span.from_ns}, axis, whole, times * angle, NAN, 1};
    return 1;
}

/* Scales by which the lengths become the angles, least squares, from lengths (1 + e) w at first order.
 * Returns 0 when the turns do not show all three. */
static int fit_scales(const marl_turns_result *r, double (*integral)[3], double scale[3], double sigma[3])
{
    double normal[9], right[3], squares = 0;
    size_t used = r->n - r->left_out;
    scale[0] = scale[1] = scale[2] = 1;
    for (int round = 0; round < ROUNDS; round++) {
        memset(normal, 0, sizeof normal);
        memset(right, 0, sizeof right);
        squares = 0;
        for (size_t i = 0; i < r->n; i++) {
            if (!r->turn[i].used) {
                continue;
            }
            const double *v = integral[i];
            double scaled[3] = {scale[0] * v[0], scale[1] * v[1], scale[2] * v[2]}, whole = length(scaled);
            double off = (r->turn[i].wanted - whole) / r->turn[i].wanted, slope[3];
            squares += off * off;
            for (int k = 0; k < 3; k++) {
                slope[k] = scaled[k] * v[k] / whole / r->turn[i].wanted;
            }
            for (int k = 0; k < 9; k++) {
                normal[k] += slope[k / 3] * slope[k % 3];
            }
            for (int k = 0; k < 3; k++) {
                right[k] += slope[k] * off;
            }
        }
        if (!lab_solve_positive(3, normal, right)) {
            return 0;
        }
        for (int k = 0; k < 3; k++) {
            scale[k] += right[k];
        }
    }
    int known = lab_invert_factor(3, normal);
    for (int k = 0; k < 3; k++) {
        sigma[k] = known && used > 3 ? sqrt(normal[4 * k] * squares / (double)(used - 3)) : NAN;
    }
    return known;
}

static void report_turns(marl_turns_result *r, double (*integral)[3], const double scale[3])
{
    lab_moments errors[3] = {{0}};
    for (size_t i = 0; i < r->n; i++) {
        marl_turn *t = &r->turn[i];
        double scaled[3] = {scale[0] * integral[i][0], scale[1] * integral[i][1], scale[2] * integral[i][2]};
        t->error = length(scaled) - t->wanted;
        if (t->used) {
            lab_moments_add(&errors[t->axis], t->error / t->wanted);
        }
    }
    for (int k = 0; k < 3; k++) {
        r->spread[k] = lab_moments_deviation(&errors[k]);
    }
}

static void report_fit(const rest *rests, size_t n, const double scale[3], const double sigma[3],
                       marl_turns_result *r)
{
    marl_fit *fit = &r->outcome.fit;
    lab_moments bias[3] = {{0}}, temp = {0};
    double squares = 0;
    for (size_t i = 0; i < n; i++) {
        for (int k = 0; k < 3; k++) {
            lab_moments_add(&bias[k], rests[i].mean[k]);
        }
        if (rests[i].temp.n > 0) {
            lab_moments_add(&temp, rests[i].temp.mean);
        }
    }
    for (int k = 0; k < 3; k++) {
        double scatter = bias[k].n > 1 ? lab_moments_deviation(&bias[k]) / sqrt((double)bias[k].n) : NAN;
        fit->bias[k] = bias[k].mean;
        fit->bias_sigma[k] = scatter;
        fit->matrix[k][k] = scale[k];
        for (int j = 0; j < 3; j++) {
            fit->matrix_sigma[k][j] = j == k ? sigma[k] : NAN;
        }
    }
    for (size_t i = 0; i < r->n; i++) {
        squares += r->turn[i].used ? r->turn[i].error * r->turn[i].error : 0;
    }
    fit->present = fit->has_sigma = 1;
    fit->points = (double)(r->n - r->left_out);
    fit->residual_rms = sqrt(squares / fit->points);
    fit->temperature_degC = temp.n > 0 ? temp.mean : NAN;
}

/* Errors of single turns as a share of the angle, against the median of the turns about the same axis with
 * all axes' scatter. Marks the worst one that is far off; returns 0 when there is none. */
static int leave_one_out(marl_turns_result *r, double *scratch)
{
    size_t n = 0, worst = 0;
    double middle[3], off = 0;
    for (int k = 0; k < 3; k++) {
        size_t about = 0;
        for (size_t i = 0; i < r->n; i++) {
            if (r->turn[i].used && r->turn[i].axis == k) {
                scratch[about++] = r->turn[i].error / r->turn[i].wanted;
            }
        }
        middle[k] = about > 0 ? lab_quantile(scratch, about, 0.5) : 0;
    }
    for (size_t i = 0; i < r->n; i++) {
        const marl_turn *t = &r->turn[i];
        if (t->used) {
            scratch[n] = fabs(t->error / t->wanted - middle[t->axis]);
            worst = scratch[n] > off ? i : worst;
            off = fmax(off, scratch[n++]);
        }
    }
    double scatter = n > 0 ? 1.4826022 * lab_quantile(scratch, n, 0.5) : 0;
    if (off <= fmax(MAX_DEVIATIONS * scatter, MIN_FAR) ||
        (double)(r->left_out + 1) > MAX_LEFT_OUT * (double)r->n) {
        return 0;
    }
    r->turn[worst].used = 0;
    r->left_out++;
    return 1;
}

/* The scales, without the turns that do not fit. */
static int fit_without_outliers(marl_turns_result *r, double (*integral)[3], double scale[3], double sigma[3],
                                double *scratch)
{
    do {
        if (!fit_scales(r, integral, scale, sigma)) {
            return 0;
        }
        report_turns(r, integral, scale);
    } while (leave_one_out(r, scratch));
    return 1;
}

static marl_status decide(const marl_log *log, double angle, marl_turns_result *r, marl_error *error)
{
    marl_calibrated *o = &r->outcome;
    for (int k = 0; k < 3; k++) {
        int repeats = 0;
        for (size_t i = 0; i < r->n; i++) {
            repeats += r->turn[i].used && r->turn[i].axis == k;
        }
        if (repeats < MIN_REPEATS) {
            snprintf(
                o->next, sizeof o->next,
                "turn the pod about its %c axis by %.4g degrees and back, with three seconds of rest before, "
                "between and behind",
                'x' + k, angle / MARL_DEGREE);
            return marl_fail(error, MARL_ERR_INSUFFICIENT,
                             "%s: %d turns of %.4g degrees about %c; two are the least", log->path, repeats,
                             angle / MARL_DEGREE, 'x' + k);
        }
    }
    for (int k = 0; k < 3; k++) {
        if (!(o->fit.matrix_sigma[k][k] < MAX_SIGMA)) {
            snprintf(o->next, sizeof o->next,
                     "repeat the turns more evenly, against a stop, or give --turn-angle");
            return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: the repeats differ by %.2g %% about %c",
                             log->path, 100 * r->spread[k], 'x' + k);
        }
    }
    o->accepted = 1;
    return MARL_OK;
}

static marl_status find_turns(const marl_log *log, double angle, const marl_spans *still,
                              marl_turns_result *r, marl_error *error)
{
    rest *rests = calloc(still->n + 1, sizeof *rests);
    double(*integral)[3] = calloc(still->n + 1, sizeof *integral), scale[3], sigma[3];
    double *scratch = calloc(still->n + 1, sizeof *scratch);
    r->turn = calloc(still->n + 1, sizeof *r->turn);
    marl_status status = MARL_OK;
    if (rests == NULL || integral == NULL || scratch == NULL || r->turn == NULL) {
        status = marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    } else {
        for (size_t i = 0; i < still->n; i++) {
            rests[i].span = still->span[i];
            find_mean(log, &rests[i]);
            if (i > 0) {
                integrate(log, &rests[i - 1], &rests[i], integral[r->n]);
                r->n += (size_t)read_turn(&rests[i - 1], &rests[i], angle, integral[r->n], &r->turn[r->n]);
            }
        }
        if (fit_without_outliers(r, integral, scale, sigma, scratch)) {
            report_fit(rests, still->n, scale, sigma, r);
        }
        status = decide(log, angle, r, error);
    }
    free(rests);
    free(integral);
    free(scratch);
    return status;
}

marl_status marl_calibrate_turns(const marl_log *log, double angle, marl_turns_result *r, marl_error *error)
{
    marl_spans still = {0};
    memset(r, 0, sizeof *r);
    r->spread[0] = r->spread[1] = r->spread[2] = NAN;
    marl_status status = lab_calibration_log_check(log, MARL_GYRO, &r->outcome, error);
    r->outcome.model = "bias and scale";
    status = status != MARL_OK ? status : marl_inspect_still(log, &still, error);
    status = status != MARL_OK ? status : find_turns(log, angle, &still, r, error);
    marl_spans_free(&still);
    return status;
}

void marl_turns_result_free(marl_turns_result *result)
{
    free(result->turn);
    result->turn = NULL;
    result->n = 0;
}
