/* SPDX-License-Identifier: MIT
 * How a comparison is shown: table, JSON, figure. */
#include "compare.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static json_t *measure_json(const marl_measure *m)
{
    json_t *object = json_object();
    json_object_set_new(object, "rms", cli_number(m->rms));
    json_object_set_new(object, "mean", cli_number(m->mean));
    json_object_set_new(object, "p95", cli_number(m->p95));
    json_object_set_new(object, "max", cli_number(m->max));
    return object;
}

static void add_measures(json_t *run, const cli_run *r)
{
    const marl_comparison *c = &r->comparison;
    char digest[16];
    snprintf(digest, sizeof digest, "%08x", (unsigned)r->digest);
    json_object_set_new(run, "error_deg", measure_json(&c->total));
    json_object_set_new(run, "tilt_deg", measure_json(&c->tilt));
    json_object_set_new(run, "heading_deg", measure_json(&c->heading));
    json_object_set_new(run, "heading", json_string(r->heading_is_magnetic ? "magnetic" : "relative"));
    json_object_set_new(run, "settle_s", cli_number(c->settle_s));
    json_object_set_new(run, "jitter_deg", cli_number(c->jitter_deg));
    json_object_set_new(run, "lag_ms", cli_number(c->lag_ms));
    json_object_set_new(run, "drift_deg_per_h", cli_number(c->drift_deg_per_h));
    json_object_set_new(run, "rejected", cli_rejected_json(&r->counts));
    json_object_set_new(run, "refused", cli_refused_json(&r->counts));
    json_object_set_new(run, "updates", json_integer(r->counts.updates));
    json_object_set_new(run, "compared", json_integer((json_int_t)c->n));
    json_object_set_new(run, "digest", json_string(digest));
}

int cli_compare_json(const cli_comparison *job)
{
    json_t *root = json_object(), *runs = json_array();
    for (size_t i = 0; i < job->runs; i++) {
        const cli_run *r = &job->run[i];
        json_t *run = json_object();
        json_object_set_new(run, "case", json_string(job->log.path));
        json_object_set_new(run, "name", json_string(r->tuning.name));
        json_object_set_new(run, "filter", json_string(marl_filter_name(r->tuning.tuning.filter)));
        json_object_set_new(run, "status", json_string(r->error.status == MARL_OK ? "ok" : "failed"));
        json_object_set_new(run, "reason",
                            r->error.status == MARL_OK ? json_null() : json_string(r->error.text));
        if (r->error.status == MARL_OK) {
            add_measures(run, r);
        }
        json_array_append_new(runs, run);
    }
    json_object_set_new(root, "runs", runs);
    json_object_set_new(root, "warnings", cli_warnings_json(&job->warnings));
    return cli_print_json(root);
}

static void print_cell(int width, int decimals, double value)
{
    if (isfinite(value)) {
        double shown = fabs(value) < 0.5 * pow(10, -decimals) ? 0 : value; /* no -0 */
        printf(" %*.*f", width, decimals, shown);
    } else {
        printf(" %*s", width, "-");
    }
}

static void print_run(const cli_run *r)
{
    const marl_comparison *c = &r->comparison;
    printf("%-16.16s", r->tuning.name);
    if (r->error.status != MARL_OK) {
        printf("  failed\n");
        return;
    }
    print_cell(6, 2, c->tilt.rms);
    print_cell(6, 2, c->tilt.p95);
    print_cell(6, 2, c->tilt.max);
    print_cell(9, 2, c->heading.rms);
    print_cell(6, 2, c->heading.max);
    print_cell(8, 2, c->total.rms);
    print_cell(7, 1, c->settle_s);
    print_cell(7, 3, c->jitter_deg);
    print_cell(6, 0, c->lag_ms);
    print_cell(6, 0, c->drift_deg_per_h);
    printf("%s\n", r->heading_is_magnetic ? "" : "  heading relative");
}

/* Up to how many times a larger error is told as a ratio. */
static void print_ratio(const cli_run *other, const cli_run *best)
{
    double ratio = other->comparison.tilt.rms / best->comparison.tilt.rms;
    printf("%.1f times below %s", ratio, other->tuning.name);
}

