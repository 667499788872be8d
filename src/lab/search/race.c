/* SPDX-License-Identifier: MIT
 * Many tunings on many logs at once, on all cores. All of them run a part of every log, then those that are hopeless
 * leave, and so on ("Non-stochastic best arm identification and hyperparameter optimization", 2016, with the logs' time
 * as what is allotted). */
#include "lab/base/parallel.h"
#include "lab/compare/measures.h"
#include "lab/search/search_parts.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

/* After a quarter, half and all of the first part, and at the end: how many times worse than the best a tuning then may
 * be. */
static const double part_of_first[LAB_STAGES - 1] = {0.25, 0.5, 1};
static const double margin[LAB_STAGES] = {3, 2, 1.5, INFINITY};

/* One tuning on one log. */
typedef struct runner {
    marl_pipeline pipeline;
    size_t row;
    lab_error_square sum;
    double value; /* of the goal, so far */
    marl_error error;
} runner;

typedef struct heat {
    const lab_race *race;
    marl_trial *trial;
    lab_ran *ran;   /* of each trial */
    runner *runner; /* logs a trial */
    size_t trials;
    int stage;
} heat;

static double rms(double squares, size_t n)
{
    return n > 0 ? sqrt(squares / (double)n) / MARL_DEGREE : INFINITY;
}

static size_t rows_until(const lab_trial_log *on, int stage)
{
    return stage > LAB_FIRST_STAGE ? on->log.n : (size_t)(part_of_first[stage] * (double)on->first_n);
}

/* As far as the stage goes. */
static void run_rows(runner *r, const lab_trial_log *on, const marl_goal *goal, int stage)
{
    size_t until = rows_until(on, stage);
    unsigned parts = lab_goal_needs_parts(goal) ? LAB_SQUARES_OF_PARTS : 0;
    for (; r->row < until; r->row++) {
        marl_quat q, truth = on->truth[r->row];
        int has_truth = truth.w != 0.0f || truth.x != 0.0f || truth.y != 0.0f || truth.z != 0.0f;
        if (marl_pipeline_step(&r->pipeline, &on->log.row[r->row].sample, &q) == MARL_OK && has_truth) {
            lab_error_squares(q, truth, parts, &r->sum);
        }
    }
    const double angle[LAB_ANGLES] = {rms(r->sum.total, r->sum.n), rms(r->sum.tilt, r->sum.n),
                                      rms(r->sum.heading, r->sum.headings)};
    r->value = lab_goal_of_sums(goal, angle);
}

/* A goal that is no sum needs the whole comparison. */
static void run_whole(runner *r, const lab_trial_log *on, const marl_tuning *tuning, const marl_goal *goal)
{
    marl_comparison c;
    r->value = INFINITY;
    if (lab_trial_compare(on, tuning, &c, &r->error) == MARL_OK) {
        double value = marl_goal_value(goal, &c);
        r->value = isfinite(value) ? value : INFINITY;
        marl_comparison_free(&c);
    }
}

static void advance(void *context, size_t piece)
{
    heat *h = context;
    const lab_race *race = h->race;
    size_t t = piece / race->logs;
    const lab_trial_log *on = &race->log[piece % race->logs];
    const marl_goal *goal = &race->search->options.goal;
    runner *r = &h->runner[piece];
    if (h->ran[t].ended || r->error.status != MARL_OK || lab_search_is_over(race->search)) {
        return;
    }
    if (!lab_goal_is_of_sums(goal)) {
        run_whole(r, on, &h->trial[t].tuning, goal);
        return;
    }
    if (h->stage == 0 && lab_trial_start(on, &h->trial[t].tuning, &r->pipeline, &r->error) != MARL_OK) {
        r->value = INFINITY;
        return;
    }
    run_rows(r, on, goal, h->stage);
}

static double score_of(const heat *h, size_t trial, double *by_log)
{
    for (size_t k = 0; k < h->race->logs; k++) {
        by_log[k] = h->runner[trial * h->race->logs + k].value;
    }
    return lab_goal_over_logs(&h->race->search->options.goal, by_log, h->race->logs);
}

