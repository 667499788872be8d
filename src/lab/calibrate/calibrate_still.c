/* SPDX-License-Identifier: MIT
 * The gyroscope's bias from a recording at rest. */
#include "lab/calibrate/still_drift.h"
#include "lab/calibrate/still_turn.h"
#include "lab/inspect/span_turn.h"
#include "lab/maths/statistics.h"
#include "marlinspike/calibrate.h"
#include "marlinspike/inspect.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

#define MIN_REST_S 5.0
#define MIN_BLOCKS 5
#define BLOCK_S 5.0
#define TENTHS 10
#define LATER_S 600.0
#define FLICKER_FLOOR 0.664 /* Allan deviation of 1/f noise over its coefficient */
#define MAIN_SHARE 0.5      /* of the rest, in one span: the board lay in one attitude */
#define MAX_MOVED 0.05      /* of the recording ... */
#define LONG_REST_S 60.0    /* ... unless so much rest is left */

/* A bias that runs away: its slope is so many standard errors, and moves it by so many of the mean's over the rest. */
#define DRIFT_SIGMAS 7.0
#define DRIFT_OF_MEAN 4.0

/* Motion: what lies before, between and behind the spans of rest. */
static void find_motion(const marl_log *log, const marl_spans *still, marl_still_result *rest)
{
    int64_t at = log->row[0].sample.t_ns, end = log->row[log->n - 1].sample.t_ns;
    for (size_t i = 0; i <= still->n; i++) {
        int64_t until = i < still->n ? still->span[i].from_ns : end;
        if (until > at && rest->moved_s == 0) {
            rest->moved = (marl_span){at, until};
        }
        rest->moved_s += until > at ? (double)(until - at) * 1e-9 : 0;
        at = i < still->n ? still->span[i].to_ns : at;
    }
}

/* Means of the rest, whole and in blocks of equal time. */
typedef struct rest_sums {
    lab_moments reading[3]; /* single readings */
    lab_moments block[3];   /* means of complete blocks */
    lab_moments open[3];    /* the block being filled */
    lab_moments temp;
    lab_moments tenth[LAB_DRIFT_VALUES]; /* a tenth of the rest being filled: axes and temperature */
    lab_still_drift drift;
} rest_sums;

static void close_block(rest_sums *sums)
{
    for (int k = 0; k < 3; k++) {
        if (sums->open[k].n > 0) {
            lab_moments_add(&sums->block[k], sums->open[k].mean);
        }
        sums->open[k] = (lab_moments){0};
    }
}

/* Slow noise makes neighbours alike: tenths of the rest, however long that is, scatter about a line as it does. */
static void close_tenth(rest_sums *sums, double t)
{
    double value[LAB_DRIFT_VALUES];
    for (int k = 0; k < LAB_DRIFT_VALUES; k++) {
        value[k] = sums->tenth[k].n > 0 ? sums->tenth[k].mean : NAN;
        sums->tenth[k] = (lab_moments){0};
    }
    lab_still_drift_add(&sums->drift, t, value);
}

static void add_reading(rest_sums *sums, const marl_sample *s)
{
    const float v[3] = {s->gyro.x, s->gyro.y, s->gyro.z};
    for (int k = 0; k < 3 && (s->fresh & MARL_FRESH_GYRO); k++) {
        lab_moments_add(&sums->reading[k], (double)v[k]);
        lab_moments_add(&sums->open[k], (double)v[k]);
        lab_moments_add(&sums->tenth[k], (double)v[k]);
    }
    if (s->fresh & MARL_FRESH_TEMP) {
        lab_moments_add(&sums->temp, (double)s->temp);
        lab_moments_add(&sums->tenth[LAB_DRIFT_TEMP], (double)s->temp);
    }
}

/* Goes through the rest; blocks are cut by the time spent at rest, so a break in it does not matter. */
static void sum_rest(const marl_log *log, const marl_spans *still, double rest_s, rest_sums *sums)
{
    const double block_s = fmin(BLOCK_S, rest_s / MIN_BLOCKS), tenth_s = rest_s / TENTHS;
    size_t at = 0;
    double rested = 0, closes = block_s, tenth_closes = tenth_s;
    int64_t before = 0;
    int was_at_rest = 0;
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        int at_rest = marl_spans_hold(still, s->t_ns, &at);
        rested += at_rest && was_at_rest ? (double)(s->t_ns - before) * 1e-9 : 0;
        before = s->t_ns;
        was_at_rest = at_rest;
        if (at_rest && rested >= closes) {
            close_block(sums);
            closes += block_s;
        }
        if (at_rest && rested >= tenth_closes) {
            close_tenth(sums, tenth_closes - 0.5 * tenth_s);
            tenth_closes += tenth_s;
        }
        if (at_rest) {
            add_reading(sums, s);
        }
    }
    close_block(sums);
}

