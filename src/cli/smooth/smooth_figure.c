/* SPDX-License-Identifier: MIT
 * A smoothed log as a figure. */
#include "cli/smooth/smooth.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* Columns over the rows, then columns over the knots. */
enum { T, TILT, HEADING, SIGMA_TILT, SIGMA_HEADING, ROW_COLUMNS };
enum { KNOT_T, BIAS, MOTION = BIAS + 3, DISTURBANCE, STILL_FROM, STILL_TO, KNOT_COLUMNS };

typedef struct traces {
    size_t n, knots, still;
    double *row[ROW_COLUMNS], *knot[KNOT_COLUMNS];
} traces;

static void free_traces(traces *t)
{
    free(t->row[0]);
    free(t->knot[0]);
}

static int make_traces(traces *t, const marl_smoothed *s)
{
    t->n = s->n;
    t->knots = s->knots;
    t->row[0] = malloc(ROW_COLUMNS * s->n * sizeof *t->row[0]);
    t->knot[0] = malloc(KNOT_COLUMNS * s->knots * sizeof *t->knot[0]);
    if (t->row[0] == NULL || t->knot[0] == NULL) {
        return 0;
    }
    for (int i = 1; i < ROW_COLUMNS; i++) {
        t->row[i] = t->row[0] + (size_t)i * s->n;
    }
    for (int i = 1; i < KNOT_COLUMNS; i++) {
        t->knot[i] = t->knot[0] + (size_t)i * s->knots;
    }
    return 1;
}

static void fill_rows(traces *t, const marl_smoothed *s)
{
    double before = NAN;
    for (size_t i = 0; i < s->n; i++) {
        const marl_smoothed_row *r = &s->row[i];
        float heading = NAN;
        t->row[T][i] = 1e-9 * (double)r->t_ns;
        t->row[TILT][i] =
            acos(fmax(-1, fmin(1, 1 - 2 * ((double)(r->q.x * r->q.x + r->q.y * r->q.y))))) / MARL_DEGREE;
        double now = marl_frame_heading(r->q, MARL_WORLD_ENU, &heading) == MARL_OK
                         ? (double)heading / MARL_DEGREE
                         : NAN;
        t->row[HEADING][i] =
            fabs(now - before) > 180 ? NAN : now; /* no line across the figure where it wraps */
        before = now;
        t->row[SIGMA_TILT][i] = (double)r->sigma_tilt / MARL_DEGREE;
        t->row[SIGMA_HEADING][i] = (double)r->sigma_heading / MARL_DEGREE;
    }
}

static void fill_knots(traces *t, const marl_smoothed *s)
{
    for (size_t i = 0; i < s->knots; i++) {
        const marl_smoothed_knot *k = &s->knot[i];
        t->knot[KNOT_T][i] = 1e-9 * (double)k->t_ns;
        for (int j = 0; j < 3; j++) {
            t->knot[BIAS + j][i] = k->bias[j] / MARL_DEGREE;
        }
        t->knot[MOTION][i] = k->motion;
        t->knot[DISTURBANCE][i] = k->disturbance;
        if (k->still && (i == 0 || !s->knot[i - 1].still)) {
            t->knot[STILL_FROM][t->still] = t->knot[KNOT_T][i];
            t->still++;
        }
        if (k->still) {
            t->knot[STILL_TO][t->still - 1] = t->knot[KNOT_T][i];
        }
    }
}

static marl_panel panel_of(const char *label)
{
    return (marl_panel){.x_label = "time, s", .y_label = label};
}

static void add(marl_panel *panel, const char *label, const double *x, const double *y, size_t n)
{
    panel->curve[panel->curves++] = (marl_curve){.label = label, .x = x, .y = y, .n = n};
}

/* A panel of one curve, which its axis names. */
static void add_knots(marl_panel *panel, const traces *t, int column)
{
    panel->curve[panel->curves++] =
        (marl_curve){.x = t->knot[KNOT_T], .y = t->knot[column], .n = t->knots, .place = 1};
}

static void fill(marl_figure *f, const traces *t)
{
    static const char *const axis[3] = {"bias x", "bias y", "bias z"};
    f->columns = 3;
    f->panels = 6;
    f->panel[0] = panel_of("standard deviation (1 sigma), deg");
    add(&f->panel[0], "tilt", t->row[T], t->row[SIGMA_TILT], t->n);
    add(&f->panel[0], "heading", t->row[T], t->row[SIGMA_HEADING], t->n);
    f->panel[0].shade[f->panel[0].shades++] =
        (marl_shade){.label = "still", .from = t->knot[STILL_FROM], .to = t->knot[STILL_TO], .n = t->still};
    f->panel[1] = panel_of("tilt, deg");
    add(&f->panel[1], NULL, t->row[T], t->row[TILT], t->n);
    f->panel[2] = panel_of("compass heading, deg");
    f->panel[2].curve[f->panel[2].curves++] =
        (marl_curve){.x = t->row[T], .y = t->row[HEADING], .n = t->n, .place = 2};
    f->panel[3] = panel_of("gyroscope bias, deg/s");
    for (int k = 0; k < 3; k++) {
        f->panel[0].curve[f->panel[0].curves++] = (marl_curve){.label = axis[k]};
        f->panel[3].curve[f->panel[3].curves++] =
            (marl_curve){.x = t->knot[KNOT_T], .y = t->knot[BIAS + k], .n = t->knots, .place = 3 + k};
    }
    f->panel[4] = panel_of("acceleration of the body, m/s^2 rms");
    add_knots(&f->panel[4], t, MOTION);
    f->panel[5] = panel_of("field off its reference, uT rms");
    add_knots(&f->panel[5], t, DISTURBANCE);
}

marl_status cli_smooth_figure(const cli_smoothed *job, const char *path, marl_error *error)
{
    const marl_smoothed *s = &job->smoothed;
    char title[300];
    traces t = {0};
    marl_figure *figure = calloc(1, sizeof *figure);
    marl_status status = MARL_ERR_SYSTEM;
    if (figure == NULL || !make_traces(&t, s)) {
        status = marl_fail(error, MARL_ERR_SYSTEM, "no memory for the figure");
    } else {
        snprintf(title, sizeof title, "smoothed %.60s: standard deviation %.3f deg tilt, %.3f deg heading",
                 marl_base_name(job->log.path), s->sigma_tilt_rms / MARL_DEGREE,
                 s->sigma_heading_rms / MARL_DEGREE);
        fill_rows(&t, s);
        fill_knots(&t, s);
        figure->title = title;
        fill(figure, &t);
        status = marl_figure_draw(figure, path, error);
    }
    free_traces(&t);
    free(figure);
    return status;
}
