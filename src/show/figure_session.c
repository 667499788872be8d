/* SPDX-License-Identifier: MIT
 * What a calibration was made from, as a figure. */
#include "show/figure_cloud.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { CURVE_POINTS = 101 };

/* What one panel of a soak draws: means, curve, and its band of one standard error with a break between the
 * edges. */
typedef struct soak_axis {
    char label[48];
    double *x, *y, curve_x[CURVE_POINTS], curve_y[CURVE_POINTS], band_x[2 * CURVE_POINTS + 1],
        band_y[2 * CURVE_POINTS + 1];
} soak_axis;

/* The error at the reference, and that of the slope away from it; of the accelerometer only its change is
 * known. */
static double band_at(const marl_soak_result *r, int axis, double d)
{
    const marl_fit *fit = &r->outcome.fit;
    double range = fit->range_degC[1] - fit->range_degC[0];
    double at_reference = isfinite(fit->bias_sigma[axis]) ? fit->bias_sigma[axis] : 0;
    return hypot(at_reference, r->change_sigma[axis] * d / range);
}

static void fill_soak_axis(const marl_soak_result *r, int axis, soak_axis *s)
{
    const marl_fit *fit = &r->outcome.fit;
    int is_gyro = r->outcome.sensor == MARL_GYRO;
    double unit = is_gyro ? MARL_DEGREE : 1, mean = 0;
    for (size_t k = 0; k < r->n; k++) {
        double d = r->point[k].degC - fit->reference_degC, curve = fit->bias_per_degC[axis] * d;
        mean += (r->point[k].value[axis] - curve - fit->bias_per_degC2[axis] * d * d) / (double)r->n;
    }
    double level = is_gyro ? 0 : mean; /* gravity stands in the accelerometer: its change is drawn */
    for (size_t k = 0; k < r->n; k++) {
        s->x[k] = r->point[k].degC;
        s->y[k] = (r->point[k].value[axis] - level) / unit;
    }
    for (int k = 0; k < CURVE_POINTS; k++) {
        s->curve_x[k] =
            fit->range_degC[0] + (fit->range_degC[1] - fit->range_degC[0]) * k / (CURVE_POINTS - 1);
        double d = s->curve_x[k] - fit->reference_degC, band = band_at(r, axis, d) / unit;
        s->curve_y[k] =
            (mean - level + fit->bias_per_degC[axis] * d + fit->bias_per_degC2[axis] * d * d) / unit;
        s->band_x[k] = s->band_x[CURVE_POINTS + 1 + k] = s->curve_x[k];
        s->band_y[k] = s->curve_y[k] + band;
        s->band_y[CURVE_POINTS + 1 + k] = s->curve_y[k] - band;
    }
    s->band_x[CURVE_POINTS] = s->band_y[CURVE_POINTS] = NAN;
    snprintf(s->label, sizeof s->label, is_gyro ? "gyro %c, deg/s" : "accel %c change, m/s^2", 'x' + axis);
}

/* One row an axis of the gyroscope, then of the accelerometer. */
static marl_status draw_soak(const marl_session *session, const char *path, marl_error *error)
{
    char title[300];
    size_t max = session->soak[0].n > session->soak[1].n ? session->soak[0].n : session->soak[1].n;
    double *memory = malloc((12 * max + 1) * sizeof *memory);
    soak_axis *all = calloc(6, sizeof *all);
    marl_figure figure = {.title = title, .columns = 3};
    if (memory == NULL || all == NULL) {
        free(memory);
        free(all);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < 6 && session->soak[i / 3].outcome.fit.present; i++) {
        soak_axis *s = &all[i];
        s->x = memory + 2 * i * max;
        s->y = s->x + max;
        fill_soak_axis(&session->soak[i / 3], (int)i % 3, s);
        marl_panel *panel = &figure.panel[figure.panels++];
        *panel = (marl_panel){.x_label = "temperature, degC", .y_label = s->label};
        panel->curve[panel->curves++] = show_dots("means of 5 s", s->x, s->y, session->soak[i / 3].n);
        panel->curve[panel->curves++] =
            (marl_curve){.label = "curve", .x = s->curve_x, .y = s->curve_y, .n = CURVE_POINTS};
        panel->curve[panel->curves++] = (marl_curve){.label = "+- 1 standard error",
                                                     .x = s->band_x,
                                                     .y = s->band_y,
                                                     .n = 2 * CURVE_POINTS + 1,
                                                     .like = 1};
    }
    snprintf(title, sizeof title, "%.160s: curves of order %d leave %.2g deg/s rms of the gyroscope",
             marl_base_name(session->log.path), session->soak[0].order,
             session->soak[0].outcome.fit.residual_rms / MARL_DEGREE);
    marl_status status = marl_figure_draw(&figure, path, error);
    free(memory);
    free(all);
    return status;
}

/* Something that happened, with its error, in one of three groups. */
typedef struct happening {
    marl_span span;
    int group;
    double error; /* deg */
} happening;

typedef struct happenings {
    const char *title, *y_label, *group[3];
    size_t n;
    happening *at;
} happenings;

