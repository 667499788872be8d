/* SPDX-License-Identifier: MIT
 * One parameter at a time through the best tuning: plateau, share, trade. */
#include "lab/base/parallel.h"
#include "lab/search/search_parts.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define PLATEAU 1.05
/* A range over which the score rises without end would take all of the share: more than this times the best counts no more. */
#define MAX_CHANGE 2.302585092994046 /* the logarithm of 10 */

/* Evenly over the range, with the best one's own value among them. Returns how many. */
static size_t slice_units(const marl_range *range, double best, double unit[MARL_SLICE_POINTS])
{
    size_t n = 0;
    if (marl_parameter_row(range->id)->kind == MARL_KIND_SWITCH) {
        unit[0] = 0;
        unit[1] = 1;
        return 2;
    }
    enum { EVEN = MARL_SLICE_POINTS - 1 };
    for (int i = 0; i < EVEN; i++) {
        double next = (double)i / (EVEN - 1);
        if (best < next && (n == 0 || unit[n - 1] < best) && best > 0) {
            unit[n++] = best;
        }
        if (n < MARL_SLICE_POINTS && next != best) {
            unit[n++] = next;
        } else if (next == best) {
            unit[n++] = best;
        }
    }
    return n;
}

/* Where the score crosses the plateau's edge between a point inside and one outside, straight in the logarithm. */
static double crossing(const marl_range *range, const marl_slice *s, size_t inside, size_t outside,
                       double edge)
{
    double a = lab_range_unit(range, s->value[inside]), b = lab_range_unit(range, s->value[outside]);
    double rise = isfinite(s->score[outside]) ? log(s->score[outside] / s->score[inside]) : INFINITY;
    double part = rise > 0 ? log(edge / s->score[inside]) / rise : 1;
    return lab_range_value(range, a + (b - a) * fmin(fmax(part, 0), 1));
}

static void find_plateau(const marl_range *range, double best, double score, marl_slice *s)
{
    size_t at = 0;
    double edge = PLATEAU * score;
    for (size_t i = 1; i < s->n; i++) {
        at = fabs(s->value[i] - best) < fabs(s->value[at] - best) ? i : at;
    }
    size_t low = at, high = at;
    while (low > 0 && s->score[low - 1] <= edge) {
        low--;
    }
    while (high + 1 < s->n && s->score[high + 1] <= edge) {
        high++;
    }
    int is_switch = marl_parameter_row(range->id)->kind == MARL_KIND_SWITCH;
    s->from_is_open = low == 0;
    s->to_is_open = high + 1 == s->n;
    s->from = low == 0 || is_switch ? s->value[low] : crossing(range, s, low, low - 1, edge);
    s->to = s->to_is_open || is_switch ? s->value[high] : crossing(range, s, high, high + 1, edge);
}

/* Mean rise of the score's logarithm over the range. */
static double change_of(const marl_slice *s, double score)
{
    double sum = 0;
    for (size_t i = 0; i < s->n; i++) {
        sum += isfinite(s->score[i])
                   ? fmin(fmax(log(s->score[i] / fmax(score, LAB_MIN_SCORE)), 0), MAX_CHANGE)
                   : MAX_CHANGE;
    }
    return s->n > 0 ? sum / (double)s->n : 0;
}

/* Where the best one's own value came back from its place in the range. */
static int is_own(double value, double best)
{
    return fabs(value - best) <= 1e-6 * fabs(best);
}

/* One parameter's values, as trials of the best one, whose own score is known. Returns how many. */
static size_t set_trials(const marl_search *search, size_t which, marl_slice *s, marl_trial *trial)
{
    const marl_search_filter *filter = &search->filter[search->best_filter];
    const marl_range *range = &filter->range[which];
    const marl_parameter *row = marl_parameter_row(range->id);
    double unit[MARL_SLICE_POINTS], best = (double)search->best.tuning.value[range->id];
    size_t n = 0;
    s->n = slice_units(range, lab_range_unit(range, best), unit);
    for (size_t i = 0; i < s->n; i++) {
        double value = lab_range_value(range, unit[i]);
        s->value[i] = is_own(value, best) ? best : value;
        if (s->value[i] != best) {
            trial[n] = (marl_trial){.filter = search->best_filter, .tuning = search->best.tuning};
            trial[n++].tuning.value[range->id] = fminf(fmaxf((float)value, row->low), row->high);
        }
    }
    return n;
}

static void set_scores(marl_search *search, const marl_trial *trial)
{
    const marl_search_filter *filter = &search->filter[search->best_filter];
    double total = 0;
    for (size_t i = 0; i < filter->varied; i++) {
        marl_slice *s = &search->slice[i];
        double best = (double)search->best.tuning.value[filter->range[i].id];
        for (size_t k = 0; k < s->n; k++) {
            s->score[k] = s->value[k] == best ? search->score : trial++->score;
        }
        find_plateau(&filter->range[i], best, search->score, s);
        s->share = change_of(s, search->score);
        total += s->share;
    }
    for (size_t i = 0; i < filter->varied; i++) {
        search->slice[i].share = total > 0 ? search->slice[i].share / total : 0;
    }
}

