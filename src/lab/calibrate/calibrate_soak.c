/* SPDX-License-Identifier: MIT
 * Bias over temperature. */
#include "lab/log/reading.h"
#include "lab/maths/linear.h"
#include "lab/maths/statistics.h"
#include "marlinspike/calibrate.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define MIN_RANGE 10.0 /* degC */
#define MIN_STILL 0.8  /* of the recording */
#define BLOCK_S 5.0
enum { MIN_POINTS = 12, MAX_ORDER = 2 };

static marl_status collect(const marl_log *log, marl_sensor sensor, const marl_spans *still,
                           marl_soak_result *r, marl_error *error)
{
    double seconds = 1e-9 * (double)(log->row[log->n - 1].sample.t_ns - log->row[0].sample.t_ns);
    lab_moments value[3] = {{0}}, temp = {0};
    int64_t start = log->row[0].sample.t_ns;
    size_t at = 0;
    float degC = NAN;
    r->point = malloc(((size_t)fmin(seconds / BLOCK_S, 1e7) + 2) * sizeof *r->point);
    if (r->point == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (s->t_ns - start >= (int64_t)(BLOCK_S * 1e9)) {
            if (value[0].n > 1) {
                r->point[r->n++] =
                    (marl_soak_point){temp.mean, {value[0].mean, value[1].mean, value[2].mean}};
            }
            memset(value, 0, sizeof value);
            temp = (lab_moments){0};
            start = s->t_ns;
        }
        degC = s->fresh & MARL_FRESH_TEMP ? s->temp : degC;
        if ((s->fresh & (1u << sensor)) && !isnan(degC) && marl_spans_hold(still, s->t_ns, &at)) {
            const marl_vec3 *v = lab_reading(s, sensor);
            lab_moments_add(&value[0], (double)v->x);
            lab_moments_add(&value[1], (double)v->y);
            lab_moments_add(&value[2], (double)v->z);
            lab_moments_add(&temp, (double)degC);
        }
    }
    return MARL_OK;
}

/* A polynomial of one axis about the reference. */
typedef struct curve {
    double term[MAX_ORDER + 1], covariance[(MAX_ORDER + 1) * (MAX_ORDER + 1)];
    double squares; /* of what is left */
} curve;

static int fit_curve(const marl_soak_result *r, int axis, int order, double reference, curve *c)
{
    int n = order + 1;
    memset(c, 0, sizeof *c);
    for (size_t i = 0; i < r->n; i++) {
        double d = r->point[i].degC - reference, power[MAX_ORDER + 1] = {1, d, d * d};
        for (int j = 0; j < n; j++) {
            c->term[j] += power[j] * r->point[i].value[axis];
            for (int k = 0; k < n; k++) {
                c->covariance[j * n + k] += power[j] * power[k];
            }
        }
    }
    if (!lab_solve_positive(n, c->covariance, c->term) || !lab_invert_factor(n, c->covariance)) {
        return 0;
    }
    for (size_t i = 0; i < r->n; i++) {
        double d = r->point[i].degC - reference;
        double left = r->point[i].value[axis] - c->term[0] - c->term[1] * d - c->term[2] * d * d;
        c->squares += left * left;
    }
    return 1;
}

/* Over all axes: more terms must pay for themselves. */
static int choose_order(const marl_soak_result *r, double reference)
{
    double n = (double)r->n, best = INFINITY;
    int order = 0;
    for (int k = 0; k <= MAX_ORDER; k++) {
        double worth = 0;
        for (int axis = 0; axis < 3; axis++) {
            curve c;
            worth +=
                fit_curve(r, axis, k, reference, &c) ? n * log(c.squares / n) + (k + 1) * log(n) : INFINITY;
        }
        if (worth < best) {
            best = worth;
            order = k;
        }
    }
    return order;
}

static void report(marl_soak_result *r, double low, double high)
{
    marl_fit *fit = &r->outcome.fit;
    double reference = low <= 20 && high >= 20 ? 20 : 0.5 * (low + high), squares = 0;
    r->order = choose_order(r, reference);
    fit->present = fit->has_sigma = fit->has_curve = 1;
    fit->reference_degC = fit->temperature_degC = reference;
    fit->range_degC[0] = low;
    fit->range_degC[1] = high;
    fit->points = (double)r->n;
    for (int k = 0; k < 3; k++) {
        curve c;
        int n = r->order + 1;
        (void)fit_curve(r, k, r->order, reference, &c);
        double variance = c.squares / ((double)r->n - n), d = high - low;
        fit->bias[k] = c.term[0];
        fit->bias_per_degC[k] = c.term[1];
        fit->bias_per_degC2[k] = c.term[2];
        fit->bias_sigma[k] = sqrt(variance * c.covariance[0]);
        fit->matrix_sigma[k][0] = fit->matrix_sigma[k][1] = fit->matrix_sigma[k][2] = NAN;
        r->change_sigma[k] = r->order > 0 ? sqrt(variance * c.covariance[n + 1]) * d : 0;
        squares += variance / 3;
        if (r->outcome.sensor == MARL_ACCEL) { /* gravity stands in it */
            fit->bias[k] = 0;
            fit->bias_sigma[k] = NAN;
        }
    }
    fit->residual_rms = sqrt(squares);
}

static marl_status decide(const marl_log *log, const marl_spans *still, marl_soak_result *r,
                          marl_error *error)
{
    marl_calibrated *o = &r->outcome;
    double seconds = 1e-9 * (double)(log->row[log->n - 1].sample.t_ns - log->row[0].sample.t_ns);
    double rested = marl_spans_seconds(still), low = INFINITY, high = -INFINITY;
    snprintf(
        o->next, sizeof o->next,
        "cool the pod down, lay it on the bench, and let it warm up by 20 degC or more without touching it");
    for (size_t i = 0; i < r->n; i++) {
        low = fmin(low, r->point[i].degC);
        high = fmax(high, r->point[i].degC);
    }
    if (rested < MIN_STILL * seconds) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: the board moved for %.1f s of %.1f s", log->path,
                         seconds - rested, seconds);
    }
    if (r->n < MIN_POINTS) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: %.0f s at rest with a temperature; %d s are the least", log->path,
                         BLOCK_S * (double)r->n, (int)(BLOCK_S * MIN_POINTS));
    }
    if (high - low < MIN_RANGE) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: the temperature goes from %.1f to %.1f degC only; %.0f degC "
                         "are the least",
                         log->path, low, high, MIN_RANGE);
    }
    report(r, low, high);
    o->next[0] = '\0';
    o->accepted = 1;
    return MARL_OK;
}

marl_status marl_calibrate_soak(const marl_log *log, marl_sensor sensor, marl_soak_result *r,
                                marl_error *error)
{
    marl_spans still = {0};
    memset(r, 0, sizeof *r);
    marl_status status = marl_calibration_log_check(log, sensor, &r->outcome, error);
    r->outcome.model = "bias over temperature";
    if (status == MARL_OK && !(log->info.columns & MARL_COLUMNS_TEMP)) {
        snprintf(r->outcome.next, sizeof r->outcome.next, "record a log with temp");
        status = marl_log_require(&log->info, log->path, MARL_COLUMNS_TEMP, error);
    }
    status = status != MARL_OK ? status : marl_inspect_still(log, &still, error);
    status = status != MARL_OK ? status : collect(log, sensor, &still, r, error);
    status = status != MARL_OK ? status : decide(log, &still, r, error);
    marl_spans_free(&still);
    return status;
}

void marl_soak_result_free(marl_soak_result *result)
{
    free(result->point);
    result->point = NULL;
    result->n = 0;
}