/* Of the rows of all logs. */
static double part_run(const lab_race *race, int stage)
{
    double ran = 0, all = 0;
    for (size_t k = 0; k < race->logs; k++) {
        ran += (double)rows_until(&race->log[k], stage);
        all += (double)race->log[k].log.n;
    }
    return ran / all;
}

/* Those that are hopeless leave: by the pace, or by the best one here. */
static void look(heat *h)
{
    double by_log[MARL_STUDY_MAX_CASES], pace = h->race->pace[h->stage];
    for (size_t t = 0; t < h->trials; t++) {
        lab_ran *ran = &h->ran[t];
        ran->after[h->stage] = ran->ended ? INFINITY : score_of(h, t, by_log);
        pace = fmin(pace, ran->after[h->stage]);
    }
    for (size_t t = 0; t < h->trials; t++) {
        lab_ran *ran = &h->ran[t];
        double score = ran->after[h->stage];
        if (!ran->ended && !h->race->none_ends && score > margin[h->stage] * pace) {
            ran->ended = 1;
            ran->estimate = score / pace * h->race->pace[LAB_STAGES - 1];
            (void)lab_search_count(h->race->search, part_run(h->race, h->stage), INFINITY);
        }
    }
}

/* Without memory nothing goes on; what else fails is a bad score. */
static marl_status finish(heat *h, marl_error *error)
{
    marl_search *search = h->race->search;
    int has_stages = lab_goal_is_of_sums(&search->options.goal);
    for (size_t i = 0; i < h->trials * h->race->logs; i++) {
        if (h->runner[i].error.status == MARL_ERR_SYSTEM) {
            return marl_fail(error, MARL_ERR_SYSTEM, "%s", h->runner[i].error.text);
        }
    }
    for (size_t t = 0; t < h->trials; t++) {
        marl_trial *trial = &h->trial[t];
        trial->score = INFINITY;
        trial->first_score = has_stages ? h->ran[t].after[LAB_FIRST_STAGE] : (double)NAN;
        if (!h->ran[t].ended && !lab_search_is_over(search)) {
            trial->score = score_of(h, t, trial->by_log);
            h->ran[t].estimate = trial->score;
            (void)lab_search_count(search, 1, trial->score);
        }
    }
    return MARL_OK;
}

lab_race lab_race_on(marl_search *search, const lab_trial_log *log, size_t logs, unsigned threads)
{
    lab_race race = {.search = search, .log = log, .logs = logs, .threads = threads};
    for (int i = 0; i < LAB_STAGES; i++) {
        race.pace[i] = INFINITY;
    }
    return race;
}

static marl_status run_heat(heat *h, marl_error *error)
{
    int first = lab_goal_is_of_sums(&h->race->search->options.goal) ? 0 : LAB_STAGES - 1;
    for (h->stage = first; h->stage < LAB_STAGES; h->stage++) {
        lab_parallel(h->race->threads, h->trials * h->race->logs, advance, h);
        look(h);
    }
    return finish(h, error);
}

marl_status lab_race_run(const lab_race *race, marl_trial *trial, lab_ran *ran, size_t trials,
                         marl_error *error)
{
    heat h = {.race = race, .trial = trial, .ran = ran, .trials = trials};
    h.runner = calloc(trials * race->logs + 1, sizeof *h.runner);
    if (h.runner == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t t = 0; t < trials; t++) {
        ran[t] = (lab_ran){.estimate = INFINITY};
        for (size_t k = 0; k < MARL_STUDY_MAX_CASES; k++) {
            trial[t].by_log[k] = NAN;
        }
    }
    marl_status status = run_heat(&h, error);
    free(h.runner);
    return status;
}

void lab_race_set_pace(lab_race *race, const lab_ran *ran, size_t trials)
{
    int last = LAB_STAGES - 1;
    for (size_t i = 0; i < trials && lab_goal_is_of_sums(&race->search->options.goal); i++) {
        if (!ran[i].ended && ran[i].after[last] < race->pace[last]) {
            memcpy(race->pace, ran[i].after, sizeof race->pace);
        }
    }
}
