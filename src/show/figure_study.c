/* SPDX-License-Identifier: MIT
 * A comparison as figures: errors over time on the left, the best estimate against the reference on the
 * right, behind them what the board was doing. */
#include "marlinspike/show.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define POOR 5.0       /* times the error of the best */
#define MIN_SHOWN 0.05 /* of it: where a logarithmic axis ends */
/* Letters that the title has room for. */
enum { MAX_CURVES = MARL_FIGURE_TUNINGS, MAX_TITLED = 5, TITLE_WIDTH = 105 };

/* Everything that a figure draws; its data are freed together. */
typedef struct drawing {
    marl_figure figure;
    char title[400];
    char name[MARL_FIGURE_CURVES][64];
    size_t used;
    double *data[MARL_FIGURE_CURVES + 2 + MARL_CONDITION_COUNT];
} drawing;

/* Memory for `columns` times n values, or NULL. */
static double *new_data(drawing *d, size_t columns, size_t n)
{
    double *memory = malloc((columns * n + 1) * sizeof *memory);
    if (memory != NULL) {
        d->data[d->used++] = memory;
    }
    return memory;
}

static void free_drawing(drawing *d)
{
    for (size_t i = 0; i < d->used; i++) {
        free(d->data[i]);
    }
    free(d);
}

/* The least and the greatest rms error among the runs that are drawn, in tilt or heading. */
typedef struct spread {
    double min, max;
} spread;

static void widen(spread *s, double rms)
{
    if (rms > 0) {
        s->min = fmin(s->min, rms);
        s->max = fmax(s->max, rms);
    }
}

/* Errors that differ by much more than this share a logarithmic axis, so that all of them are seen. */
static int is_wide(const spread *s)
{
    return s->max > POOR * s->min;
}

/* On a logarithmic axis the size of an error, and what is far below the best is no more than that. */
static double shown(double error, const spread *s)
{
    return is_wide(s) ? fmax(fabs(error), MIN_SHOWN * s->min) : error;
}

/* Tilt and heading error of one run: time, tilt, heading. */
static int add_errors(drawing *d, const marl_study *study, const marl_run *run, const spread s[2])
{
    const marl_comparison *c = &run->comparison;
    marl_panel *tilt = &d->figure.panel[0], *heading = &d->figure.panel[2];
    double *data = new_data(d, 3, c->n);
    if (data == NULL) {
        return 0;
    }
    for (size_t i = 0; i < c->n; i++) {
        data[i] = 1e-9 * (double)c->t_ns[i];
        data[c->n + i] = shown(c->error[i].tilt_deg, &s[0]);
        data[2 * c->n + i] = shown(c->error[i].heading_deg, &s[1]);
    }
    char *name = d->name[tilt->curves];
    marl_study_label(study, (size_t)(run->tuning - study->tunings), name, sizeof d->name[0]);
    tilt->curve[tilt->curves++] = (marl_curve){.label = name, .x = data, .y = data + c->n, .n = c->n};
    heading->curve[heading->curves++] = (marl_curve){.x = data, .y = data + 2 * c->n, .n = c->n};
    return 1;
}

/* Tilt and compass heading of attitudes, in the colour of a place (0 = broad, the reference's); the line is
 * broken where the heading goes through north. */
static int add_attitudes(drawing *d, const marl_series *s, int colour)
{
    double *data = new_data(d, 3, s->n), before = NAN;
    if (data == NULL) {
        return 0;
    }
    for (size_t i = 0; i < s->n; i++) {
        float heading = NAN;
        int upright = marl_frame_heading(s->at[i].q, MARL_WORLD_ENU, &heading) == MARL_OK;
        double now = upright ? (double)heading / MARL_DEGREE : (double)NAN;
        data[i] = 1e-9 * (double)s->at[i].t_ns;
        data[s->n + i] = (double)marl_frame_tilt(s->at[i].q, MARL_WORLD_ENU) / MARL_DEGREE;
        data[2 * s->n + i] = fabs(now - before) > 180 ? (double)NAN : now;
        before = now;
    }
    for (size_t k = 0; k < 2; k++) {
        marl_panel *panel = &d->figure.panel[1 + 2 * k];
        panel->curve[panel->curves++] = (marl_curve){
            .x = data, .y = data + (k + 1) * s->n, .n = s->n, .place = colour, .wide = colour == 0};
    }
    return 1;
}

static int add_shades(drawing *d, const marl_conditions *c)
{
    static const marl_condition order[MARL_FIGURE_SHADES] = {
        MARL_CONDITION_STILL, MARL_CONDITION_TURNING, MARL_CONDITION_DISTURBED, MARL_CONDITION_SHAKING};
    for (size_t i = 0; i < MARL_FIGURE_SHADES; i++) {
        const marl_spans *spans = &c->spans[order[i]];
        double *data = new_data(d, 2, spans->n);
        if (data == NULL) {
            return 0;
        }
        for (size_t k = 0; k < spans->n; k++) {
            data[k] = 1e-9 * (double)spans->span[k].from_ns;
            data[spans->n + k] = 1e-9 * (double)spans->span[k].to_ns;
        }
        for (size_t p = 0; p < 4; p++) {
            d->figure.panel[p].shade[i] =
                (marl_shade){marl_condition_name(order[i]), data, data + spans->n, spans->n};
            d->figure.panel[p].shades = i + 1;
        }
    }
    return 1;
}

/* The part of the reference that the estimate's time covers. */
static marl_series within(const marl_series *reference, const marl_series *estimate)
{
    marl_series part = {0, reference->at};
    size_t from = 0;
    while (from < reference->n && reference->at[from].t_ns < estimate->at[0].t_ns) {
        from++;
    }
    part.at += from;
    while (from + part.n < reference->n && part.at[part.n].t_ns <= estimate->at[estimate->n - 1].t_ns) {
        part.n++;
    }
    return part;
}

