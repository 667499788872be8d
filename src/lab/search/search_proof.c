/* SPDX-License-Identifier: MIT
 * Is what was found better than the default on what it was not tuned on? */
#include "lab/base/parallel.h"
#include "lab/maths/statistics.h"
#include "lab/search/search_parts.h"
#include <math.h>
#include <stdlib.h>

#define CONFIDENCE 1.959963985 /* deviations of a normal number: 95 % */
#define SHARED 0.5
#define SURE 0.95
enum { MIN_LOGS = 3, MAX_FOLD = 200, BATCH = 16 };

const char *marl_proof_name(marl_proof proof)
{
    static const char *const names[] = {"none", "held-out logs", "leave one log out", "second halves"};
    return names[proof];
}

static marl_proof kind_of(const marl_search *search)
{
    return search->held->case_n > 0            ? MARL_PROOF_HELD_OUT
           : search->study->case_n >= MIN_LOGS ? MARL_PROOF_LEAVE_ONE_OUT
                                               : MARL_PROOF_HALVES;
}

/* Evaluations of one fold's refinement. */
static size_t fold_size(const marl_search *search, size_t varied)
{
    size_t size = lab_search_refine_size(search, varied);
    return size < MAX_FOLD ? size : MAX_FOLD;
}

double lab_search_proof_size(const marl_search *search)
{
    size_t fold = 0, logs = search->study->case_n;
    for (size_t f = 0; f < search->filters; f++) {
        fold = fold_size(search, search->filter[f].varied);
    }
    switch (kind_of(search)) {
    case MARL_PROOF_LEAVE_ONE_OUT:
        return (double)(fold * (logs - 1));
    case MARL_PROOF_HALVES:
        return 0.5 * (double)fold; /* their sweep is done: lab_race_run kept its scores */
    default:
        return 0;
    }
}

/* Logs to be scored, and on each the tuning that was not tuned on it, and the default. */
typedef struct test {
    marl_search *search;
    const lab_trial_log *log;
    size_t n;
    marl_tuning tuning[MARL_STUDY_MAX_CASES];
    marl_comparison compared[2][MARL_STUDY_MAX_CASES];
    marl_status status[MARL_STUDY_MAX_CASES];
    marl_error error[MARL_STUDY_MAX_CASES];
} test;

static void score_log(void *context, size_t k)
{
    test *t = context;
    const marl_tuning *standard = &t->search->filter[0].standard.tuning;
    if (t->status[k] == MARL_OK) {
        t->status[k] = lab_trial_compare(&t->log[k], &t->tuning[k], &t->compared[0][k], &t->error[k]);
    }
    if (t->status[k] == MARL_OK) {
        t->status[k] = lab_trial_compare(&t->log[k], standard, &t->compared[1][k], &t->error[k]);
    }
}

static unsigned threads_of(const marl_search *search)
{
    return search->options.threads > 0 ? search->options.threads : lab_cores();
}

/* ---- the ratio ---- */

/* Student's interval of the logarithm, and the confidence that its mean is under 0. Where each log was left out in turn the tunings share nearly all of their logs, so
 * that their gains scatter less than those of other logs would: the variance is widened as in "Inference for the
 * generalization error" (2003), but by SHARED of that, with which it holds on simulated logs (./run bench gains). For the
 * confidence it is not: where nothing is to be gained, a tuning refined on the other logs is worse on the one left out, so
 * that chance is on the default's side already. */
static void set_student(marl_gain *gain, const double *ratio, size_t n)
{
    double squares = 0, mean = log(gain->ratio);
    for (size_t k = 0; k < n; k++) {
        squares += (ratio[k] - mean) * (ratio[k] - mean);
    }
    double logs = (double)n, share = gain->proof == MARL_PROOF_LEAVE_ONE_OUT ? SHARED / (logs - 1) : 0;
    double half =
        lab_student_deviation(CONFIDENCE, logs - 1) * sqrt((1 / logs + share) * squares / (logs - 1));
    gain->low = exp(mean - half);
    gain->high = exp(mean + half);
    gain->confidence = lab_student_share(-mean / sqrt(squares / logs / (logs - 1)), (unsigned)n - 1);
}

/* One log or two: the interval of the difference over blocks of time, as compare has it. */
static marl_status set_blocks(const test *t, marl_gain *gain, marl_error *error)
{
    const marl_comparison *compared[2 * MARL_STUDY_MAX_CASES];
    marl_rank rank[2];
    marl_rank_by by;
    if (!lab_goal_rank_by(&t->search->options.goal, &by)) {
        return MARL_OK;
    }
    for (size_t k = 0; k < t->n; k++) {
        compared[k] = &t->compared[0][k];
        compared[t->n + k] = &t->compared[1][k];
    }
    const marl_contest contest = {compared, 2, t->n, by};
    MARL_TRY(marl_rank_tunings(&contest, rank, error));
    double sign = rank[0].tuning == 0 ? 1 : -1; /* the interval is of the second's difference to the first */
    double low = sign * rank[1].low, high = sign * rank[1].high;
    gain->low = 1 - fmax(low, high) / gain->standard;
    gain->high = 1 - fmin(low, high) / gain->standard;
    return MARL_OK;
}

