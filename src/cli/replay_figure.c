/* SPDX-License-Identifier: MIT
 * The figure of a replay: weights, tilt and heading, bias with its standard deviation. */
#include "replay_trace.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define DEGREE 0.017453292519943295

enum { T, TILT, HEADING, WEIGHT_ACCEL, WEIGHT_MAG, BIAS, SIGMA = BIAS + 3 };

static int make_room(cli_replay_trace *trace)
{
    size_t room = trace->room > 0 ? 2 * trace->room : 4096;
    for (int i = 0; i < CLI_TRACES; i++) {
        double *more = realloc(trace->value[i], room * sizeof *more);
        if (more == NULL) {
            return 0;
        }
        trace->value[i] = more;
    }
    trace->room = room;
    return 1;
}

/* NaN, which breaks the line, where the heading is not defined or goes through north. */
static double heading_deg(const cli_replay_trace *trace, size_t i, marl_quat q, marl_world world)
{
    float heading;
    if (marl_frame_heading(q, world, &heading) != MARL_OK) {
        return NAN;
    }
    double now = (double)heading / DEGREE, before = i > 0 ? trace->value[HEADING][i - 1] : now;
    return fabs(now - before) > 180 ? (double)NAN : now;
}

/* A weight holds until the next reading. */
static void keep_weight(double *weight, size_t i, float now)
{
    weight[i] = now >= 0 ? (double)now : i > 0 ? weight[i - 1] : NAN;
}

static void keep_bias(cli_replay_trace *trace, size_t i, const marl_estimator *e)
{
    marl_vec3 bias = marl_estimator_bias(e), sigma;
    int known = marl_estimator_bias_sigma(e, &sigma) == MARL_OK;
    const float b[3] = {bias.x, bias.y, bias.z}, s[3] = {sigma.x, sigma.y, sigma.z};
    for (int axis = 0; axis < 3; axis++) {
        trace->value[BIAS + axis][i] = (double)b[axis] / DEGREE;
        trace->value[SIGMA + axis][i] = known ? (double)s[axis] / DEGREE : NAN;
    }
}

marl_status cli_replay_trace_add(cli_replay_trace *trace, const marl_log_row *row, const marl_replay *replay,
                                 marl_error *error)
{
    if (trace->n == trace->room && !make_room(trace)) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory for the figure");
    }
    const marl_estimator *e = &replay->estimator;
    size_t i = trace->n++;
    trace->value[T][i] = (double)row->sample.t_ns * 1e-9;
    trace->value[TILT][i] = (double)marl_frame_tilt(row->q, e->tuning.world) / DEGREE;
    trace->value[HEADING][i] = heading_deg(trace, i, row->q, e->tuning.world);
    keep_bias(trace, i, e);
    keep_weight(trace->value[WEIGHT_ACCEL], i, row->weight[0]);
    keep_weight(trace->value[WEIGHT_MAG], i, row->weight[1]);
    return MARL_OK;
}

void cli_replay_trace_free(cli_replay_trace *trace)
{
    for (int i = 0; i < CLI_TRACES; i++) {
        free(trace->value[i]);
    }
    *trace = (cli_replay_trace){0};
}

static marl_curve curve(const cli_replay_trace *trace, int column, const char *label)
{
    return (marl_curve){.label = label, .x = trace->value[T], .y = trace->value[column], .n = trace->n};
}

/* Upper and lower edge of a band of one standard deviation, as one curve with a break; three for the axes. */
typedef struct bands {
    double *x, *y[3];
} bands;

static void free_bands(bands *b)
{
    free(b->x);
    for (int axis = 0; axis < 3; axis++) {
        free(b->y[axis]);
    }
}

static int make_bands(bands *b, const cli_replay_trace *trace)
{
    size_t n = trace->n;
    b->x = malloc((2 * n + 1) * sizeof *b->x);
    for (int axis = 0; axis < 3; axis++) {
        b->y[axis] = malloc((2 * n + 1) * sizeof *b->y[axis]);
    }
    if (b->x == NULL || b->y[0] == NULL || b->y[1] == NULL || b->y[2] == NULL) {
        return 0;
    }
    for (size_t i = 0; i <= 2 * n; i++) {
        double sign = i < n ? 1 : i > n ? -1 : (double)NAN;
        size_t at = i < n ? i : i > n ? i - n - 1 : 0;
        b->x[i] = trace->value[T][at];
        for (int axis = 0; axis < 3; axis++) {
            b->y[axis][i] = trace->value[BIAS + axis][at] + sign * trace->value[SIGMA + axis][at];
        }
    }
    return 1;
}