/* The best tuning on this case, among those that are drawn. */
static const marl_run *best_of(const marl_study *study, const marl_run *const *drawn, size_t n, size_t *place)
{
    double min = INFINITY;
    *place = 0;
    for (size_t i = 0; i < n; i++) {
        double score = marl_study_score(study, &drawn[i]->comparison.all);
        if (score < min) {
            min = score;
            *place = i;
        }
    }
    return drawn[*place];
}

/* What came out, the best first: "lift.csv: 0.94 deg rms with kalman, 2.57 with complementary". */
static void write_title(const marl_study *study, drawing *d, const marl_run *const *drawn, size_t n)
{
    int used = snprintf(d->title, sizeof d->title, "%.120s: ", marl_base_name(drawn[0]->on->log_path));
    double last = -1;
    for (size_t k = 0; k < n && k < MAX_TITLED && used > 0 && (size_t)used < sizeof d->title; k++) {
        const marl_run *next = NULL;
        for (size_t i = 0; i < n; i++) {
            double score = marl_study_score(study, &drawn[i]->comparison.all);
            next = score > last && (next == NULL || score < marl_study_score(study, &next->comparison.all))
                       ? drawn[i]
                       : next;
        }
        if (next == NULL) {
            return;
        }
        last = marl_study_score(study, &next->comparison.all);
        char label[64], part[128];
        marl_study_label(study, (size_t)(next->tuning - study->tunings), label, sizeof label);
        int length = snprintf(part, sizeof part, "%s%.2f%s with %.40s", k > 0 ? ", " : "", last,
                              k > 0                                 ? ""
                              : study->rank_by == MARL_RANK_BY_TILT ? " deg rms in tilt"
                                                                    : " deg rms",
                              label);
        if (k > 0 && used + length > TITLE_WIDTH) {
            return; /* the worst ones are in the table */
        }
        used += snprintf(d->title + used, sizeof d->title - (size_t)used, "%s", part);
    }
}

static marl_status draw_best(const marl_study *study, drawing *d, const marl_run *const *drawn, size_t n,
                             marl_error *error)
{
    size_t place;
    const marl_run *best = best_of(study, drawn, n, &place);
    marl_series estimate = {0, NULL};
    marl_pipeline pipeline;
    marl_status status = marl_study_replay(study, best, NULL, NULL, &pipeline, &estimate, error);
    if (status != MARL_OK) {
        return status;
    }
    marl_series reference = within(&best->on->reference, &estimate);
    if (!add_attitudes(d, &reference, 0) || !add_attitudes(d, &estimate, (int)place + 1)) {
        status = marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    marl_series_free(&estimate);
    marl_panel *first = &d->figure.panel[0];
    first->curve[first->curves++] = (marl_curve){.label = "reference", .wide = 1};
    write_title(study, d, drawn, n);
    return status;
}

static marl_status draw_case(const marl_study *study, const marl_study_case *it, const char *path,
                             marl_error *error)
{
    const marl_run *drawn[MAX_CURVES];
    size_t n = 0;
    drawing *d = calloc(1, sizeof *d);
    marl_status status = d != NULL ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    if (d == NULL) {
        return status;
    }
    d->figure = (marl_figure){.title = d->title, .columns = 2, .panels = 4};
    d->figure.panel[0] = (marl_panel){.x_label = "time, s", .y_label = "tilt error, deg"};
    d->figure.panel[1] = (marl_panel){.x_label = "time, s", .y_label = "tilt, deg"};
    d->figure.panel[2] = (marl_panel){.x_label = "time, s", .y_label = "heading error, deg"};
    d->figure.panel[3] = (marl_panel){.x_label = "time, s", .y_label = "compass heading, deg"};
    spread s[2] = {{INFINITY, 0}, {INFINITY, 0}};
    for (size_t i = 0; i < study->run_n && n < MAX_CURVES; i++) {
        const marl_run *run = &study->runs[i];
        int first_rate = i / study->case_n % study->rate_n == 0;
        if (run->on == it && run->compared && first_rate) {
            drawn[n++] = run;
            widen(&s[0], run->comparison.all.tilt.rms);
            widen(&s[1], run->comparison.all.heading.rms);
        }
    }
    for (size_t i = 0; i < n && status == MARL_OK; i++) {
        status = add_errors(d, study, drawn[i], s) ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    d->figure.panel[0].logarithmic_y = is_wide(&s[0]);
    d->figure.panel[2].logarithmic_y = is_wide(&s[1]);
    d->figure.panel[2].y_label = is_wide(&s[1]) ? "heading error, size, deg" : "heading error, deg";
    if (status == MARL_OK && n > 0) {
        status = draw_best(study, d, drawn, n, error);
    }
    if (status == MARL_OK && !add_shades(d, &it->conditions)) {
        status = marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    if (status == MARL_OK && n > 0) {
        status = marl_figure_draw(&d->figure, path, error);
    }
    free_drawing(d);
    return status;
}

marl_status marl_figure_draw_study(const marl_study *study, const char *path, marl_error *error)
{
    marl_status status = MARL_OK;
    const char *dot = strrchr(path, '.');
    for (size_t i = 0; i < study->case_n && status == MARL_OK; i++) {
        char name[4096];
        snprintf(name, sizeof name, "%s", path);
        if (i > 0 && dot != NULL) {
            snprintf(name, sizeof name, "%.*s-%zu%.8s", (int)(dot - path), path, i + 1, dot);
        }
        status = draw_case(study, &study->cases[i], name, error);
    }
    return status;
}
