/* SPDX-License-Identifier: MIT
 * Bias over temperature. */
#include "lab/calibrate/raw_log.h"
#include "lab/calibrate/soak_curve.h"
#include "lab/calibrate/soak_lag.h"
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
#define MIN_LAG_S 2.0  /* less is the time that the means themselves take */
#define MAX_LAG_S 10.0 /* what a thermometer in the same package may lag unseen */
/* What of the lag's standard error goes into the curve's: a lag that was found is off by more than it, since
 * noise in step with the warming pulls at both; one that is not there is most often zero. By `bench
 * verdicts`, seeds 101 on. */
#define LAG_FOUND 2.0
#define LAG_NOT_FOUND 0.5
#define LAG_SHARE                                                                                            \
    0.2                 /* of a lag that was found: the rates come from thermometers with noise of their own \
                         */
#define CUBE_INSIDE 0.4 /* of what a cube misses at the ends, a square fit misses inside */
/* 1/f noise that is slower than the recording, up to a day, in its amplitudes: sqrt(ln(144) / pi); and what
 * of it warming in step with it takes for a slope. */
#define SLOWER 1.26
#define MOUNT_DEG                                                                                            \
    0.1 /* what a good mount tilts by while it warms; nothing in one attitude tells that from a bias */
#define MOUNT_SEEN 3.0 /* standard errors */
#define ACROSS 1.0
enum { MIN_POINTS = 12, RATE_REACH = 6 /* means */ };

static marl_status collect(const marl_log *log, marl_sensor sensor, const marl_spans *still,
                           marl_soak_result *r, marl_error *error)
{
    double seconds = lab_log_seconds(log);
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
                r->point[r->n++] = (marl_soak_point){
                    (start + s->t_ns) / 2, temp.mean, {value[0].mean, value[1].mean, value[2].mean}};
            }
            memset(value, 0, sizeof value);
            temp = (lab_moments){0};
            start = s->t_ns;
        }
        degC = s->fresh & MARL_FRESH_TEMP ? s->temp : degC;
        if ((s->fresh & (1u << sensor)) && !isnan(degC) && marl_spans_hold(still, s->t_ns, &at)) {
            const marl_vec3 *v = lab_reading(s, sensor);
            lab_moments_add_vector(value, *v);
            lab_moments_add(&temp, (double)degC);
        }
    }
    return MARL_OK;
}

static lab_soak_scale scale_of(const marl_fit *fit)
{
    return (lab_soak_scale){fit->reference_degC, 0.5 * (fit->range_degC[1] - fit->range_degC[0])};
}

/* A thermometer that lags is put right. Returns the lag's share in the errors, s, or NaN without memory. */
static double allow_for_lag(marl_soak_result *r)
{
    marl_calibrated *o = &r->outcome;
    double sigma = NAN, lag = 0;
    r->lag_s = 0;
    r->lag_sigma_s = NAN;
    if (!lab_soak_find_lag(r, scale_of(&o->fit), &lag, &sigma)) {
        return NAN;
    }
    int seen = lag > LAB_SOAK_SEEN * sigma && lag > MIN_LAG_S;
    if (seen && !lab_soak_advance(r, lag)) {
        return NAN;
    }
    int depends = seen || lab_soak_order(r, scale_of(&o->fit)) > 0;
    r->lag_s = seen ? lag : 0;
    r->lag_sigma_s = depends ? sigma : NAN;
    if (seen) {
        snprintf(
            o->remark, sizeof o->remark,
            "the thermometer lags by %.0f +- %.0f s behind the %s: that was taken into account, and a device "
            "that warms as fast is off until its thermometer has followed",
            lag, sigma, marl_sensor_name(o->sensor));
    } else if (depends && lag > sigma && lag > MIN_LAG_S) {
        snprintf(o->remark, sizeof o->remark,
                 "the thermometer may lag by %.0f +- %.0f s: that is in the standard errors; let the pod "
                 "cool down "
                 "again in the same recording",
                 lag, sigma);
        return lag;
    } else if (depends && sigma > MAX_LAG_S) {
        snprintf(o->remark, sizeof o->remark,
                 "this warming does not show whether the thermometer lags; %.0f s are in the standard "
                 "errors; let it "
                 "cool down again in the same recording",
                 MAX_LAG_S);
    }
    double part = (seen ? LAG_FOUND : LAG_NOT_FOUND) * fmin(sigma, MAX_LAG_S);
    return depends ? hypot(part, LAG_SHARE * r->lag_s) : 0;
}

/* The temperature's fastest change, degC/s. */
static double greatest_rate(const marl_soak_result *r)
{
    double greatest = 0;
    for (size_t i = RATE_REACH; i < r->n; i++) {
        const marl_soak_point *from = &r->point[i - RATE_REACH], *to = &r->point[i];
        greatest = fmax(greatest, fabs(to->degC - from->degC) / (1e-9 * (double)(to->t_ns - from->t_ns)));
    }
    return greatest;
}