marl_status lab_search_slice(marl_search *search, const lab_race *race, lab_tried *to, marl_error *error)
{
    const marl_search_filter *filter = &search->filter[search->best_filter];
    lab_ran ran[MARL_SEARCH_VARIED * MARL_SLICE_POINTS];
    to->n = 0;
    memset(search->slice, 0, sizeof search->slice);
    if (lab_search_is_over(search)) {
        return MARL_OK;
    }
    for (size_t i = 0; i < filter->varied; i++) {
        to->n += set_trials(search, i, &search->slice[i], &to->tried[to->n]);
    }
    MARL_TRY(lab_race_run(race, to->tried, ran, to->n, error));
    if (lab_search_is_over(search)) { /* stopped on the way: nothing of it is whole */
        to->n = 0;
        memset(search->slice, 0, sizeof search->slice);
        return MARL_OK;
    }
    set_scores(search, to->tried);
    return MARL_OK;
}

/* ---- trade ---- */

typedef struct trade {
    const marl_search *search;
    const lab_trial_log *log;
    marl_tuning tuning[MARL_TRADE_POINTS];
    marl_trade_point *point;
    marl_status status[MARL_TRADE_POINTS];
    marl_error error[MARL_TRADE_POINTS];
} trade;

/* A mean over the logs that determine it. */
typedef struct mean {
    double sum, n;
} mean;

static void add(mean *m, double value)
{
    m->sum += isfinite(value) ? value : 0;
    m->n += isfinite(value);
}

static double of(const mean *m)
{
    return m->n > 0 ? m->sum / m->n : (double)NAN;
}

static void try_value(void *context, size_t i)
{
    trade *t = context;
    marl_trade_point *point = &t->point[i];
    mean jitter = {0, 0}, lag = {0, 0}, shaking = {0, 0}, still = {0, 0};
    double by_log[MARL_STUDY_MAX_CASES];
    size_t n = t->search->study->case_n;
    for (size_t k = 0; k < n; k++) {
        marl_comparison c;
        t->status[i] = lab_trial_compare(&t->log[k], &t->tuning[i], &c, &t->error[i]);
        if (t->status[i] != MARL_OK) {
            return;
        }
        add(&jitter, c.jitter_deg);
        add(&lag, c.lag_ms);
        add(&shaking, c.by_condition[MARL_CONDITION_SHAKING].total.rms);
        add(&still, c.by_condition[MARL_CONDITION_STILL].total.rms);
        by_log[k] = marl_goal_value(&t->search->options.goal, &c);
        marl_comparison_free(&c);
    }
    point->jitter_deg = of(&jitter);
    point->lag_ms = of(&lag);
    point->shaking_deg = of(&shaking);
    point->still_deg = of(&still);
    point->score = lab_goal_over_logs(&t->search->options.goal, by_log, n);
}

static marl_status set_values(trade *t, const char *name, size_t *n, marl_error *error)
{
    const marl_search *search = t->search;
    const marl_search_filter *filter = &search->filter[search->best_filter];
    marl_parameter_id id;
    marl_range range;
    if (marl_parameter_find(filter->standard.tuning.filter, name, &id) != MARL_OK ||
        marl_parameter_row(id)->kind == MARL_KIND_SWITCH) {
        return marl_fail(error, MARL_ERR_USE, "--trade: '%s' is no number that %s has", name,
                         marl_filter_name(filter->standard.tuning.filter));
    }
    (void)marl_range_usual(filter->standard.tuning.filter, id, &range);
    for (size_t i = 0; i < filter->varied; i++) {
        range = filter->range[i].id == id ? filter->range[i] : range;
    }
    *n = MARL_TRADE_POINTS;
    for (size_t i = 0; i < *n; i++) {
        t->point[i].value = lab_range_value(&range, (double)i / (double)(*n - 1));
        t->tuning[i] = search->best.tuning;
        t->tuning[i].value[id] = (float)t->point[i].value;
    }
    return MARL_OK;
}

marl_status marl_search_trade(marl_search *search, const char *name,
                              marl_trade_point point[MARL_TRADE_POINTS], size_t *n, marl_error *error)
{
    lab_trial_log log[MARL_STUDY_MAX_CASES] = {{0}};
    trade *t = calloc(1, sizeof *t);
    if (t == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    t->search = search;
    t->log = log;
    t->point = point;
    marl_status status = set_values(t, name, n, error);
    for (size_t k = 0; k < search->study->case_n && status == MARL_OK; k++) {
        status = lab_trial_log_make(&log[k], search->study, k, LAB_WHOLE, error);
    }
    if (status == MARL_OK) {
        lab_parallel(search->options.threads > 0 ? search->options.threads : lab_cores(), *n, try_value, t);
    }
    for (size_t i = 0; i < *n && status == MARL_OK; i++) {
        status = t->status[i] == MARL_OK ? MARL_OK : marl_fail(error, t->status[i], "%s", t->error[i].text);
    }
    for (size_t k = 0; k < search->study->case_n; k++) {
        lab_trial_log_free(&log[k]);
    }
    free(t);
    return status;
}