/* The smoothed log tells no differences apart that are under its own standard deviation. */
static int reference_decides(const marl_study *study, const marl_gain *gain)
{
    double sigma = marl_study_reference_sigma(study);
    return marl_study_is_aligned(study) && !(gain->standard - gain->score <= sigma);
}

static marl_status set_gain(const test *t, marl_gain *gain, marl_error *error)
{
    const marl_goal *goal = &t->search->options.goal;
    double found[MARL_STUDY_MAX_CASES] = {0}, standard[MARL_STUDY_MAX_CASES] = {0},
           ratio[MARL_STUDY_MAX_CASES] = {0}, mean = 0;
    for (size_t k = 0; k < t->n; k++) {
        found[k] = marl_goal_value(goal, &t->compared[0][k]);
        standard[k] = marl_goal_value(goal, &t->compared[1][k]);
        ratio[k] = log(fmax(found[k], LAB_MIN_SCORE) / fmax(standard[k], LAB_MIN_SCORE));
        mean += ratio[k] / (double)t->n;
    }
    gain->logs = t->n;
    gain->score = lab_goal_over_logs(goal, found, t->n);
    gain->standard = lab_goal_over_logs(goal, standard, t->n);
    gain->ratio = exp(mean);
    if (t->n >= MIN_LOGS) {
        set_student(gain, ratio, t->n);
    } else if (isfinite(gain->ratio)) {
        MARL_TRY(set_blocks(t, gain, error));
    }
    int is_sure = t->n >= MIN_LOGS ? gain->confidence > SURE : gain->high < 1; /* NaN is neither */
    gain->decided = is_sure && reference_decides(t->log[0].study, gain);
    return MARL_OK;
}

static marl_status first_failure(const marl_status *status, const marl_error *errors, size_t n,
                                 marl_error *error)
{
    for (size_t k = 0; k < n; k++) {
        if (status[k] != MARL_OK) {
            return marl_fail(error, status[k], "%s", errors[k].text);
        }
    }
    return MARL_OK;
}

/* Scores all logs with the tunings that are set. */
static marl_status score(test *t, marl_gain *gain, marl_error *error)
{
    lab_parallel(threads_of(t->search), t->n, score_log, t);
    marl_status status = first_failure(t->status, t->error, t->n, error);
    status = status != MARL_OK ? status : set_gain(t, gain, error);
    for (size_t k = 0; k < t->n; k++) {
        marl_comparison_free(&t->compared[0][k]);
        marl_comparison_free(&t->compared[1][k]);
    }
    return status;
}

/* ---- folds ---- */

/* The trial that is refined: its score, and the pace of the race, are of these logs alone. */
static marl_status refine_on(lab_race *race, marl_trial *start, marl_error *error)
{
    marl_trial tried[MAX_FOLD];
    lab_ran ran;
    lab_tried to = {fold_size(race->search, race->search->filter[start->filter].varied), tried, 0};
    MARL_TRY(lab_race_run(race, start, &ran, 1, error));
    lab_race_set_pace(race, &ran, 1);
    return lab_search_refine(race, start, &to, error);
}

/* Leave one log out: of all that was tried the best on the others, refined on the others. */
static void fold(void *context, size_t without)
{
    test *t = context;
    const marl_search *search = t->search;
    lab_trial_log others[MARL_STUDY_MAX_CASES];
    double by_log[MARL_STUDY_MAX_CASES], least = INFINITY;
    marl_trial best = search->trial[0];
    size_t n = 0;
    for (size_t i = 0; i < search->state->refined; i++) {
        n = 0;
        for (size_t k = 0; k < t->n; k++) {
            if (k != without) {
                others[n] = t->log[k];
                by_log[n++] = search->trial[i].by_log[k];
            }
        }
        double cost =
            lab_search_cost(search, &search->trial[i], lab_goal_over_logs(&search->options.goal, by_log, n));
        best = cost < least ? search->trial[i] : best;
        least = fmin(cost, least);
    }
    lab_race race = lab_race_on(t->search, others, n, 1);
    t->status[without] = refine_on(&race, &best, &t->error[without]);
    t->tuning[without] = best.tuning;
}

static marl_status leave_one_out(marl_search *search, const lab_trial_log *log, test *t, marl_error *error)
{
    t->log = log;
    t->n = search->study->case_n;
    lab_parallel(threads_of(search), t->n, fold, t);
    return score(t, &search->gain, error);
}

