/* SPDX-License-Identifier: MIT
 * A comparison as a report page. */
#include "cli/common/page_data.h"
#include "cli/common/page_fit.h"
#include "cli/common/study_show.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define FRAME_S 0.05 /* between frames of the turning body, at least */
#define NEAR_S 0.5   /* attitudes farther apart are not interpolated */
enum { MAX_VIEWS = 3, MAX_SHOWN = 6, MAX_FRAMES = 3000, VALUES = 8 };

/* What a run shows over time. */
typedef enum value { TOTAL, TILT, HEADING_OFF, ROLL, PITCH, HEADING, WEIGHT_ACCEL, WEIGHT_MAG } value;

static const struct {
    const char *title, *unit;
    int of_reference, from_zero;
} panels[VALUES] = {
    {"total error", "deg", 0, 1},
    {"tilt error", "deg", 0, 1},
    {"heading error", "deg", 0, 0},
    {"roll", "deg", 1, 0},
    {"pitch", "deg", 1, 0},
    {"compass heading", "deg", 1, 0},
    {"weight of the accelerometer; 0: left out", "0 to 1", 0, 1},
    {"weight of the magnetometer; 0: left out", "0 to 1", 0, 1},
};

/* Values over time. */
typedef struct track {
    size_t n, capacity;
    double *t, *value[VALUES];
} track;

static int make_track(track *k, size_t capacity)
{
    double *all = malloc(((VALUES + 1) * capacity + 1) * sizeof *all);
    *k = (track){.capacity = capacity, .t = all};
    for (size_t i = 0; i < VALUES && all != NULL; i++) {
        k->value[i] = all + (i + 1) * capacity;
    }
    return all != NULL;
}

static void add_attitude(track *k, int64_t t_ns, marl_quat q)
{
    float heading = NAN;
    marl_rpy angles = marl_quat_to_rpy(q);
    size_t i = k->n;
    if (i == k->capacity) {
        return;
    }
    for (size_t v = 0; v < VALUES; v++) {
        k->value[v][i] = NAN;
    }
    k->t[i] = 1e-9 * (double)t_ns;
    k->value[ROLL][i] = (double)angles.roll / MARL_DEGREE;
    k->value[PITCH][i] = (double)angles.pitch / MARL_DEGREE;
    if (marl_frame_heading(q, MARL_WORLD_ENU, &heading) == MARL_OK) {
        k->value[HEADING][i] = (double)heading / MARL_DEGREE;
    }
    k->n++;
}

/* One run with what it shows, replayed once more. */
typedef struct shown {
    const marl_run *run;
    marl_series estimate;
    track track;
} shown;

/* Called for every attitude of the replay. */
static void watch(void *context, const marl_pipeline *pipeline, const marl_sample *sample, marl_quat q)
{
    track *k = context;
    float weight[2];
    marl_pipeline_weights(pipeline, weight);
    size_t before = k->n;
    add_attitude(k, sample->t_ns, q);
    for (size_t i = 0; i < 2 && k->n > before; i++) {
        k->value[WEIGHT_ACCEL + i][before] = weight[i] >= 0 ? (double)weight[i] : (double)NAN;
    }
}

/* The errors stand at the times of some of the attitudes. */
static void add_errors(shown *s)
{
    const marl_comparison *c = &s->run->comparison;
    size_t at = 0;
    for (size_t i = 0; i < c->n; i++) {
        double t = 1e-9 * (double)c->t_ns[i];
        while (at < s->track.n && s->track.t[at] < t - 1e-6) {
            at++;
        }
        if (at < s->track.n && fabs(s->track.t[at] - t) < 1e-6) {
            s->track.value[TOTAL][at] = c->error[i].total_deg;
            s->track.value[TILT][at] = c->error[i].tilt_deg;
            s->track.value[HEADING_OFF][at] = c->error[i].heading_deg;
        }
    }
}

static marl_status show_run(const marl_study *study, const marl_run *run, shown *s, marl_error *error)
{
    marl_pipeline pipeline;
    s->run = run;
    if (!make_track(&s->track, run->on->log.n)) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    marl_status status = marl_study_replay(study, run, watch, &s->track, &pipeline, &s->estimate, error);
    for (size_t i = 0; status == MARL_OK && run->tuning->recorded && i < s->estimate.n; i++) {
        add_attitude(&s->track, s->estimate.at[i].t_ns, s->estimate.at[i].q);
    }
    if (status == MARL_OK) {
        add_errors(s);
    }
    return status;
}

