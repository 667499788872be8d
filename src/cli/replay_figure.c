/* SPDX-License-Identifier: MIT
 * The figure of a replay: where the body points, the bias, and which sensor was believed when. */
#include "replay_trace.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define DEGREE 0.017453292519943295

enum { T, TILT, HEADING, BIAS, WEIGHT_ACCEL, WEIGHT_MAG };

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

static double heading_deg(marl_quat q, marl_world world)
{
    float heading;
    return marl_frame_heading(q, world, &heading) == MARL_OK ? (double)heading / DEGREE : NAN;
}

/* A weight holds until the next reading. */
static void keep_weight(double *weight, size_t i, float now)
{
    weight[i] = now >= 0 ? (double)now : i > 0 ? weight[i - 1] : NAN;
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
    trace->value[HEADING][i] = heading_deg(row->q, e->tuning.world);
    trace->value[BIAS][i] = (double)marl_vec3_norm(marl_estimator_bias(e)) / DEGREE;
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

marl_status cli_replay_figure(const cli_replay_trace *trace, const char *tuning, const char *heading,
                              const char *log, const char *path, marl_error *error)
{
    char title[260];
    const char *name = strrchr(log, '/');
    marl_figure *figure = calloc(1, sizeof *figure);
    if (figure == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory for the figure");
    }
    snprintf(title, sizeof title, "%.60s on %.100s: where it points, and which sensor it believes", tuning,
             name != NULL ? name + 1 : log);
    figure->title = title;
    figure->columns = 2;
    figure->panels = 4;
    /* the key is that of the first panel */
    figure->panel[0] = (marl_panel){.x_label = "time, s", .y_label = "weight in the estimate", .curves = 2};
    figure->panel[0].curve[0] = curve(trace, WEIGHT_ACCEL, "weight of accel");
    figure->panel[0].curve[1] = curve(trace, WEIGHT_MAG, "weight of mag");
    figure->panel[1] = (marl_panel){.x_label = "time, s", .y_label = "tilt, deg", .curves = 1};
    figure->panel[1].curve[0] = curve(trace, TILT, NULL);
    figure->panel[2] =
        (marl_panel){.x_label = "time, s", .y_label = "gyroscope bias estimate, deg/s", .curves = 1};
    figure->panel[2].curve[0] = curve(trace, BIAS, NULL);
    figure->panel[3] = (marl_panel){.x_label = "time, s", .y_label = heading, .curves = 1};
    figure->panel[3].curve[0] = curve(trace, HEADING, NULL);
    marl_status status = marl_figure_draw(figure, path, error);
    free(figure);
    return status;
}