/* Errors over time on one panel, a colour a group. */
static marl_status draw_happenings(const happenings *h, const char *path, marl_error *error)
{
    marl_figure figure = {.title = h->title, .panels = 1};
    marl_panel *panel = &figure.panel[0];
    double *memory = malloc((6 * h->n + 1) * sizeof *memory);
    if (memory == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    *panel = (marl_panel){.x_label = "time, s", .y_label = h->y_label};
    for (int g = 0; g < 3; g++) {
        double *x = memory + 2 * (size_t)g * h->n, *y = x + h->n;
        size_t n = 0;
        for (size_t i = 0; i < h->n; i++) {
            if (h->at[i].group == g) {
                x[n] = 0.5e-9 * (double)(h->at[i].span.from_ns + h->at[i].span.to_ns);
                y[n++] = h->at[i].error;
            }
        }
        if (n > 0) {
            panel->curve[panel->curves++] =
                (marl_curve){.label = h->group[g], .x = x, .y = y, .n = n, .points = 1};
        }
    }
    marl_status status = marl_figure_draw(&figure, path, error);
    free(memory);
    return status;
}

/* Each turn's error by its axis, or by how much the direction misses after each move. */
static marl_status draw_errors(const marl_session *session, const char *path, marl_error *error)
{
    const marl_turns_result *turns = &session->turns;
    const marl_moves_result *moves = &session->moves;
    int is_turns = session->recording == MARL_RECORDING_TURNS;
    double rms = session->outcome->fit.residual_rms / MARL_DEGREE;
    char title[300];
    happenings h = {.title = title, .n = is_turns ? turns->n : moves->n};
    h.at = calloc(h.n + 1, sizeof *h.at);
    if (h.at == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < h.n && is_turns; i++) {
        const marl_turn *t = &turns->turn[i];
        h.at[i] = (happening){t->span, t->axis, t->error / MARL_DEGREE};
    }
    for (size_t i = 0; i < h.n && !is_turns; i++) {
        const marl_move *m = &moves->move[i];
        h.at[i] = (happening){m->span, !m->used, m->error / MARL_DEGREE};
    }
    if (is_turns) {
        h.y_label = "error of the corrected turn, deg";
        memcpy(h.group, (const char *const[3]){"about x", "about y", "about z"}, sizeof h.group);
        snprintf(title, sizeof title, "%.160s: %zu turns, corrected, off by %.3f deg rms",
                 marl_base_name(session->log.path), h.n - turns->left_out, rms);
    } else {
        h.y_label = "direction off after the move, deg";
        memcpy(h.group, (const char *const[3]){"used", "left out", ""}, sizeof h.group);
        snprintf(title, sizeof title, "%.160s: after %zu moves gravity is off by %.3f deg rms",
                 marl_base_name(session->log.path), h.n - moves->left_out, rms);
    }
    marl_status status = draw_happenings(&h, path, error);
    free(h.at);
    return status;
}

/* The gyroscope over time, an axis a panel, with its bias. */
static marl_status draw_still(const marl_session *session, const char *path, marl_error *error)
{
    const marl_log *log = &session->log;
    char title[300], labels[3][48];
    double *all = malloc((4 * log->n + 1) * sizeof *all), ends[2], bias[3][2];
    marl_figure figure = {.title = title, .columns = 3, .panels = 3};
    size_t n = 0;
    if (all == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (s->fresh & MARL_FRESH_GYRO) {
            const double rate[3] = {(double)s->gyro.x, (double)s->gyro.y, (double)s->gyro.z};
            all[n] = 1e-9 * (double)s->t_ns;
            for (size_t k = 0; k < 3; k++) {
                all[(k + 1) * log->n + n] = rate[k] / MARL_DEGREE;
            }
            n++;
        }
    }
    ends[0] = n > 0 ? all[0] : 0;
    ends[1] = n > 0 ? all[n - 1] : 1;
    for (size_t k = 0; k < 3; k++) {
        const marl_fit *fit = &session->still.outcome.fit;
        bias[k][0] = bias[k][1] = fit->bias[k] / MARL_DEGREE;
        snprintf(labels[k], sizeof labels[k], "gyro %c, deg/s", (char)('x' + k));
        marl_panel *panel = &figure.panel[k];
        *panel = (marl_panel){.x_label = "time, s", .y_label = labels[k]};
        panel->curve[panel->curves++] =
            (marl_curve){.label = k == 0 ? "readings" : NULL, .x = all, .y = all + (k + 1) * log->n, .n = n};
        panel->curve[panel->curves++] =
            (marl_curve){.label = k == 0 ? "bias" : NULL, .x = ends, .y = bias[k], .n = 2};
    }
    snprintf(title, sizeof title, "%.120s: gyroscope bias %+.4f, %+.4f, %+.4f deg/s from %.0f s at rest",
             marl_base_name(log->path), bias[0][0], bias[1][0], bias[2][0], session->still.still_s);
    marl_status status = marl_figure_draw(&figure, path, error);
    free(all);
    return status;
}

marl_status marl_figure_draw_session(const marl_session *session, const char *path, marl_error *error)
{
    switch (session->recording) {
    case MARL_RECORDING_STILL:
        return draw_still(session, path, error);
    case MARL_RECORDING_POSES:
    case MARL_RECORDING_TUMBLE:
        return show_draw_cloud(session, path, error);
    case MARL_RECORDING_SOAK:
        return draw_soak(session, path, error);
    case MARL_RECORDING_TURNS:
    case MARL_RECORDING_MOVES:
        return draw_errors(session, path, error);
    default:
        return marl_fail(error, MARL_ERR_USE, "a calibration of axes has no figure: it is a table");
    }
}