static void fill_fit(const rest_sums *sums, marl_still_result *rest)
{
    marl_fit *fit = &rest->outcome.fit;
    double squares = 0;
    fit->present = 1;
    fit->has_sigma = 1;
    for (int k = 0; k < 3; k++) {
        double n = (double)sums->reading[k].n;
        double deviation = lab_moments_deviation(&sums->reading[k]);
        double by_blocks = lab_moments_deviation(&sums->block[k]) / sqrt((double)sums->block[k].n);
        fit->bias[k] = sums->reading[k].mean;
        fit->bias_sigma[k] = fmax(deviation / sqrt(n), by_blocks);
        fit->matrix_sigma[k][0] = fit->matrix_sigma[k][1] = fit->matrix_sigma[k][2] = NAN;
        rest->deviation[k] = deviation;
        squares += deviation * deviation;
    }
    fit->points = (double)sums->reading[0].n;
    fit->residual_rms = sqrt(squares / 3);
    fit->temperature_degC = sums->temp.n > 0 ? sums->temp.mean : NAN;
}

static int some_axis_is_stuck(const marl_still_result *rest, char *axis)
{
    for (int k = 0; k < 3; k++) {
        if (rest->deviation[k] == 0.0) {
            *axis = "xyz"[k];
            return 1;
        }
    }
    return 0;
}

/* Each still span against slow turns. */
static marl_status check_turns(const marl_log *log, const marl_spans *still, marl_still_result *rest,
                               marl_error *error)
{
    unsigned seen = 0;
    for (size_t i = 0; i < still->n; i++) {
        marl_status status = lab_span_turn_check(log, still->span[i], &seen, error);
        if (status != MARL_OK) {
            snprintf(rest->outcome.next, sizeof rest->outcome.next,
                     "lay the pod where nothing turns or tilts it, away from moving steel, and record again");
            return status;
        }
    }
    rest->turn_seen_by = seen & (MARL_FRESH_ACCEL | MARL_FRESH_MAG);
    return MARL_OK;
}

/* A turn too slow to differ from rest is in the bias, as far as the longest span of rest does not exclude it. In
 * rests of many attitudes it turns the board about other axes each time: then it is in their scatter. */
static void add_turn(const marl_log *log, const marl_spans *still, marl_still_result *rest)
{
    size_t longest = 0;
    for (size_t i = 1; i < still->n; i++) {
        const marl_span *a = &still->span[i], *b = &still->span[longest];
        longest = a->to_ns - a->from_ns > b->to_ns - b->from_ns ? i : longest;
    }
    const marl_span *at = &still->span[longest];
    if (1e-9 * (double)(at->to_ns - at->from_ns) < MAIN_SHARE * rest->still_s) {
        return;
    }
    lab_still_turn turn = lab_still_turn_of(log, still->span[longest]);
    for (int k = 0; k < 3; k++) {
        rest->outcome.fit.bias_sigma[k] =
            hypot(rest->outcome.fit.bias_sigma[k], hypot(turn.rate[k], turn.sigma[k]));
    }
}

/* A bias that runs away is another one at the end than at the start: the mean is known for that to the spread of a
 * straight line, and goes on like this for all that is known. */
static void find_drift(const rest_sums *sums, marl_still_result *rest)
{
    char axes[120] = "", one[60];
    double *sigma = rest->outcome.fit.bias_sigma, unused;
    for (int k = 0; k < 3; k++) {
        double error, slope = lab_still_drift_slope(&sums->drift, k, &error),
                      moved = fabs(slope) * rest->still_s;
        if (fabs(slope) > DRIFT_SIGMAS * error && moved > DRIFT_OF_MEAN * sigma[k]) {
            rest->drift[k] = slope;
            sigma[k] = hypot(sigma[k], moved / sqrt(12));
            snprintf(one, sizeof one, "gyro_%c by %+.3g deg/s a minute", "xyz"[k], 60 * slope / MARL_DEGREE);
            marl_list_append(axes, sizeof axes, one);
        }
    }
    if (axes[0] == '\0') {
        return;
    }
    double warming = 60 * lab_still_drift_slope(&sums->drift, LAB_DRIFT_TEMP, &unused);
    snprintf(one, sizeof one, ", the temperature by %+.2g degC a minute", warming);
    snprintf(rest->outcome.remark, sizeof rest->outcome.remark,
             "the bias drifts steadily: %s%s; its error includes that. Record again once the part is warm, "
             "or record a soak",
             axes, fabs(warming) > 0.05 ? one : "");
}