static void report_axis(marl_soak_result *r, int k, double lag_s)
{
    marl_fit *fit = &r->outcome.fit;
    lab_soak_curve c;
    lab_soak_scale by = scale_of(fit);
    const lab_soak_axis a = {r, k, by};
    if (!lab_soak_fit(&a, r->order, LAB_SOAK_PLAIN, &c)) {
        c = (lab_soak_curve){.rms = NAN};
    }
    double few = sqrt(c.dof / (c.dof - 2)), cube = r->order == LAB_SOAK_MAX_ORDER ? lab_soak_cube(&a) : 0;
    double wander = lab_soak_wander(&a, &c);
    double lagging = fabs(c.term[1]) / by.scale * greatest_rate(r) * lag_s;
    fit->bias[k] = c.term[0];
    fit->bias_per_degC[k] = c.term[1] / by.scale;
    fit->bias_per_degC2[k] = c.term[2] / (by.scale * by.scale);
    fit->bias_sigma[k] = hypot(hypot(few * c.sigma[0], SLOWER * wander), hypot(lagging, CUBE_INSIDE * cube));
    fit->matrix_sigma[k][0] = fit->matrix_sigma[k][1] = fit->matrix_sigma[k][2] = NAN;
    r->change_sigma[k] =
        r->order > 0 ? hypot(2 * hypot(few * c.sigma[1], cube), hypot(ACROSS * wander, lagging)) : 0;
    fit->residual_rms = sqrt(fit->residual_rms * fit->residual_rms + c.rms * c.rms / 3);
    if (cube > 0) {
        snprintf(r->outcome.remark, sizeof r->outcome.remark,
                 "a curve of order 2 does not follow this sensor: it misses up to %.2g %s at the ends of the "
                 "range",
                 cube / (r->outcome.sensor == MARL_GYRO ? MARL_DEGREE : 1),
                 r->outcome.sensor == MARL_GYRO ? "deg/s" : "m/s^2");
    }
    if (r->outcome.sensor == MARL_ACCEL) { /* gravity stands in it */
        fit->bias[k] = 0;
        fit->bias_sigma[k] = NAN;
    }
}

/* A mount that tilts changes the force across gravity, as a bias that depends on the temperature does; along gravity it
 * changes nothing. */
static void allow_for_mount(marl_soak_result *r)
{
    const marl_fit *fit = &r->outcome.fit;
    double up[3] = {0}, change[3], along = 0, across = 0, variance = 0;
    double low = fit->range_degC[0] - fit->reference_degC, high = fit->range_degC[1] - fit->reference_degC;
    for (size_t i = 0; i < r->n; i++) {
        for (int k = 0; k < 3; k++) {
            up[k] += r->point[i].value[k] / (double)r->n;
        }
    }
    double length = sqrt(lab_dot3(up, up));
    for (int k = 0; k < 3; k++) {
        up[k] /= length;
        change[k] = fit->bias_per_degC[k] * (high - low) + fit->bias_per_degC2[k] * (high * high - low * low);
        along += up[k] * change[k];
    }
    for (int k = 0; k < 3; k++) {
        double part = change[k] - along * up[k], share = 1 - up[k] * up[k];
        across += part * part;
        variance += share * r->change_sigma[k] * r->change_sigma[k];
        r->change_sigma[k] = hypot(r->change_sigma[k], sqrt(0.5 * share) * length * MOUNT_DEG * MARL_DEGREE);
    }
    double tilt_deg = sqrt(across) / length / MARL_DEGREE;
    if (tilt_deg > MOUNT_DEG && across > MOUNT_SEEN * MOUNT_SEEN * variance) {
        snprintf(
            r->outcome.remark, sizeof r->outcome.remark,
            "of the accelerometer's change %.2g m/s^2 is across gravity, which a mount that tilts by %.2g "
            "degrees shows as well: a second soak with the pod on another side tells which",
            sqrt(across), tilt_deg);
    }
}

static marl_status report(marl_soak_result *r, double low, double high, marl_error *error)
{
    marl_fit *fit = &r->outcome.fit;
    fit->present = fit->has_sigma = fit->has_curve = 1;
    fit->reference_degC = fit->temperature_degC = low <= 20 && high >= 20 ? 20 : 0.5 * (low + high);
    fit->range_degC[0] = low;
    fit->range_degC[1] = high;
    fit->points = (double)r->n;
    fit->residual_rms = 0;
    double lag_s = allow_for_lag(r);
    if (isnan(lag_s)) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    r->order = lab_soak_order(r, scale_of(fit));
    for (int k = 0; k < 3; k++) {
        report_axis(r, k, lag_s);
    }
    if (r->outcome.sensor == MARL_ACCEL && r->order > 0) {
        allow_for_mount(r);
    }
    return MARL_OK;
}

static marl_status decide(const marl_log *log, const marl_spans *still, marl_soak_result *r,
                          marl_error *error)
{
    marl_calibrated *o = &r->outcome;
    double seconds = lab_log_seconds(log);
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
    marl_status status = report(r, low, high, error);
    o->next[0] = '\0';
    o->accepted = status == MARL_OK;
    return status;
}

marl_status marl_calibrate_soak(const marl_log *log, marl_sensor sensor, marl_soak_result *r,
                                marl_error *error)
{
    marl_spans still = {0};
    memset(r, 0, sizeof *r);
    marl_status status = lab_calibration_log_check(log, sensor, &r->outcome, error);
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
