/* SPDX-License-Identifier: MIT
 * The search: what it is given, and the order of its parts. */
#include "lab/base/parallel.h"
#include "lab/search/search_parts.h"
#include <math.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

marl_search *marl_search_create(marl_study *study)
{
    marl_search *search = calloc(1, sizeof *search);
    struct marl_search_state *state = calloc(1, sizeof *state);
    marl_study *held = marl_study_create();
    if (search == NULL || state == NULL || held == NULL || pthread_mutex_init(&state->lock, NULL) != 0) {
        free(search);
        free(state);
        marl_study_free(held);
        return NULL;
    }
    search->study = study;
    search->held = held;
    search->state = state;
    return search;
}

void marl_search_free(marl_search *search)
{
    if (search != NULL) {
        pthread_mutex_destroy(&search->state->lock);
        marl_study_free(search->held);
        free(search->state);
        free(search->trial);
        free(search);
    }
}

marl_status marl_search_add_filter(marl_search *search, const char *text, marl_error *error)
{
    if (search->filters == MARL_SEARCH_FILTERS) {
        return marl_fail(error, MARL_ERR_USE, "at most %d filters are searched", MARL_SEARCH_FILTERS);
    }
    marl_search_filter *filter = &search->filter[search->filters];
    *filter = (marl_search_filter){.varied = 0};
    const marl_sheet *sheet =
        search->options.sheet != NULL ? search->options.sheet : search->study->options.reading.sheet;
    MARL_TRY(marl_tuning_read(&filter->standard, text, sheet, error));
    search->filters++;
    return MARL_OK;
}

int lab_search_is_over(const marl_search *search)
{
    const struct marl_search_state *state = search->state;
    struct timespec now;
    if (search->options.stop != NULL && *search->options.stop) {
        return 1;
    }
    if (!state->has_until || state->untimed) {
        return 0;
    }
    clock_gettime(CLOCK_MONOTONIC, &now);
    return now.tv_sec > state->until.tv_sec ||
           (now.tv_sec == state->until.tv_sec && now.tv_nsec >= state->until.tv_nsec);
}

int lab_search_count(marl_search *search, double evaluations, double score)
{
    struct marl_search_state *state = search->state;
    pthread_mutex_lock(&state->lock);
    state->evaluations += evaluations;
    state->best = !state->proving && score < state->best ? score : state->best;
    if (search->options.progress != NULL) {
        double total = fmax(state->total, state->evaluations);
        search->options.progress(search->options.context, (size_t)state->evaluations, (size_t)total,
                                 state->best);
    }
    pthread_mutex_unlock(&state->lock);
    return lab_search_is_over(search);
}

/* ---- before ---- */

static int has_magnetic_heading(const marl_search *search, const marl_study_case *it)
{
    unsigned mag = it->log.info.columns & MARL_COLUMNS_MAG;
    int uses = 1;
    for (size_t f = 0; f < search->filters; f++) {
        const marl_tuning *t = &search->filter[f].standard.tuning;
        uses = uses && t->filter != MARL_FILTER_GYRO && t->value[MARL_PARAMETER_USE_MAG] != 0.0f;
    }
    return uses && mag == MARL_COLUMNS_MAG && !it->reference_relative;
}

/* The goal, and whether the headings that it needs can be compared. */
static marl_status settle_goal(marl_search *search, marl_error *error)
{
    const marl_study *study = search->study;
    const marl_study_case *relative = NULL;
    marl_goal *goal = &search->options.goal;
    for (size_t i = 0; i < study->case_n && study->options.match == MARL_MATCH_NONE; i++) {
        relative = has_magnetic_heading(search, &study->cases[i]) ? relative : &study->cases[i];
    }
    if (goal->n == 0) {
        return marl_goal_read(goal, relative != NULL ? "tilt.rms" : "total.rms", error);
    }
    if (relative != NULL && lab_goal_needs_heading(goal)) {
        return marl_fail(
            error, MARL_ERR_INSUFFICIENT,
            "%s: a heading is relative, and %s needs one that compares: --match heading takes the "
            "difference out, or take a goal of tilt alone",
            relative->log_path, goal->text);
    }
    return MARL_OK;
}

static marl_status check_ranges(marl_search *search, marl_error *error)
{
    if (search->filters == 0 || search->study->case_n == 0) {
        return marl_fail(error, MARL_ERR_USE, "a search needs a filter and a log with its reference");
    }
    for (size_t f = 0; f < search->filters; f++) {
        marl_search_filter *filter = &search->filter[f];
        MARL_TRY(search->varied_given ? MARL_OK : lab_search_usual_ranges(filter, error));
        if (filter->varied == 0) {
            return marl_fail(error, MARL_ERR_USE, "%s has none of the parameters that are to be varied",
                             filter->standard.name);
        }
    }
    return MARL_OK;
}