/* Colours of the axes, as in the key; the weights have the first two. */
enum { AXIS_PLACE = 3 };

static marl_panel bias_panel(const cli_replay_trace *trace, const bands *b)
{
    marl_panel panel = {.x_label = "time, s", .y_label = "bias estimate +- 1 sigma, deg/s", .curves = 3};
    double limit = 0.02;
    for (int axis = 0; axis < 3; axis++) {
        for (size_t i = 0; i < trace->n; i++) {
            limit = fmax(limit, fabs(trace->value[BIAS + axis][i]));
        }
        panel.curve[axis] = curve(trace, BIAS + axis, NULL);
        panel.curve[axis].place = AXIS_PLACE + axis;
    }
    for (int axis = 0; axis < 3 && trace->n > 0 && isfinite(trace->value[SIGMA][0]); axis++) {
        panel.curve[panel.curves++] = (marl_curve){
            .x = b->x, .y = b->y[axis], .n = 2 * trace->n + 1, .place = AXIS_PLACE + axis, .like = 1};
    }
    panel.y_from = -1.15 * limit; /* by the bias: its band is wide at the start */
    panel.y_to = 1.15 * limit;
    return panel;
}

static double share_below_half(const cli_replay_trace *trace, int column)
{
    size_t below = 0, all = 0;
    for (size_t i = 0; i < trace->n; i++) {
        below += trace->value[column][i] < 0.5;
        all += isfinite(trace->value[column][i]) != 0;
    }
    return all > 0 ? 100.0 * (double)below / (double)all : 0;
}

static void fill(marl_figure *figure, const cli_replay_trace *trace, const bands *b, const char *heading)
{
    static const char *const axes[3] = {"bias x", "bias y", "bias z"};
    figure->columns = 2;
    figure->panels = 4;
    /* the key is that of the first panel */
    figure->panel[0] = (marl_panel){.x_label = "time, s",
                                    .y_label = "weight in the estimate",
                                    .curves = 5,
                                    .y_from = -0.05,
                                    .y_to = 1.05};
    figure->panel[0].curve[0] = curve(trace, WEIGHT_ACCEL, "weight of accel");
    figure->panel[0].curve[1] = curve(trace, WEIGHT_MAG, "weight of mag");
    for (int axis = 0; axis < 3; axis++) {
        figure->panel[0].curve[2 + axis] = (marl_curve){.label = axes[axis]};
    }
    figure->panel[1] = (marl_panel){.x_label = "time, s", .y_label = "tilt, deg", .curves = 1};
    figure->panel[1].curve[0] = curve(trace, TILT, NULL);
    figure->panel[2] = bias_panel(trace, b);
    figure->panel[3] = (marl_panel){.x_label = "time, s", .y_label = heading, .curves = 1};
    figure->panel[3].curve[0] = curve(trace, HEADING, NULL);
}

marl_status cli_replay_figure(const cli_replay_trace *trace, const char *tuning, const char *heading,
                              const char *log, const char *path, marl_error *error)
{
    char title[300];
    bands b = {0};
    const char *name = strrchr(log, '/');
    marl_figure *figure = calloc(1, sizeof *figure);
    marl_status status = MARL_ERR_SYSTEM;
    if (figure == NULL || !make_bands(&b, trace)) {
        status = marl_fail(error, MARL_ERR_SYSTEM, "no memory for the figure");
    } else {
        snprintf(title, sizeof title,
                 "%.60s on %.60s: accelerometer down-weighted %.0f %%, magnetometer %.0f %% of the time",
                 tuning, name != NULL ? name + 1 : log, share_below_half(trace, WEIGHT_ACCEL),
                 share_below_half(trace, WEIGHT_MAG));
        figure->title = title;
        fill(figure, trace, &b, heading);
        status = marl_figure_draw(figure, path, error);
    }
    free_bands(&b);
    free(figure);
    return status;
}
