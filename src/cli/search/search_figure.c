/* SPDX-License-Identifier: MIT
 * A search as a figure: of two parameters a map of what was tried, else the score along each parameter; with a trade its
 * two curves. */
#include "cli/search/search.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define WIDE_SCORES 5.0 /* the worst over the best: a logarithmic axis */
#define TOP 10.0        /* times the best: what is worse is left out of slices */
#define MAX_TRADED 3.0  /* the same of the trade */

/* Classes of a map: how many times the best. */
static const struct {
    double up_to;
    const char *label;
} classes[] = {{1.05, "within 5 %"}, {1.2, "20 %"}, {1.5, "50 %"}, {INFINITY, "worse"}};
enum { CLASSES = sizeof classes / sizeof classes[0], BEST_PLACE = 3, DEFAULT_PLACE = 5, MARKS = 4 };

typedef struct drawing {
    marl_figure figure;
    char title[400], x_label[MARL_FIGURE_PANELS][64], y_label[80];
    double *data[2 * CLASSES];
    double point[2][2][MARL_FIGURE_PANELS]; /* found, default: x, y of each panel */
    double trade[4][MARL_TRADE_POINTS];
    char mark[MARKS][80];
} drawing;

static const marl_search_filter *filter_of(const marl_search *search)
{
    return &search->filter[search->best_filter];
}

static void label_axis(const marl_range *range, char *text, size_t size)
{
    const marl_parameter *row = marl_parameter_row(range->id);
    snprintf(text, size, "%s%s%s", row->name, row->unit[0] != '\0' ? ", " : "", row->unit);
}

static void add_point(marl_panel *panel, const char *label, const double *x, const double *y, int place)
{
    panel->curve[panel->curves++] =
        (marl_curve){.label = label, .x = x, .y = y, .n = 1, .points = 1, .place = place};
}

static size_t class_of(const marl_search *search, const marl_trial *trial)
{
    size_t k = 0;
    while (k + 1 < CLASSES && !(trial->score <= classes[k].up_to * search->score)) {
        k++;
    }
    return k;
}

/* Of each class the points, worst first, so that the best lie on top. */
static int draw_map(drawing *d, const marl_search *search)
{
    const marl_search_filter *filter = filter_of(search);
    marl_panel *panel = &d->figure.panel[0];
    for (size_t k = CLASSES; k-- > 0;) {
        double *x = malloc((search->trials + 1) * sizeof *x), *y = malloc((search->trials + 1) * sizeof *y);
        size_t n = 0;
        d->data[2 * k] = x;
        d->data[2 * k + 1] = y;
        if (x == NULL || y == NULL) {
            return 0;
        }
        for (size_t i = 0; i < search->trials; i++) {
            const marl_trial *t = &search->trial[i];
            if (t->filter == search->best_filter && class_of(search, t) == k) {
                x[n] = (double)t->tuning.value[filter->range[0].id];
                y[n++] = (double)t->tuning.value[filter->range[1].id];
            }
        }
        static const int place[CLASSES] = {1, 7, 2, 8};
        if (n > 0) {
            panel->curve[panel->curves++] = (marl_curve){
                .label = classes[k].label, .x = x, .y = y, .n = n, .points = 1, .place = place[k]};
        }
    }
    for (int k = 0; k < 2; k++) {
        const marl_tuning *t = k == 0 ? &search->best.tuning : &filter->standard.tuning;
        d->point[k][0][0] = (double)t->value[filter->range[0].id];
        d->point[k][1][0] = (double)t->value[filter->range[1].id];
        add_point(panel, k == 0 ? "found" : "default", d->point[k][0], d->point[k][1],
                  k == 0 ? BEST_PLACE : DEFAULT_PLACE);
    }
    label_axis(&filter->range[0], d->x_label[0], sizeof d->x_label[0]);
    label_axis(&filter->range[1], d->x_label[1], sizeof d->x_label[1]);
    panel->x_label = d->x_label[0];
    panel->y_label = d->x_label[1];
    panel->logarithmic_x = filter->range[0].logarithmic;
    panel->logarithmic_y = filter->range[1].logarithmic;
    panel->tight = 1;
    return 1;
}

/* All panels have one scale: what matters more is steeper. */
static double worst_score(const marl_search *search)
{
    double worst = search->trial[search->best_filter].score;
    for (size_t i = 0; i < filter_of(search)->varied; i++) {
        for (size_t k = 0; k < search->slice[i].n; k++) {
            double score = search->slice[i].score[k];
            worst = isfinite(score) ? fmax(worst, score) : worst;
        }
    }
    return worst;
}

static void draw_slice(drawing *d, const marl_search *search, size_t i, double worst)
{
    const marl_search_filter *filter = filter_of(search);
    const marl_slice *s = &search->slice[i];
    marl_panel *panel = &d->figure.panel[i];
    label_axis(&filter->range[i], d->x_label[i], sizeof d->x_label[i]);
    panel->x_label = d->x_label[i];
    panel->y_label = d->y_label;
    panel->logarithmic_x = filter->range[i].logarithmic;
    panel->logarithmic_y = worst > WIDE_SCORES * search->score;
    panel->y_from = 0.95 * search->score;
    panel->y_to = 1.02 * fmin(worst, TOP * search->score);
    panel->curve[panel->curves++] =
        (marl_curve){.label = "the others as found", .x = s->value, .y = s->score, .n = s->n, .place = 1};
    d->point[0][0][i] = (double)search->best.tuning.value[filter->range[i].id];
    d->point[0][1][i] = search->score;
    d->point[1][0][i] = (double)filter->standard.tuning.value[filter->range[i].id];
    d->point[1][1][i] = search->trial[search->best_filter].score; /* its own filter's default */
    add_point(panel, "found", &d->point[0][0][i], &d->point[0][1][i], BEST_PLACE);
    add_point(panel, "default, with all parameters", &d->point[1][0][i], &d->point[1][1][i], DEFAULT_PLACE);
    panel->shades = 1;
    panel->shade[0] = (marl_shade){"within 5 % of the best", &s->from, &s->to, 1};
}