/* One sentence that says what the table means. */
static void print_meaning(const cli_comparison *job)
{
    const cli_run *best = NULL;
    size_t others = 0, told = 0;
    for (size_t i = 0; i < job->runs; i++) {
        const cli_run *r = &job->run[i];
        if (r->error.status == MARL_OK && isfinite(r->comparison.tilt.rms)) {
            others += best != NULL;
            best = best == NULL || r->comparison.tilt.rms < best->comparison.tilt.rms ? r : best;
        }
    }
    if (others == 0) {
        return;
    }
    printf("\n%s knows the tilt best: within %.2f deg rms of the reference,\n", best->tuning.name,
           best->comparison.tilt.rms);
    for (size_t i = 0; i < job->runs; i++) {
        const cli_run *r = &job->run[i];
        if (r != best && r->error.status == MARL_OK && isfinite(r->comparison.tilt.rms)) {
            printf("%s", told == 0 ? "" : told + 1 == others ? " and " : ", ");
            print_ratio(r, best);
            told++;
        }
    }
    printf(".\n");
}

int cli_compare_table(const cli_comparison *job, const char *reference, const char *figure)
{
    printf("%s against %s: errors in degrees\n\n", job->log.path, reference);
    printf("%-16s %6s %6s %6s %9s %6s %8s %7s %7s %6s %6s\n", "", "tilt", "", "", "heading", "", "total",
           "settle", "jitter", "lag", "drift");
    printf("%-16s %6s %6s %6s %9s %6s %8s %7s %7s %6s %6s\n", "", "rms", "p95", "max", "rms", "max", "rms",
           "s", "deg", "ms", "deg/h");
    for (size_t i = 0; i < job->runs; i++) {
        print_run(&job->run[i]);
    }
    print_meaning(job);
    if (figure != NULL) {
        printf("figure: %s\n", figure);
    }
    return cli_print_done();
}

/* x and y of both panels, one allocation a run: time, tilt, heading. */
static double *curve_data(const marl_comparison *c)
{
    double *data = malloc((3 * c->n + 1) * sizeof *data);
    for (size_t i = 0; data != NULL && i < c->n; i++) {
        data[i] = (double)c->t_ns[i] * 1e-9;
        data[c->n + i] = c->error[i].tilt_deg;
        data[2 * c->n + i] = c->error[i].heading_deg;
    }
    return data;
}

marl_status cli_compare_figure(const cli_comparison *job, const char *path, marl_error *error)
{
    double *data[MARL_FIGURE_CURVES] = {NULL};
    marl_status status = MARL_OK;
    char title[300];
    marl_figure *figure = calloc(1, sizeof *figure);
    if (figure == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    const char *name = strrchr(job->log.path, '/');
    snprintf(title, sizeof title, "Error of each estimator against the reference, %.200s",
             name != NULL ? name + 1 : job->log.path);
    figure->title = title;
    figure->panels = 2;
    figure->panel[0] = (marl_panel){.x_label = "time, s", .y_label = "tilt error, deg"};
    figure->panel[1] = (marl_panel){.x_label = "time, s", .y_label = "heading error, deg"};
    size_t n = 0;
    for (size_t i = 0; i < job->runs; i++) {
        const marl_comparison *c = &job->run[i].comparison;
        if (job->run[i].error.status != MARL_OK) {
            continue;
        }
        if (n == MARL_FIGURE_CURVES) {
            cli_say("%s: shows the first %d tunings, %s and those behind it are left out", path,
                    MARL_FIGURE_CURVES, job->run[i].tuning.name);
            break;
        }
        data[n] = curve_data(c);
        if (data[n] == NULL) {
            status = marl_fail(error, MARL_ERR_SYSTEM, "no memory");
            break;
        }
        figure->panel[0].curve[n] =
            (marl_curve){.label = job->run[i].tuning.name, .x = data[n], .y = data[n] + c->n, .n = c->n};
        figure->panel[1].curve[n] = (marl_curve){.x = data[n], .y = data[n] + 2 * c->n, .n = c->n};
        n++;
    }
    figure->panel[0].curves = figure->panel[1].curves = n;
    if (status == MARL_OK && n > 0) {
        status = marl_figure_draw(figure, path, error);
    }
    for (size_t i = 0; i < n; i++) {
        free(data[i]);
    }
    free(figure);
    return status;
}
