/* SPDX-License-Identifier: MIT
 * A comparison as a report page. */
#include "cli/common/page_data.h"
#include "cli/common/page_fit.h"
#include "cli/common/study_compute.h"
#include "cli/common/study_show.h"
#include "marlinspike/trace.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

enum { MAX_VIEWS = 3, MAX_SHOWN = 6 };

/* One run with what it shows, replayed once more. */
typedef struct shown {
    const marl_run *run;
    marl_series estimate;
    marl_trace trace;
} shown;

static marl_status show_run(const marl_study *study, const marl_run *run, shown *s, marl_error *error)
{
    marl_pipeline pipeline;
    s->run = run;
    if (!marl_trace_make(&s->trace, run->on->log.n)) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    marl_status status =
        marl_study_replay(study, run, marl_trace_watch, &s->trace, &pipeline, &s->estimate, error);
    for (size_t i = 0; status == MARL_OK && run->tuning->recorded && i < s->estimate.n; i++) {
        marl_trace_add_attitude(&s->trace, s->estimate.at[i].t_ns, s->estimate.at[i].q);
    }
    if (status == MARL_OK) {
        marl_trace_add_errors(&s->trace, &run->comparison);
    }
    return status;
}

static void free_shown(shown *s)
{
    marl_series_free(&s->estimate);
    marl_trace_free(&s->trace);
}

/* One log with what is shown of its runs. */
typedef struct view {
    const marl_study *study;
    const marl_study_case *it;
    shown run[MAX_SHOWN];
    size_t n;
    marl_trace reference;
    marl_trace_grid grid;
    marl_frames frames;
    double *rows; /* scratch: of a thinned trace */
    marl_quat *q; /* and of the frames */
    double *off;
    int computes;
} view;

/* Values rounded to what an eye can see, null for none; an empty list where there is nothing at all. */
static json_t *thinned_json(const view *w, const marl_trace *k, marl_trace_value v)
{
    json_t *list = json_array();
    size_t rows = marl_trace_has(k, v) ? 2 * w->grid.buckets : 0;
    if (rows > 0) {
        marl_trace_thin(&w->grid, k->t, k->value[v], k->n, w->rows);
    }
    for (size_t i = 0; i < rows; i++) {
        json_array_append_new(list, cli_page_number(w->rows[i], 4));
    }
    return list;
}

static json_t *times_json(const marl_trace_grid *g)
{
    json_t *list = json_array();
    for (size_t i = 0; i < 2 * g->buckets; i++) {
        json_array_append_new(list, cli_page_number(marl_trace_grid_time(g, i), 4));
    }
    return list;
}

static json_t *curve_json(const char *name, int run, json_t *values)
{
    json_t *one = json_object();
    json_object_set_new(one, "name", cli_text(name));
    json_object_set_new(one, "run", json_integer(run));
    json_object_set_new(one, "value", values);
    return one;
}

/* A page that computes has every curve, since another filter may have what this one has not. */
static json_t *panel_json(const view *w, marl_trace_value v)
{
    const marl_trace_row *row = marl_trace_row_of(v);
    json_t *one = json_object(), *curves = json_array();
    if (row->of_reference && w->reference.n > 0) {
        json_array_append_new(curves, curve_json("reference", -1, thinned_json(w, &w->reference, v)));
    }
    for (size_t i = 0; i < w->n; i++) {
        const shown *s = &w->run[i];
        if (w->computes || marl_trace_has(&s->trace, v)) {
            char name[112], label[80];
            marl_study_label(w->study, (size_t)(s->run->tuning - w->study->tunings), label, sizeof label);
            snprintf(name, sizeof name, "%zu %s", i + 1, label);
            json_array_append_new(curves, curve_json(name, (int)i, thinned_json(w, &s->trace, v)));
        }
    }
    json_object_set_new(one, "title", json_string(row->title));
    json_object_set_new(one, "unit", json_string(row->unit));
    json_object_set_new(one, "zero", json_boolean(row->from_zero));
    json_object_set_new(one, "of", json_integer((json_int_t)v));
    json_object_set_new(one, "curves", curves);
    return one;
}

static json_t *panels_json(const view *w)
{
    json_t *list = json_array();
    for (int v = 0; v < MARL_TRACE_VALUES; v++) {
        json_t *one = panel_json(w, (marl_trace_value)v);
        int of_errors = v <= MARL_TRACE_HEADING_OFF;
        if (json_array_size(json_object_get(one, "curves")) > 0 && (w->reference.n > 0 || !of_errors)) {
            json_array_append(list, one);
        }
        json_decref(one);
    }
    return list;
}