static void free_shown(shown *s)
{
    marl_series_free(&s->estimate);
    free(s->track.t);
}

/* An attitude at a time; *at is where to go on. 0 where there is none near. */
static int attitude_at(const marl_series *s, double t, size_t *at, marl_quat *q)
{
    while (*at + 1 < s->n && 1e-9 * (double)s->at[*at + 1].t_ns <= t) {
        (*at)++;
    }
    if (*at + 1 >= s->n) {
        return 0;
    }
    double from = 1e-9 * (double)s->at[*at].t_ns, to = 1e-9 * (double)s->at[*at + 1].t_ns;
    if (t < from || to - from > NEAR_S) {
        return 0;
    }
    *q = marl_slerp(s->at[*at].q, s->at[*at + 1].q, (t - from) / (to - from));
    return 1;
}

typedef struct frames {
    double from, step;
    size_t n;
} frames;

static json_t *turning_json(const marl_series *s, const frames *f)
{
    json_t *list = json_array();
    size_t at = 0;
    for (size_t i = 0; i < f->n; i++) {
        marl_quat q;
        int there = attitude_at(s, f->from + (double)i * f->step, &at, &q);
        json_array_append_new(list, there ? cli_page_quat(q) : json_null());
    }
    return list;
}

/* The error beside the body: of the attitude just before. */
static json_t *errors_json(const shown *s, const frames *f)
{
    json_t *list = json_array();
    size_t at = 0;
    for (size_t i = 0; i < f->n; i++) {
        double t = f->from + (double)i * f->step;
        while (at + 1 < s->track.n && s->track.t[at + 1] <= t) {
            at++;
        }
        int there = s->track.n > 0 && fabs(s->track.t[at] - t) < NEAR_S;
        json_array_append_new(list, cli_page_number(there ? s->track.value[TOTAL][at] : (double)NAN, 3));
    }
    return list;
}

static json_t *frames_json(const marl_study_case *it, const shown *s, size_t n, const frames *f)
{
    json_t *root = json_object(), *times = json_array(), *runs = json_array();
    for (size_t i = 0; i < f->n; i++) {
        json_array_append_new(times, cli_page_number(f->from + (double)i * f->step, 4));
    }
    for (size_t i = 0; i < n; i++) {
        json_t *one = json_object();
        json_object_set_new(one, "q", turning_json(&s[i].estimate, f));
        json_object_set_new(one, "error", errors_json(&s[i], f));
        json_array_append_new(runs, one);
    }
    json_object_set_new(root, "t", times);
    json_object_set_new(root, "reference", turning_json(&it->reference, f));
    json_object_set_new(root, "runs", runs);
    return root;
}

static json_t *curve_json(const char *name, int run, const cli_page_grid *g, const track *k, int v)
{
    json_t *one = json_object();
    json_object_set_new(one, "name", cli_text(name));
    json_object_set_new(one, "run", json_integer(run));
    json_object_set_new(one, "value", cli_page_values(g, k->t, k->value[v], k->n));
    return one;
}

/* Is there anything to see? The gyroscope alone has no weights. */
static int has_values(const track *k, int v)
{
    for (size_t i = 0; i < k->n; i++) {
        if (isfinite(k->value[v][i])) {
            return 1;
        }
    }
    return 0;
}