/* The logs determine the goal. */
static marl_status check_logs(const marl_search *search, const lab_trial_log *log, size_t n,
                              marl_error *error)
{
    for (size_t i = 0; i < n; i++) {
        marl_comparison c;
        char names[120];
        MARL_TRY(lab_trial_compare(&log[i], &search->filter[0].standard.tuning, &c, error));
        lab_goal_undetermined(&search->options.goal, &c, names, sizeof names);
        marl_comparison_free(&c);
        if (names[0] != '\0') {
            return marl_fail(
                error, MARL_ERR_INSUFFICIENT,
                "%s: does not determine %s (jitter needs a rest of a second, lag some turning, drift a "
                "minute, settle an error that comes to stay under 2 degrees): another log or goal",
                search->study->cases[i].log_path, names);
        }
    }
    return MARL_OK;
}

/* ---- the search ---- */

static const marl_trial *best_trial(const marl_search *search)
{
    const marl_trial *best = &search->trial[0];
    for (size_t i = 1; i < search->trials; i++) {
        best = lab_search_is_better(search, &search->trial[i], best) ? &search->trial[i] : best;
    }
    return best;
}

#define DIGITS "%.3g"
#define ROUND_COSTS 1.002

/* Numbers of three digits where they do as well: the plateau is broader than that. */
static marl_status round_best(marl_search *search, const lab_race *race, marl_trial *best, marl_error *error)
{
    const marl_search_filter *filter = &search->filter[best->filter];
    marl_trial rounded = *best;
    lab_ran ran;
    for (size_t i = 0; i < filter->varied; i++) {
        const marl_parameter *row = marl_parameter_row(filter->range[i].id);
        float *value = &rounded.tuning.value[filter->range[i].id];
        char text[32];
        snprintf(text, sizeof text, DIGITS, (double)*value);
        *value = fminf(fmaxf(strtof(text, NULL), row->low), row->high);
    }
    MARL_TRY(lab_race_run(race, &rounded, &ran, 1, error));
    MARL_TRY(lab_search_keep(search, &rounded, 1, error));
    *best = rounded.score <= ROUND_COSTS * best->score ? rounded : *best;
    return MARL_OK;
}

static int is_varied(const marl_search_filter *filter, const char *name, size_t n)
{
    int is = 0;
    for (size_t i = 0; i < filter->varied; i++) {
        const char *varied = marl_parameter_row(filter->range[i].id)->name;
        is |= strlen(varied) == n && strncmp(varied, name, n) == 0;
    }
    return is;
}

static void append(marl_named_tuning *named, const char *format, ...)
{
    size_t used = strlen(named->name);
    va_list arguments;
    va_start(arguments, format);
    vsnprintf(named->name + used, sizeof named->name - used, format, arguments);
    va_end(arguments);
}

/* "kalman:mag_noise=0.5,speed_floor=1.2": the name of what it started from, its changes that are not varied, and what is. */
static void name_best(const marl_search_filter *filter, const marl_trial *best, marl_named_tuning *named)
{
    const char *colon = strrchr(filter->standard.name, ':'), *change = colon != NULL ? colon + 1 : "";
    char separator = ':';
    *named = filter->standard;
    named->tuning = best->tuning;
    named->about[0] = '\0';
    if (colon != NULL) {
        named->name[colon - filter->standard.name] = '\0';
    }
    for (size_t n; *change != '\0'; change += n + (change[n] == ',')) {
        n = strcspn(change, ",");
        if (!is_varied(filter, change, strcspn(change, "="))) {
            append(named, "%c%.*s", separator, (int)n, change);
            separator = ',';
        }
    }
    for (size_t i = 0; i < filter->varied; i++) {
        const marl_parameter *row = marl_parameter_row(filter->range[i].id);
        double value = (double)best->tuning.value[filter->range[i].id];
        if (row->kind == MARL_KIND_SWITCH) {
            append(named, "%c%s=%s", separator, row->name, value > 0 ? "on" : "off");
        } else {
            append(named, "%c%s=%.4g", separator, row->name, value);
        }
        separator = ',';
    }
}

static void set_logs(marl_search *search, const marl_trial *best)
{
    for (size_t k = 0; k < search->study->case_n; k++) {
        marl_search_log *log = &search->log[k];
        *log = (marl_search_log){.path = search->study->cases[k].log_path,
                                 .best = best->by_log[k],
                                 .standard = search->trial[0].by_log[k],
                                 .own = best->by_log[k]};
        for (size_t i = 0; i < search->trials; i++) {
            log->own = fmin(log->own, search->trial[i].by_log[k]); /* NaN: it did not run to the end */
        }
    }
}

static marl_status run_defaults(marl_search *search, lab_race *race, marl_error *error)
{
    marl_trial standard[MARL_SEARCH_FILTERS];
    lab_ran ran[MARL_SEARCH_FILTERS];
    for (size_t f = 0; f < search->filters; f++) {
        standard[f] = (marl_trial){.filter = f, .tuning = search->filter[f].standard.tuning};
    }
    lab_race all = *race;
    all.none_ends = 1;
    MARL_TRY(lab_race_run(&all, standard, ran, search->filters, error));
    lab_race_set_pace(race, ran, search->filters);
    return lab_search_keep(search, standard, search->filters, error);
}

