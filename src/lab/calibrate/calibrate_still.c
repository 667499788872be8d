/* SPDX-License-Identifier: MIT
 * The gyroscope's bias from a recording at rest. */
#include "lab/maths/statistics.h"
#include "marlinspike/calibrate.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

#define MIN_REST_S 5.0
#define MIN_BLOCKS 5
#define BLOCK_S 5.0
#define MAX_MOVED 0.05 /* of the recording */

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

/* Goes through the rest; blocks are cut by the time spent at rest, so a break in it does not matter. */
static void sum_rest(const marl_log *log, const marl_spans *still, double block_s, rest_sums *sums)
{
    size_t at = 0;
    double rested = 0, closes = block_s;
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
        if (at_rest && (s->fresh & MARL_FRESH_GYRO)) {
            const float v[3] = {s->gyro.x, s->gyro.y, s->gyro.z};
            for (int k = 0; k < 3; k++) {
                lab_moments_add(&sums->reading[k], (double)v[k]);
                lab_moments_add(&sums->open[k], (double)v[k]);
            }
        }
        if (at_rest && (s->fresh & MARL_FRESH_TEMP)) {
            lab_moments_add(&sums->temp, (double)s->temp);
        }
    }
}

static void fill_fit(const rest_sums *sums, marl_still_result *rest)
{
    marl_fit *fit = &rest->fit;
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

/* Decides, and writes what to record next. */
static marl_status decide(const marl_log *log, marl_still_result *rest, marl_error *error)
{
    double duration = (double)(log->row[log->n - 1].sample.t_ns - log->row[0].sample.t_ns) * 1e-9;
    char axis;
    char *next = rest->next;
    const size_t size = sizeof rest->next;
    if (rest->moved_s > MAX_MOVED * duration) {
        snprintf(next, size, "lay the pod down, do not touch it, and record at least 60 s");
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: the board moved for %.1f s of %.1f s, first at %.2f to %.2f s", log->path,
                         rest->moved_s, duration, (double)rest->moved.from_ns * 1e-9,
                         (double)rest->moved.to_ns * 1e-9);
    }
    if (rest->still_s < MIN_REST_S || !(rest->fit.points >= 2 * MIN_BLOCKS)) {
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
    rest->accepted = 1;
    return MARL_OK;
}

marl_status marl_calibrate_still(const marl_log *log, marl_still_result *rest, marl_error *error)
{
    marl_spans still;
    rest_sums sums;
    memset(&sums, 0, sizeof sums);
    *rest = (marl_still_result){.fit = marl_fit_none()};
    snprintf(rest->next, sizeof rest->next, "record a log with gyro_x, gyro_y and gyro_z");
    marl_status status = marl_log_require(&log->info, log->path, MARL_COLUMNS_GYRO, error);
    if (status == MARL_OK) {
        status = marl_inspect_still(log, &still, error);
    }
    if (status != MARL_OK) {
        return status;
    }
    rest->next[0] = '\0';
    rest->still_s = marl_spans_seconds(&still);
    find_motion(log, &still, rest);
    sum_rest(log, &still, fmin(BLOCK_S, rest->still_s / MIN_BLOCKS), &sums);
    close_block(&sums);
    marl_spans_free(&still);
    if (sums.reading[0].n > 0) {
        fill_fit(&sums, rest);
    }
    return decide(log, rest, error);
}