static json_t *panels_json(const marl_study *study, const track *reference, const shown *s, size_t n,
                           const cli_page_grid *g)
{
    json_t *list = json_array();
    for (int v = 0; v < VALUES; v++) {
        json_t *one = json_object(), *curves = json_array();
        if (panels[v].of_reference) {
            json_array_append_new(curves, curve_json("reference", -1, g, reference, v));
        }
        for (size_t i = 0; i < n; i++) {
            if (has_values(&s[i].track, v)) {
                char name[96], label[80];
                marl_study_label(study, (size_t)(s[i].run->tuning - study->tunings), label, sizeof label);
                snprintf(name, sizeof name, "%zu %s", i + 1, label);
                json_array_append_new(curves, curve_json(name, (int)i, g, &s[i].track, v));
            }
        }
        if (json_array_size(curves) == 0) {
            json_decref(curves);
            json_decref(one);
            continue;
        }
        json_object_set_new(one, "title", json_string(panels[v].title));
        json_object_set_new(one, "unit", json_string(panels[v].unit));
        json_object_set_new(one, "zero", json_boolean(panels[v].from_zero));
        json_object_set_new(one, "t", cli_page_times(g));
        json_object_set_new(one, "curves", curves);
        json_array_append_new(list, one);
    }
    return list;
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

static json_t *view_json(const marl_study *study, const marl_study_case *it, const shown *s, size_t n,
                         marl_error *error)
{
    track reference;
    if (!make_track(&reference, it->reference.n)) {
        (void)!marl_fail(error, MARL_ERR_SYSTEM, "no memory");
        return NULL;
    }
    double from = INFINITY, to = -INFINITY;
    size_t most = 0;
    for (size_t i = 0; i < n; i++) {
        from = fmin(from, s[i].track.t[0]);
        to = fmax(to, s[i].track.t[s[i].track.n - 1]);
        most = s[i].track.n > most ? s[i].track.n : most;
    }
    for (size_t i = 0; i < it->reference.n; i++) {
        double t = 1e-9 * (double)it->reference.at[i].t_ns;
        if (t >= from && t <= to) {
            add_attitude(&reference, it->reference.at[i].t_ns, it->reference.at[i].q);
        }
    }
    cli_page_grid grid = cli_page_grid_of(from, to, most);
    frames f = {from, fmax(FRAME_S, (to - from) / (MAX_FRAMES - 1)), 0};
    f.n = (size_t)((to - from) / f.step) + 1;
    json_t *root = json_object(), *names = json_array(), *rms = json_array();
    for (size_t i = 0; i < n; i++) {
        char name[96];
        marl_study_run_name(study, s[i].run, name, sizeof name);
        json_array_append_new(names, cli_text(name));
        json_array_append_new(rms, cli_number(s[i].run->comparison.all.total.rms));
    }
    json_object_set_new(root, "rms", rms);
    json_object_set_new(root, "name", cli_text(marl_base_name(it->log_path)));
    json_object_set_new(root, "names", names);
    json_object_set_new(root, "spans", spans_json(&it->conditions));
    json_object_set_new(root, "panels", panels_json(study, &reference, s, n, &grid));
    json_object_set_new(root, "frames", frames_json(it, s, n, &f));
    free(reference.t);
    return root;
}

static marl_status add_view(const marl_study *study, const marl_study_case *it, json_t *views,
                            marl_error *error)
{
    shown s[MAX_SHOWN] = {{0}};
    size_t n = 0;
    marl_status status = MARL_OK;
    for (size_t i = 0; i < study->run_n && n < MAX_SHOWN && status == MARL_OK; i++) {
        if (study->runs[i].on == it && study->runs[i].compared) {
            status = show_run(study, &study->runs[i], &s[n++], error);
        }
    }
    json_t *view = status == MARL_OK && n > 0 ? view_json(study, it, s, n, error) : NULL;
    if (view != NULL) {
        json_array_append_new(views, view);
    }
    for (size_t i = 0; i < n; i++) {
        free_shown(&s[i]);
    }
    return view != NULL || n == 0 ? status : error->status;
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
    snprintf(title, sizeof title, "%.240s: estimates compared", marl_base_name(study->cases[0].log_path));
    snprintf(question, sizeof question, "Which estimate is nearest to %.160s on %.160s%s?",
             marl_base_name(study->cases[0].reference_path), marl_base_name(study->cases[0].log_path),
             study->case_n > 1 ? " and the other logs" : "");
    cli_study_verdict(study, verdict, sizeof verdict);
    json_object_set_new(root, "kind", json_string("comparison"));
    json_object_set_new(root, "body", json_string(body));
    json_object_set_new(root, "title", cli_text(title));
    json_object_set_new(root, "question", cli_text(question));
    json_object_set_new(root, "verdict", cli_text(verdict));
    json_object_set_new(root, "warnings", cli_warnings_json(&study->warnings));
    json_object_set_new(root, "result", cli_study_object(study));
    json_object_set_new(root, "measures", cli_study_measures());
    json_object_set_new(root, "views", views);
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
        return error->status;
    }
    const char *text = json_string_value(json_object_get(root, "title"));
    snprintf(title, sizeof title, "%.290s", text != NULL ? text : "");
    return cli_page_write(path, title, root, error);
}
