/* SPDX-License-Identifier: MIT
 * Is a gain that search states there? Five parameters of kalman, tuned on eight logs, tried on a hundred others of the
 * kind; and once more from what was found, where nothing is left to gain. */
#include "search_trials.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { TRIALS = 20, TUNED = 8, FRESH = 100, FIRST_SEED = 600001, RATE = 50 };
#define EXISTS 0.9 /* of the default's error: a gain that is worth finding */
#define HARM 1.03

void search_trial_must(marl_status status, const marl_error *error)
{
    if (status != MARL_OK) {
        fprintf(stderr, "%s\n", error->text);
        exit(1);
    }
}

static void fill_case(marl_study_case *it, const accuracy_run *run, int number)
{
    char name[40];
    snprintf(name, sizeof name, "run-%d.csv", number);
    *it = (marl_study_case){.log_path = strdup(name), .reference_path = strdup("truth")};
    it->log = (marl_log){.path = strdup(name), .n = run->n, .row = calloc(run->n, sizeof *it->log.row)};
    it->reference = (marl_series){0, calloc(run->n, sizeof *it->reference.at)};
    if (it->log.row == NULL || it->reference.at == NULL || it->log.path == NULL || it->log_path == NULL) {
        exit(1);
    }
    it->log.info.columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG;
    it->log.info.corrected = run->calibrated;
    for (size_t i = 0; i < run->n; i++) {
        it->log.row[i].sample = run->sample[i];
        it->reference.at[it->reference.n++] = (marl_attitude){run->sample[i].t_ns, run->truth[i]};
    }
}

marl_search *search_trial_make(const accuracy_class *of, uint64_t seed, size_t n, double rate_hz)
{
    marl_study *study = marl_study_create();
    marl_search *search = study != NULL ? marl_search_create(study) : NULL;
    if (search == NULL) {
        exit(1);
    }
    for (size_t k = 0; k < n; k++) {
        accuracy_run run = accuracy_run_make_at(of, seed + k, rate_hz, 25);
        fill_case(&study->cases[study->case_n++], &run, (int)k);
        accuracy_run_free(&run);
    }
    return search;
}

void search_trial_free(marl_search *search)
{
    marl_study *study = search->study;
    marl_search_free(search);
    marl_study_free(study);
}

double search_trial_score(const marl_study *study, const marl_tuning *tuning)
{
    double sum = 0;
    for (size_t k = 0; k < study->case_n; k++) {
        const marl_study_case *it = &study->cases[k];
        const marl_replay_options how = {0};
        marl_pipeline pipeline;
        marl_series estimate;
        marl_error error = {0};
        double squares = 0;
        search_trial_must(marl_replay_log(&pipeline, &it->log, tuning, &how, &estimate, &error), &error);
        for (size_t i = 0, r = 0; i < estimate.n; i++, r++) {
            while (it->reference.at[r].t_ns < estimate.at[i].t_ns) {
                r++;
            }
            squares += pow(marl_error_between(estimate.at[i].q, it->reference.at[r].q).total_deg, 2);
        }
        sum += 0.5 * log(squares / (double)estimate.n) / (double)study->case_n;
        marl_series_free(&estimate);
    }
    return exp(sum);
}

/* Of found and of chosen to the default, on logs that nobody tuned on. */
typedef struct outcome {
    double found, chosen;
    marl_gain gain;
    int kept;
} outcome;

static outcome try_once(marl_search *search, const accuracy_class *of, uint64_t fresh_seed)
{
    double sum[2] = {0, 0}, standard = 0;
    const marl_tuning *tuning[3] = {&search->best.tuning, &search->chosen.tuning,
                                    &search->filter[0].standard.tuning};
    marl_error error = {0};
    search_trial_must(marl_search_run(search, &error), &error);
    for (uint64_t k = 0; k < FRESH; k += 20) { /* in portions: memory */
        marl_search *fresh = search_trial_make(of, fresh_seed + k, 20, RATE);
        for (int i = 0; i < 2; i++) {
            sum[i] += 20.0 / FRESH * log(search_trial_score(fresh->study, tuning[i]));
        }
        standard += 20.0 / FRESH * log(search_trial_score(fresh->study, tuning[2]));
        search_trial_free(fresh);
    }
    return (outcome){exp(sum[0] - standard), exp(sum[1] - standard), search->gain, search->keeps_default};
}

typedef struct tally {
    int trials, exists, found, harm, covered, kept;
} tally;

static void count(tally *t, const outcome *o)
{
    t->trials++;
    t->exists += o->found < EXISTS;
    t->found += o->found < EXISTS && o->chosen < 1;
    t->harm += o->chosen > HARM;
    t->covered += o->gain.low <= o->found && o->found <= o->gain.high;
    t->kept += o->kept;
}

static void print_one(const char *name, const outcome *o)
{
    printf("  %-22s found %.3f of the default's error on %d fresh logs, stated %.3f (%.3f to %.3f)%s\n", name,
           o->found, FRESH, o->gain.ratio, o->gain.low, o->gain.high, o->kept ? ", default kept" : "");
    fflush(stdout);
}

/* From the default; then from what was found, on other logs. */
static void try_class(const accuracy_class *of, uint64_t seed, tally first[1], tally again[1])
{
    marl_error error = {0};
    marl_search *search = search_trial_make(of, seed, TUNED, RATE);
    search_trial_must(marl_search_add_filter(search, "kalman", &error), &error);
    outcome o = try_once(search, of, seed + 1000);
    count(first, &o);
    print_one(of->name, &o);
    marl_search *more = search_trial_make(of, seed + 500, TUNED, RATE);
    search_trial_must(marl_search_add_filter(more, "kalman", &error), &error);
    more->filter[0].standard = search->best;
    o = try_once(more, of, seed + 1000);
    count(again, &o);
    print_one("  again, from there", &o);
    search_trial_free(search);
    search_trial_free(more);
}

void search_trials(void)
{
    tally first = {0}, again = {0};
    printf("\nfive parameters of kalman on %d logs of a kind, seeds from %d on\n", TUNED, FIRST_SEED);
    for (int k = 0; k < TRIALS; k++) {
        const accuracy_class *of = accuracy_class_of(k);
        try_class(of, FIRST_SEED + 2000 * (uint64_t)k, &first, &again);
    }
    printf("  from the default: 10 %% and more to gain in %d of %d, chosen better there in %d; over 3 %% "
           "worse %d; "
           "interval covers %d\n",
           first.exists, first.trials, first.found, first.harm, first.covered);
    printf("  from what was found: default kept in %d of %d, over 3 %% worse %d; interval covers %d\n",
           again.kept, again.trials, again.harm, again.covered);
}
