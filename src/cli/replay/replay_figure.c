/* SPDX-License-Identifier: MIT
 * The figure of a replay: weights, tilt and heading, bias with its standard deviation. */
#include "cli/replay/replay_trace.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { T, TILT, HEADING, WEIGHT_ACCEL, WEIGHT_MAG, BIAS, SIGMA = BIAS + 3 };

static int ensure_capacity(cli_replay_trace *trace)
{
    size_t capacity = trace->capacity > 0 ? 2 * trace->capacity : 4096;
    for (int i = 0; i < CLI_TRACES; i++) {
        double *more = realloc(trace->value[i], capacity * sizeof *more);
        if (more == NULL) {
            return 0;
        }
        trace->value[i] = more;
    }
    trace->capacity = capacity;
    return 1;
}

/* NaN, which breaks the line, where the heading is not defined or goes through north. */
static double heading_deg(const cli_replay_trace *trace, size_t i, marl_quat q, marl_world world)
{
    float heading;
    if (marl_frame_heading(q, world, &heading) != MARL_OK) {
        return NAN;
    }
    double now = (double)heading / MARL_DEGREE, before = i > 0 ? trace->value[HEADING][i - 1] : now;
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
        trace->value[BIAS + axis][i] = (double)b[axis] / MARL_DEGREE;
        trace->value[SIGMA + axis][i] = known ? (double)s[axis] / MARL_DEGREE : NAN;
    }
}

marl_status cli_replay_trace_add(cli_replay_trace *trace, const marl_log_row *row,
                                 const marl_pipeline *pipeline, marl_error *error)
{
    if (trace->n == trace->capacity && !ensure_capacity(trace)) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory for the figure");
    }
    const marl_estimator *e = &pipeline->estimator;
    size_t i = trace->n++;
    trace->value[T][i] = (double)row->sample.t_ns * 1e-9;
    trace->value[TILT][i] = (double)marl_frame_tilt(row->q, e->tuning.world) / MARL_DEGREE;
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

static marl_panel single_panel(const cli_replay_trace *trace, int column, const char *label)
{
    marl_panel panel = {.x_label = "time, s", .y_label = label, .curves = 1};
    panel.curve[0] = curve(trace, column, NULL);
    return panel;
}

/* The key is that of the first panel, and holds the axes of the bias, too. */
static marl_panel weight_panel(const cli_replay_trace *trace)
{
    static const char *const axes[3] = {"bias x", "bias y", "bias z"};
    marl_panel panel = {.x_label = "time, s",
                        .y_label = "weight in the estimate",
                        .curves = 5,
                        .y_from = -0.05,
                        .y_to = 1.05};
    panel.curve[0] = curve(trace, WEIGHT_ACCEL, "weight of accel");
    panel.curve[1] = curve(trace, WEIGHT_MAG, "weight of mag");
    for (int axis = 0; axis < 3; axis++) {
        panel.curve[2 + axis] = (marl_curve){.label = axes[axis]};
    }
    return panel;
}

static int has_weights(const cli_replay_trace *trace)
{
    return trace->n > 0 && isfinite(trace->value[WEIGHT_ACCEL][trace->n - 1]);
}

/* gyro and vectors have neither weights nor a bias. */
static void fill(marl_figure *figure, const cli_replay_trace *trace, const bands *b, const char *heading)
{
    int weights = has_weights(trace);
    marl_panel tilt = single_panel(trace, TILT, "tilt, deg"), north = single_panel(trace, HEADING, heading);
    figure->columns = weights ? 2 : 1;
    figure->panels = weights ? 4 : 2;
    figure->panel[0] = weights ? weight_panel(trace) : tilt;
    figure->panel[1] = weights ? tilt : north;
    if (weights) {
        figure->panel[2] = bias_panel(trace, b);
        figure->panel[3] = north;
    }
}

static void name_figure(char *title, size_t size, const cli_replay_trace *trace, const char *tuning,
                        const char *log)
{
    const char *name = marl_base_name(log);
    if (!has_weights(trace)) {
        snprintf(title, size, "%.60s on %.60s: tilt and heading", tuning, name);
        return;
    }
    snprintf(title, size,
             "%.60s on %.60s: accelerometer down-weighted %.0f %%, magnetometer %.0f %% of the time", tuning,
             name, share_below_half(trace, WEIGHT_ACCEL), share_below_half(trace, WEIGHT_MAG));
}

marl_status cli_replay_figure(const cli_replay_trace *trace, const char *tuning, const char *heading,
                              const char *log, const char *path, marl_error *error)
{
    char title[300];
    bands b = {0};
    marl_figure *figure = calloc(1, sizeof *figure);
    marl_status status = MARL_ERR_SYSTEM;
    if (figure == NULL || !make_bands(&b, trace)) {
        status = marl_fail(error, MARL_ERR_SYSTEM, "no memory for the figure");
    } else {
        name_figure(title, sizeof title, trace, tuning, log);
        figure->title = title;
        fill(figure, trace, &b, heading);
        status = marl_figure_draw(figure, path, error);
    }
    free_bands(&b);
    free(figure);
    return status;
}
