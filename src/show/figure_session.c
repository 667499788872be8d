/* SPDX-License-Identifier: MIT
 * What a calibration was made from, as a figure. */
#include "marlinspike/show.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define TURN 6.283185307179586
enum { CIRCLE = 121, SERIES = 12, CURVE_POINTS = 101 };

/* Readings of a constant field, raw and corrected, and what they miss the sphere by. */
typedef struct cloud {
    size_t n;
    double *raw[3], *corrected[3], *off, *azimuth, *height;
    double *memory;
} cloud;

static marl_status make_cloud(cloud *p, size_t n, marl_error *error)
{
    p->memory = malloc((SERIES * n + 1) * sizeof *p->memory);
    if (p->memory == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t k = 0; k < 3; k++) {
        p->raw[k] = p->memory + k * n;
        p->corrected[k] = p->memory + (3 + k) * n;
    }
    p->off = p->memory + 6 * n;
    p->azimuth = p->memory + 7 * n;
    p->height = p->memory + 8 * n;
    return MARL_OK;
}

static void add_reading(cloud *p, const marl_fit *fit, double length, const double x[3])
{
    double v[3], whole = 0;
    marl_fit_apply(fit, x, NAN, v);
    for (int k = 0; k < 3; k++) {
        whole += v[k] * v[k];
        p->raw[k][p->n] = x[k];
        p->corrected[k][p->n] = v[k];
    }
    whole = sqrt(whole);
    p->off[p->n] = whole - length;
    p->azimuth[p->n] = atan2(v[1], v[0]) / MARL_DEGREE;
    p->height[p->n] = whole > 0 ? v[2] / whole : NAN;
    p->n++;
}

static marl_status gather_readings(const marl_session *session, cloud *p, double *length, marl_error *error)
{
    const marl_fit *fit = &session->outcome->fit;
    *length = session->recording == MARL_RECORDING_POSES ? MARL_STANDARD_GRAVITY : fit->field;
    marl_status status = make_cloud(
        p, session->recording == MARL_RECORDING_POSES ? session->poses.poses.n : session->log.n, error);
    if (status != MARL_OK || p->memory == NULL) {
        return status;
    }
    if (session->recording == MARL_RECORDING_POSES) {
        for (size_t i = 0; i < session->poses.poses.n; i++) {
            if (isfinite(session->poses.poses.pose[i].distance)) {
                add_reading(p, fit, *length, session->poses.poses.pose[i].accel);
            }
        }
        return MARL_OK;
    }
    for (size_t i = 0; i < session->log.n; i++) {
        const marl_sample *s = &session->log.row[i].sample;
        if (s->fresh & MARL_FRESH_MAG) {
            const double x[3] = {(double)s->mag.x, (double)s->mag.y, (double)s->mag.z};
            add_reading(p, fit, *length, x);
        }
    }
    return MARL_OK;
}

static marl_curve dots(const char *label, const double *x, const double *y, size_t n)
{
    return (marl_curve){.label = label, .x = x, .y = y, .n = n, .points = 1};
}

/* Three planes above; below, what is left against the direction, and which directions were there. */
static marl_status draw_cloud(const marl_session *session, const char *path, marl_error *error)
{
    static const int plane[3][2] = {{0, 1}, {0, 2}, {1, 2}};
    double circle[2][CIRCLE], length;
    char labels[3][2][32], off_label[48], title[300];
    const char *unit = marl_sensor_unit(session->outcome->sensor),
               *name = marl_sensor_name(session->outcome->sensor);
    cloud p = {0};
    marl_figure figure = {.title = title, .columns = 3, .panels = 6};
    marl_status status = gather_readings(session, &p, &length, error);
    if (status != MARL_OK) {
        free(p.memory);
        return status;
    }
    for (int i = 0; i < CIRCLE; i++) {
        circle[0][i] = length * cos(TURN * i / (CIRCLE - 1));
        circle[1][i] = length * sin(TURN * i / (CIRCLE - 1));
    }
    for (int k = 0; k < 3; k++) {
        marl_panel *panel = &figure.panel[k];
        snprintf(labels[k][0], sizeof labels[k][0], "%s %c, %s", name, 'x' + plane[k][0], unit);
        snprintf(labels[k][1], sizeof labels[k][1], "%s %c, %s", name, 'x' + plane[k][1], unit);
        *panel = (marl_panel){.x_label = labels[k][0], .y_label = labels[k][1], .square = 1};
        panel->curve[panel->curves++] = dots("raw", p.raw[plane[k][0]], p.raw[plane[k][1]], p.n);
        panel->curve[panel->curves++] =
            dots("corrected", p.corrected[plane[k][0]], p.corrected[plane[k][1]], p.n);
        panel->curve[panel->curves++] =
            (marl_curve){.label = "ideal", .x = circle[0], .y = circle[1], .n = CIRCLE};
    }
    snprintf(off_label, sizeof off_label, "length off, %s", unit);
    figure.panel[3] = (marl_panel){.x_label = "azimuth, deg", .y_label = off_label};
    figure.panel[3].curve[figure.panel[3].curves++] = dots(NULL, p.azimuth, p.off, p.n);
    figure.panel[4] = (marl_panel){.x_label = "height, -1 to 1", .y_label = off_label};
    figure.panel[4].curve[figure.panel[4].curves++] = dots(NULL, p.height, p.off, p.n);
    figure.panel[5] = (marl_panel){.x_label = "azimuth, deg", .y_label = "height (equal areas)"};
    figure.panel[5].curve[figure.panel[5].curves++] = dots(NULL, p.azimuth, p.height, p.n);
    snprintf(title, sizeof title, "%.150s: %s corrected, %.3g %s rms left, %.0f %% of directions covered",
             session->log.path, name, session->outcome->fit.residual_rms, unit,
             100 * session->outcome->fit.coverage);
    status = marl_figure_draw(&figure, path, error);
    free(p.memory);
    return status;
}

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
        panel->curve[panel->curves++] = dots("means of 5 s", s->x, s->y, session->soak[i / 3].n);
        panel->curve[panel->curves++] =
            (marl_curve){.label = "curve", .x = s->curve_x, .y = s->curve_y, .n = CURVE_POINTS};
        panel->curve[panel->curves++] = (marl_curve){.label = "+- 1 standard error",
                                                     .x = s->band_x,
                                                     .y = s->band_y,
                                                     .n = 2 * CURVE_POINTS + 1,
                                                     .like = 1};
    }
    snprintf(title, sizeof title, "%.160s: curves of order %d leave %.2g deg/s rms of the gyroscope",
             session->log.path, session->soak[0].order,
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
        snprintf(title, sizeof title, "%.160s: %zu turns, corrected, off by %.3f deg rms", session->log.path,
                 h.n - turns->left_out, rms);
    } else {
        h.y_label = "direction off after the move, deg";
        memcpy(h.group, (const char *const[3]){"used", "left out", ""}, sizeof h.group);
        snprintf(title, sizeof title, "%.160s: after %zu moves gravity is off by %.3f deg rms",
                 session->log.path, h.n - moves->left_out, rms);
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
             log->path, bias[0][0], bias[1][0], bias[2][0], session->still.still_s);
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
        return draw_cloud(session, path, error);
    case MARL_RECORDING_SOAK:
        return draw_soak(session, path, error);
    case MARL_RECORDING_TURNS:
    case MARL_RECORDING_MOVES:
        return draw_errors(session, path, error);
    default:
        return marl_fail(error, MARL_ERR_USE, "a calibration of axes has no figure: it is a table");
    }
}