/* The best of the sweep's tunings on the first parts, which the sweep ran on its way. */
static void best_on_first_parts(const marl_search *search, marl_trial *best)
{
    double least = INFINITY;
    *best = search->trial[0];
    for (size_t i = 0; i < search->state->swept; i++) {
        const marl_trial *t = &search->trial[i];
        double cost = lab_search_cost(search, t, t->first_score);
        *best = cost < least ? *t : *best;
        least = fmin(cost, least);
    }
}

/* The same for a goal that is no sum, by which the sweep had whole logs alone. */
static marl_status sweep_first_parts(marl_search *search, const lab_trial_log *first, marl_trial *best,
                                     marl_error *error)
{
    lab_race race = lab_race_on(search, first, search->study->case_n, threads_of(search));
    marl_trial batch[BATCH];
    lab_ran ran[BATCH];
    *best = search->trial[0];
    best->score = INFINITY;
    for (size_t i = 0; i < search->state->swept; i += BATCH) {
        size_t n = search->state->swept - i < BATCH ? search->state->swept - i : BATCH;
        for (size_t k = 0; k < n; k++) {
            batch[k] = search->trial[i + k];
        }
        MARL_TRY(lab_race_run(&race, batch, ran, n, error));
        lab_race_set_pace(&race, ran, n);
        for (size_t k = 0; k < n; k++) {
            *best = lab_search_is_better(search, &batch[k], best) ? batch[k] : *best;
        }
    }
    return MARL_OK;
}

static marl_status prove_on_halves(marl_search *search, test *t, marl_error *error)
{
    lab_trial_log first[MARL_STUDY_MAX_CASES] = {{0}}, second[MARL_STUDY_MAX_CASES] = {{0}};
    lab_race race = lab_race_on(search, first, search->study->case_n, threads_of(search));
    marl_trial best;
    marl_status status = MARL_OK;
    t->n = search->study->case_n;
    t->log = second;
    for (size_t k = 0; k < t->n && status == MARL_OK; k++) {
        status = lab_trial_log_make(&first[k], search->study, k, LAB_FIRST_PART, error);
        status = status != MARL_OK ? status
                                   : lab_trial_log_make(&second[k], search->study, k, LAB_SECOND_PART, error);
    }
    if (lab_goal_is_of_sums(&search->options.goal)) {
        best_on_first_parts(search, &best);
    } else if (status == MARL_OK) {
        status = sweep_first_parts(search, first, &best, error);
    }
    status = status != MARL_OK ? status : refine_on(&race, &best, error);
    for (size_t k = 0; k < t->n && status == MARL_OK; k++) {
        t->tuning[k] = best.tuning;
    }
    status = status != MARL_OK ? status : score(t, &search->gain, error);
    t->log = NULL;
    for (size_t k = 0; k < t->n; k++) {
        lab_trial_log_free(&first[k]);
        lab_trial_log_free(&second[k]);
    }
    return status;
}

static marl_status prove_on_held(marl_search *search, test *t, marl_error *error)
{
    lab_trial_log log[MARL_STUDY_MAX_CASES] = {{0}};
    marl_status status = MARL_OK;
    t->n = search->held->case_n;
    t->log = log;
    for (size_t k = 0; k < t->n && status == MARL_OK; k++) {
        status = lab_trial_log_make(&log[k], search->held, k, LAB_WHOLE, error);
        t->tuning[k] = search->best.tuning;
    }
    status = status != MARL_OK ? status : score(t, &search->gain, error);
    t->log = NULL;
    for (size_t k = 0; k < t->n; k++) {
        lab_trial_log_free(&log[k]);
    }
    return status;
}

static marl_status prove(marl_search *search, const lab_trial_log *log, marl_error *error)
{
    marl_proof kind = kind_of(search);
    test *t = calloc(1, sizeof *t);
    if (t == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    t->search = search;
    search->gain.proof = kind;
    marl_status status = kind == MARL_PROOF_HELD_OUT        ? prove_on_held(search, t, error)
                         : kind == MARL_PROOF_LEAVE_ONE_OUT ? leave_one_out(search, log, t, error)
                                                            : prove_on_halves(search, t, error);
    free(t);
    return status;
}

marl_status lab_search_prove(marl_search *search, const lab_trial_log *log, marl_error *error)
{
    search->gain =
        (marl_gain){.score = NAN, .standard = NAN, .ratio = NAN, .low = NAN, .high = NAN, .confidence = NAN};
    if (!lab_search_is_over(search)) {
        marl_status status = prove(search, log, error);
        if (lab_search_is_over(search)) { /* stopped on the way: nothing of it is whole */
            search->gain = (marl_gain){
                .score = NAN, .standard = NAN, .ratio = NAN, .low = NAN, .high = NAN, .confidence = NAN};
        } else if (status != MARL_OK) {
            return status;
        }
    }
    search->stopped = search->stopped || lab_search_is_over(search);
    search->keeps_default = search->gain.proof != MARL_PROOF_NONE && !search->gain.decided;
    search->chosen = search->keeps_default ? search->filter[0].standard : search->best;
    return MARL_OK;
}