/* ---- trade ---- */

/* The place of the value that is nearest to this one. */
static size_t nearest(const marl_trade_point *const *point, size_t n, double value)
{
    size_t best = 0;
    for (size_t i = 1; i < n; i++) {
        best = fabs(point[i]->value - value) < fabs(point[best]->value - value) ? i : best;
    }
    return best;
}

static double largest(const double *value, size_t n)
{
    double most = 0;
    for (size_t i = 0; i < n; i++) {
        most = isfinite(value[i]) ? fmax(most, value[i]) : most;
    }
    return most;
}

/* What is far worse than what was found would squash the rest. */
static size_t choose_points(const marl_search *search, const cli_trade *trade,
                            const marl_trade_point **chosen)
{
    size_t n = 0;
    for (size_t i = 0; i < trade->n; i++) {
        if (trade->point[i].score <= MAX_TRADED * search->score) {
            chosen[n++] = &trade->point[i];
        }
    }
    return n;
}

static void draw_trade(drawing *d, const marl_search *search, const cli_trade *trade)
{
    static const char *const axis[2][2] = {{"lag, ms", "jitter at rest, deg"},
                                           {"error at rest, deg rms", "error while shaking, deg rms"}};
    const marl_trade_point *point[MARL_TRADE_POINTS];
    size_t n = choose_points(search, trade, point);
    marl_parameter_id id;
    if (n == 0 || marl_parameter_find(search->best.tuning.filter, trade->name, &id) != MARL_OK) {
        return;
    }
    for (size_t i = 0; i < n; i++) {
        d->trade[0][i] = point[i]->lag_ms;
        d->trade[1][i] = point[i]->jitter_deg;
        d->trade[2][i] = point[i]->still_deg;
        d->trade[3][i] = point[i]->shaking_deg;
    }
    const size_t at[MARKS] = {0, n - 1,
                              nearest(point, n, (double)filter_of(search)->standard.tuning.value[id]),
                              nearest(point, n, (double)search->best.tuning.value[id])};
    static const char *const about[MARKS] = {NULL, NULL, "near the default", "near what was found"};
    static const int place[MARKS] = {7, 4, DEFAULT_PLACE, BEST_PLACE};
    for (size_t k = 0; k < 2; k++) {
        marl_panel *panel = &d->figure.panel[k];
        double *x = d->trade[2 * k], *y = d->trade[2 * k + 1];
        panel->x_label = axis[k][0];
        panel->y_label = axis[k][1];
        panel->y_to = 1.2 * largest(y, n); /* from zero: what hardly changes looks so */
        panel->curve[panel->curves++] = (marl_curve){.x = x, .y = y, .n = n, .place = 1};
        for (size_t i = 0; i < MARKS; i++) {
            snprintf(d->mark[i], sizeof d->mark[i], "%.3g %s", point[at[i]]->value,
                     marl_parameter_row(id)->unit);
            add_point(panel, about[i] != NULL ? about[i] : d->mark[i], &x[at[i]], &y[at[i]], place[i]);
        }
    }
    d->figure.panels = 2;
}

static void write_title(drawing *d, const marl_search *search, const cli_trade *trade)
{
    const marl_gain *g = &search->gain;
    snprintf(d->title, sizeof d->title, "%.40s%s%.20s: %.3g %s %.40s found, default %.3g; %s",
             marl_filter_name(search->best.tuning.filter), trade->n > 0 ? ", what it trades by " : "",
             trade->n > 0 ? trade->name : "", search->score, search->options.goal.unit,
             search->options.goal.text, search->standard_score,
             g->proof == MARL_PROOF_NONE ? "not proven"
             : search->keeps_default     ? "no gain shown"
                                         : "better on other data, too");
    snprintf(d->y_label, sizeof d->y_label, "%.60s, %s", search->options.goal.text,
             search->options.goal.unit);
}

marl_status cli_search_figure(const marl_search *search, const cli_trade *trade, const char *path,
                              marl_error *error)
{
    const marl_search_filter *filter = filter_of(search);
    drawing *d = calloc(1, sizeof *d);
    if (d == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    write_title(d, search, trade);
    d->figure.title = d->title;
    int is_map = filter->varied == 2, drawn = 1;
    if (trade->n > 0) {
        draw_trade(d, search, trade);
    } else if (is_map) {
        d->figure.panels = 1;
        drawn = draw_map(d, search);
    } else {
        d->figure.panels = filter->varied;
        for (size_t i = 0; i < filter->varied; i++) {
            draw_slice(d, search, i, worst_score(search));
        }
    }
    d->figure.columns = d->figure.panels == 1 ? 1 : d->figure.panels > 4 ? 3 : 2;
    marl_status status =
        drawn ? marl_figure_draw(&d->figure, path, error) : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    for (size_t i = 0; i < sizeof d->data / sizeof d->data[0]; i++) {
        free(d->data[i]);
    }
    free(d);
    return status;
}