/* Twice the Allan variance of the instability, and the walk until then and within the recording. */
static double wandered2(double flicker, double walk, double still_s)
{
    return 2 * pow(FLICKER_FLOOR * flicker, 2) + walk * walk * (LATER_S + still_s / 3);
}

/* How far the bias may be off after LATER_S. */
static marl_status find_later(const marl_log *log, marl_still_result *rest, marl_error *error)
{
    marl_inspection in;
    marl_sensor_noise noise;
    MARL_TRY(marl_inspect(log, &in, error));
    marl_status status = marl_noise_of_log(log, &in, MARL_GYRO, &noise, error);
    marl_inspection_free(&in);
    for (int k = 0; k < 3 && status == MARL_OK; k++) {
        const marl_noise *n = &noise.noise[k];
        int has_flicker = isfinite(n->flicker), has_walk = isfinite(n->walk);
        double flicker = has_flicker ? n->flicker : n->flicker_max, walk = has_walk ? n->walk : n->walk_max;
        if (!(noise.axes & (1u << k)) || !isfinite(flicker) || !isfinite(walk)) {
            continue; /* too short for the noise fit */
        }
        double drift = rest->drift[k] * (LATER_S + rest->still_s / 2);
        double known2 = pow(rest->outcome.fit.bias_sigma[k], 2) + drift * drift;
        rest->later_sigma[k] = sqrt(known2 + wandered2(flicker, walk, rest->still_s));
        rest->later_seen[k] =
            sqrt(known2 + wandered2(has_flicker ? flicker : 0, has_walk ? walk : 0, rest->still_s));
        rest->later_is_bound[k] = !has_flicker || !has_walk;
    }
    return status;
}

/* Decides, and writes what to record next. */
static marl_status decide(const marl_log *log, marl_still_result *rest, marl_error *error)
{
    double duration = (double)(log->row[log->n - 1].sample.t_ns - log->row[0].sample.t_ns) * 1e-9;
    char axis;
    char *next = rest->outcome.next;
    const size_t size = sizeof rest->outcome.next;
    if (rest->moved_s > MAX_MOVED * duration && rest->still_s < LONG_REST_S) {
        snprintf(next, size, "lay the pod down, do not touch it, and record at least 60 s");
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: the board moved for %.1f s of %.1f s, first at %.2f to %.2f s", log->path,
                         rest->moved_s, duration, (double)rest->moved.from_ns * 1e-9,
                         (double)rest->moved.to_ns * 1e-9);
    }
    if (rest->still_s < MIN_REST_S || !(rest->outcome.fit.points >= 2 * MIN_BLOCKS)) {
        snprintf(next, size, "record at least %.0f s at rest, better 60 s", MIN_REST_S);
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: only %.1f s at rest, %.0f s are needed",
                         log->path, rest->still_s, MIN_REST_S);
    }
    if (some_axis_is_stuck(rest, &axis)) {
        snprintf(next, size, "check the wiring and the sensor's settings, then record again");
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: gyro_%c never changes: stuck, or its noise is below one count", log->path,
                         axis);
    }
    return MARL_OK;
}

marl_status marl_calibrate_still(const marl_log *log, marl_still_result *rest, marl_error *error)
{
    marl_spans still;
    rest_sums sums;
    memset(&sums, 0, sizeof sums);
    *rest = (marl_still_result){.outcome = {.sensor = MARL_GYRO, .fit = marl_fit_none(), .model = "bias"},
                                .later_sigma = {NAN, NAN, NAN},
                                .later_seen = {NAN, NAN, NAN}};
    snprintf(rest->outcome.next, sizeof rest->outcome.next, "record a log with gyro_x, gyro_y and gyro_z");
    marl_status status = marl_log_require(&log->info, log->path, MARL_COLUMNS_GYRO, error);
    if (status == MARL_OK) {
        status = marl_inspect_still(log, &still, error);
    }
    if (status != MARL_OK) {
        return status;
    }
    rest->outcome.next[0] = '\0';
    rest->still_s = marl_spans_seconds(&still);
    find_motion(log, &still, rest);
    sum_rest(log, &still, rest->still_s, &sums);
    if (sums.reading[0].n > 0) {
        fill_fit(&sums, rest);
    }
    status = decide(log, rest, error);
    status = status != MARL_OK ? status : check_turns(log, &still, rest, error);
    if (status == MARL_OK) {
        find_drift(&sums, rest);
        add_turn(log, &still, rest);
        status = find_later(log, rest, error);
    }
    rest->outcome.accepted = status == MARL_OK;
    marl_spans_free(&still);
    return status;
}