static json_t *turning_json(const view *w, const marl_series *series)
{
    json_t *list = json_array();
    marl_frames_attitudes(&w->frames, series, w->q);
    for (size_t i = 0; i < w->frames.n; i++) {
        const marl_quat *q = &w->q[i];
        int there = q->w != 0.0f || q->x != 0.0f || q->y != 0.0f || q->z != 0.0f;
        json_array_append_new(list, there ? cli_page_quat(*q) : json_null());
    }
    return list;
}

static json_t *errors_json(const view *w, const shown *s)
{
    json_t *list = json_array();
    marl_frames_errors(&w->frames, &s->trace, w->off);
    for (size_t i = 0; i < w->frames.n; i++) {
        json_array_append_new(list, cli_page_number(w->off[i], 3));
    }
    return list;
}

static json_t *frames_json(const view *w)
{
    const marl_frames *f = &w->frames;
    json_t *root = json_object(), *times = json_array(), *runs = json_array();
    for (size_t i = 0; i < f->n; i++) {
        json_array_append_new(times, cli_page_number(f->from_s + (double)i * f->step_s, 4));
    }
    for (size_t i = 0; i < w->n; i++) {
        json_t *one = json_object();
        json_object_set_new(one, "q", turning_json(w, &w->run[i].estimate));
        json_object_set_new(one, "error", errors_json(w, &w->run[i]));
        json_array_append_new(runs, one);
    }
    json_object_set_new(root, "t", times);
    json_object_set_new(root, "from", json_real(f->from_s));
    json_object_set_new(root, "step", json_real(f->step_s));
    json_object_set_new(root, "reference", turning_json(w, &w->it->reference));
    json_object_set_new(root, "runs", runs);
    return root;
}

static json_t *spans_json(const marl_conditions *c)
{
    json_t *root = json_object();
    for (int k = 0; k < MARL_CONDITION_COUNT; k++) {
        json_t *list = json_array();
        for (size_t i = 0; i < c->spans[k].n; i++) {
            const double ends[2] = {1e-9 * (double)c->spans[k].span[i].from_ns,
                                    1e-9 * (double)c->spans[k].span[i].to_ns};
            json_array_append_new(list, cli_numbers(ends, 2));
        }
        json_object_set_new(root, marl_condition_name((marl_condition)k), list);
    }
    return root;
}

/* The reference's angles over the span of the runs. */
static int trace_reference(const marl_series *reference, double from, double to, marl_trace *trace)
{
    if (!marl_trace_make(trace, reference->n)) {
        return 0;
    }
    for (size_t i = 0; i < reference->n; i++) {
        double t = 1e-9 * (double)reference->at[i].t_ns;
        if (t >= from && t <= to) {
            marl_trace_add_attitude(trace, reference->at[i].t_ns, reference->at[i].q);
        }
    }
    return 1;
}

static void add_runs(json_t *root, const view *w)
{
    json_t *names = json_array(), *rms = json_array(), *slots = json_array();
    for (size_t i = 0; i < w->n; i++) {
        const marl_run *run = w->run[i].run;
        char name[96];
        marl_study_run_name(w->study, run, name, sizeof name);
        json_array_append_new(names, cli_text(name));
        json_array_append_new(rms, cli_number(run->comparison.all.total.rms));
        json_array_append_new(slots, cli_compute_slot(w->study, run));
    }
    json_object_set_new(root, "names", names);
    json_object_set_new(root, "rms", rms);
    json_object_set_new(root, "slots", slots);
}

/* The span of time and what is thinned over it. 0 without memory. */
static int cut_time(view *w)
{
    double from = INFINITY, to = -INFINITY;
    size_t most = 0;
    for (size_t i = 0; i < w->n; i++) {
        const marl_trace *trace = &w->run[i].trace;
        from = fmin(from, trace->t[0]);
        to = fmax(to, trace->t[trace->n - 1]);
        most = trace->n > most ? trace->n : most;
    }
    w->grid = marl_trace_grid_of(from, to, most);
    w->frames = marl_frames_of(from, to);
    w->rows = malloc(2 * w->grid.buckets * sizeof *w->rows);
    w->q = malloc(w->frames.n * sizeof *w->q);
    w->off = malloc(w->frames.n * sizeof *w->off);
    return w->rows != NULL && w->q != NULL && w->off != NULL &&
           trace_reference(&w->it->reference, from, to, &w->reference);
}