static marl_status find(marl_search *search, const lab_trial_log *log, lab_race *race, marl_error *error)
{
    *race = lab_race_on(search, log, search->study->case_n,
                        search->options.threads > 0 ? search->options.threads : lab_cores());
    MARL_TRY(run_defaults(search, race, error));
    search->state->untimed = 0;
    MARL_TRY(lab_search_sweep(search, race, error));
    search->state->swept = search->trials;
    MARL_TRY(lab_search_is_over(search) ? MARL_OK : lab_search_refine_all(search, race, error));
    search->state->refined = search->trials;
    marl_trial best = *best_trial(search);
    search->stopped = lab_search_is_over(search);
    search->state->untimed = search->state->proving = 1;
    if (!isfinite(best.score)) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         search->stopped
                             ? "stopped before one tuning had run on all logs"
                             : "no tuning in the range has a finite score: widen it, or look at the "
                               "logs with compare");
    }
    *race = lab_race_on(search, log, search->study->case_n, race->threads);
    race->none_ends = 1;
    if (!lab_search_is_over(search)) {
        MARL_TRY(round_best(search, race, &best, error));
    }
    search->best_filter = best.filter;
    search->score = best.score;
    search->standard_score = search->trial[0].score;
    name_best(&search->filter[best.filter], &best, &search->best);
    set_logs(search, &best);
    return MARL_OK;
}

static void prepare(marl_search *search)
{
    struct marl_search_state *state = search->state;
    double whole = search->options.limit_s, total = 0;
    for (size_t f = 0; f < search->filters; f++) {
        size_t varied = search->filter[f].varied;
        total += (double)(lab_search_sweep_size(search, varied) +
                          LAB_STARTS * lab_search_refine_size(search, varied) + MARL_SLICE_POINTS * varied);
    }
    state->total = total + lab_search_proof_size(search);
    state->best = INFINITY;
    state->evaluations = 0;
    state->untimed = 1;
    state->proving = 0;
    state->has_until = whole > 0;
    clock_gettime(CLOCK_MONOTONIC, &state->until);
    state->until.tv_sec += (time_t)whole;
    state->until.tv_nsec += (long)(1e9 * (whole - floor(whole)));
    state->until.tv_sec += state->until.tv_nsec / 1000000000;
    state->until.tv_nsec %= 1000000000;
    search->trials = 0;
}

/* ---- after it ---- */

/* What is asked about the best one: the proof, which is serial for a good part, and the slices beside it. */
typedef struct questions {
    marl_search *search;
    const lab_trial_log *log;
    lab_race race;
    lab_tried sliced;
    marl_status status[2];
    marl_error error[2];
} questions;

static void answer(void *context, size_t which)
{
    questions *q = context;
    q->status[which] = which == 0 ? lab_search_prove(q->search, q->log, &q->error[0])
                                  : lab_search_slice(q->search, &q->race, &q->sliced, &q->error[1]);
}

static marl_status prove_and_slice(marl_search *search, const lab_trial_log *log, const lab_race *race,
                                   marl_error *error)
{
    questions q = {.search = search, .log = log, .race = *race};
    q.sliced.tried = calloc((size_t)MARL_SEARCH_VARIED * MARL_SLICE_POINTS, sizeof *q.sliced.tried);
    if (q.sliced.tried == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    lab_parallel(race->threads, 2, answer, &q);
    marl_status status = MARL_OK;
    for (int i = 0; i < 2 && status == MARL_OK; i++) {
        status = q.status[i] == MARL_OK ? MARL_OK : marl_fail(error, q.status[i], "%s", q.error[i].text);
    }
    status = status == MARL_OK ? lab_search_keep(search, q.sliced.tried, q.sliced.n, error) : status;
    free(q.sliced.tried);
    return status;
}

static marl_status search_logs(marl_search *search, const lab_trial_log *log, marl_error *error)
{
    lab_race race;
    prepare(search);
    MARL_TRY(check_logs(search, log, search->study->case_n, error));
    MARL_TRY(find(search, log, &race, error));
    MARL_TRY(prove_and_slice(search, log, &race, error));
    search->evaluations = (size_t)ceil(search->state->evaluations);
    return MARL_OK;
}

marl_status marl_search_run(marl_search *search, marl_error *error)
{
    lab_trial_log log[MARL_STUDY_MAX_CASES] = {{0}};
    MARL_TRY(check_ranges(search, error));
    MARL_TRY(settle_goal(search, error));
    marl_status status = MARL_OK;
    for (size_t i = 0; i < search->study->case_n && status == MARL_OK; i++) {
        status = lab_trial_log_make(&log[i], search->study, i, LAB_WHOLE, error);
    }
    status = status != MARL_OK ? status : search_logs(search, log, error);
    for (size_t i = 0; i < search->study->case_n; i++) {
        lab_trial_log_free(&log[i]);
    }
    return status;
}