/* NULL without memory. */
static json_t *view_json(view *w)
{
    json_t *root = json_object(), *compute = cli_compute_case(w->study, w->it);
    const marl_trace_grid *g = &w->grid;
    if (compute == NULL) {
        json_decref(root);
        return NULL;
    }
    w->computes = !json_is_null(compute);
    add_runs(root, w);
    json_object_set_new(root, "name", cli_text(marl_base_name(w->it->log_path)));
    json_object_set_new(root, "spans", spans_json(&w->it->conditions));
    json_object_set_new(root, "grid",
                        json_pack("{s:f,s:f,s:I}", "from", g->from_s, "width", g->width_s, "buckets",
                                  (json_int_t)g->buckets));
    json_object_set_new(root, "t", times_json(g));
    json_object_set_new(root, "panels", panels_json(w));
    json_object_set_new(root, "frames", frames_json(w));
    json_object_set_new(root, "compute", compute);
    return root;
}

static marl_status add_view(const marl_study *study, const marl_study_case *it, json_t *views,
                            marl_error *error)
{
    view w = {.study = study, .it = it};
    marl_status status = MARL_OK;
    for (size_t i = 0; i < study->run_n && w.n < MAX_SHOWN && status == MARL_OK; i++) {
        if (study->runs[i].on == it && study->runs[i].compared) {
            status = show_run(study, &study->runs[i], &w.run[w.n++], error);
        }
    }
    if (status == MARL_OK && w.n > 0) {
        json_t *one = cut_time(&w) ? view_json(&w) : NULL;
        status = one != NULL ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
        json_array_append_new(views, one);
    }
    for (size_t i = 0; i < w.n; i++) {
        free_shown(&w.run[i]);
    }
    marl_trace_free(&w.reference);
    free(w.rows);
    free(w.q);
    free(w.off);
    return status;
}

static json_t *views_json(const marl_study *study, const char *path, marl_error *error)
{
    json_t *views = json_array();
    marl_status status = MARL_OK;
    for (size_t i = 0; i < study->case_n && i < MAX_VIEWS && status == MARL_OK; i++) {
        status = add_view(study, &study->cases[i], views, error);
    }
    if (study->case_n > MAX_VIEWS) {
        cli_message("%s: shows the traces of the first %d logs; its tables hold all", path, MAX_VIEWS);
    }
    if (status != MARL_OK) {
        json_decref(views);
        return NULL;
    }
    return views;
}

json_t *cli_study_page_object(const marl_study *study, const char *body, const char *path, marl_error *error)
{
    char title[300], question[400], verdict[1600];
    json_t *views = views_json(study, path, error);
    if (views == NULL) {
        return NULL;
    }
    json_t *root = json_object();
    const char *log = marl_base_name(study->cases[0].log_path), *reference = study->cases[0].reference_path;
    snprintf(title, sizeof title, "%.240s: estimates%s", log, reference != NULL ? " compared" : "");
    if (reference != NULL) {
        snprintf(question, sizeof question, "Which estimate is nearest to %.160s on %.160s%s?",
                 marl_base_name(reference), log, study->case_n > 1 ? " and the other logs" : "");
        cli_study_verdict(study, verdict, sizeof verdict);
    } else {
        snprintf(question, sizeof question, "What do the filters make of %.160s?", log);
        const marl_run *run = &study->runs[0];
        snprintf(verdict, sizeof verdict,
                 "%.100s: heading %s, %u restarts. There is no reference, and no error is known.",
                 run->tuning->name, run->heading_is_magnetic ? "magnetic" : "relative to the start",
                 (unsigned)run->counts.restarts);
    }
    json_object_set_new(root, "kind", json_string("comparison"));
    json_object_set_new(root, "body", json_string(body));
    json_object_set_new(root, "title", cli_text(title));
    json_object_set_new(root, "question", cli_text(question));
    json_object_set_new(root, "verdict", cli_text(verdict));
    json_object_set_new(root, "warnings", cli_warnings_json(&study->warnings));
    json_object_set_new(root, "result", cli_study_object(study));
    json_object_set_new(root, "measures", cli_study_measures());
    json_object_set_new(root, "views", views);
    json_object_set_new(root, "computes", json_true());
    json_object_set_new(root, "filters", cli_compute_filters(study->options.reading.sheet));
    json_object_set_new(root, "command", cli_compute_command(study));
    json_object_set_new(root, "calibration",
                        study->options.record != NULL ? cli_page_corrections(study->options.record)
                                                      : json_null());
    return root;
}

marl_status cli_study_page(const marl_study *study, const char *body, const char *path, marl_error *error)
{
    char title[300];
    json_t *root = cli_study_page_object(study, body, path, error);
    if (root == NULL) {
        (void)!marl_fail(error, MARL_ERR_SYSTEM, "no memory"); /* unless another reason is there already */
        return error->status;
    }
    const char *text = json_string_value(json_object_get(root, "title"));
    snprintf(title, sizeof title, "%.290s", text != NULL ? text : "");
    return cli_page_write(path, title, root, error);
}
