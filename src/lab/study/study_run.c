/* SPDX-License-Identifier: MIT
 * The runs of a study: each tuning at each rate on each log, and their order. */
#include "lab/log/reading.h"
#include "lab/study/study_case.h"
#include "marlinspike/compare.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

marl_status marl_study_replay(const marl_study *study, const marl_run *run, marl_replay_watch *watch,
                              void *watch_context, marl_pipeline *pipeline, marl_series *estimate,
                              marl_error *error)
{
    const marl_study_options *o = &study->options;
    if (run->tuning->recorded) {
        memset(pipeline, 0, sizeof *pipeline);
        return marl_series_from_log(estimate, &run->on->log, error);
    }
    marl_replay_options how = {.record = o->record,
                               .record_path = o->record_path,
                               .degradation = o->degradation,
                               .watch = watch,
                               .watch_context = watch_context};
    how.start = o->start == MARL_START_VECTORS     ? NULL
                : o->start == MARL_START_REFERENCE ? &run->on->start
                                                   : &o->start_q;
    if (run->rate_hz > 0) {
        how.degradation.every = 0;
        how.degradation.rate_hz = run->rate_hz;
    }
    return marl_replay_log(pipeline, &run->on->log, &run->tuning->tuning, &how, estimate, error);
}

/* A diverged filter keeps its measures and gets status failed. The gyroscope alone only ever drifts: that is
 * no failure of it. */
static void check_lost(marl_run *run)
{
    double lost = run->tuning->tuning.filter != MARL_FILTER_GYRO || run->tuning->recorded
                      ? run->comparison.lost_s
                      : (double)NAN;
    if (lost > 0) {
        (void)!marl_fail(&run->error, MARL_ERR_INSUFFICIENT,
                         "diverged: %.1f s after its first attitude the tilt left the reference by over 45 "
                         "degrees, and stayed there for 10 s",
                         lost);
    } else if (lost <= 0) {
        (void)!marl_fail(&run->error, MARL_ERR_INSUFFICIENT,
                         "the tilt is off by over 45 degrees from the first attitude on: does the reference "
                         "have another world or mount? --match world+body, --reference-world");
    }
}

/* Without a reference nothing is known of the errors. */
static marl_status not_compared(marl_comparison *c)
{
    const marl_measure none = {NAN, NAN, NAN, NAN};
    const marl_measures measures = {0, NAN, none, none, none};
    *c = (marl_comparison){.all = measures,
                           .settle_s = NAN,
                           .jitter_deg = NAN,
                           .lag_ms = NAN,
                           .drift_deg_per_h = NAN,
                           .lost_s = NAN};
    for (int i = 0; i < MARL_CONDITION_COUNT; i++) {
        c->by_condition[i] = measures;
    }
    return MARL_OK;
}

/* A run that fails is reported with its reason; the others go on. */
static void run_one(const marl_study *study, marl_run *run)
{
    marl_series estimate = {0, NULL};
    marl_pipeline pipeline;
    marl_start_watch start;
    marl_start_watch_init(&start);
    marl_status status =
        marl_study_replay(study, run, marl_start_watch_add, &start, &pipeline, &estimate, &run->error);
    if (status == MARL_OK) {
        run->start_speed = marl_start_watch_speed(&start);
        run->counts = marl_estimator_count(&pipeline.estimator);
        run->digest = pipeline.digest;
        run->heading_is_magnetic = run->tuning->recorded
                                       ? !run->on->log.info.relative_heading
                                       : marl_estimator_heading_is_magnetic(&pipeline.estimator);
        status = run->on->reference_path != NULL
                     ? marl_compare(&estimate, &run->on->reference, &run->on->conditions, &run->comparison,
                                    &run->error)
                     : not_compared(&run->comparison);
    }
    run->compared = status == MARL_OK;
    if (run->compared) {
        check_lost(run);
    }
    marl_series_free(&estimate);
}

/* Not a relative heading, unless the match took the difference out. */
static int heading_compares(const marl_study *study, const marl_run *run)
{
    return study->options.match != MARL_MATCH_NONE ||
           (run->heading_is_magnetic && !run->on->reference_relative);
}

static marl_status rank_runs(marl_study *study, marl_error *error)
{
    const marl_comparison **compared = malloc((study->run_n + 1) * sizeof(const marl_comparison *));
    if (compared == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    study->rank_by = MARL_RANK_BY_TOTAL;
    for (size_t i = 0; i < study->run_n; i++) {
        const marl_run *run = &study->runs[i];
        compared[i] = run->error.status == MARL_OK ? &run->comparison : NULL;
        if (compared[i] != NULL && !heading_compares(study, run)) {
            study->rank_by = MARL_RANK_BY_TILT;
        }
    }
    const marl_contest contest = {compared, study->tuning_n * study->rate_n, study->case_n, study->rank_by};
    marl_status status = marl_rank_tunings(&contest, study->rank, error);
    free(compared);
    return status;
}

/* A log does not contain rates above its own. */
static marl_status check_rates(const marl_study *study, const marl_study_case *it, marl_error *error)
{
    const marl_log *log = &it->log;
    double seconds = lab_log_seconds(log);
    double rate = log->n > 1 ? (double)(log->n - 1) / seconds : 0;
    for (size_t i = 0; i < study->rate_n; i++) {
        if (study->rates[i] > 1.05 * rate) {
            return marl_fail(error, MARL_ERR_INSUFFICIENT,
                             "%s: has %.4g rows per second, too few for %.4g Hz; record it faster",
                             it->log_path, rate, study->rates[i]);
        }
    }
    return MARL_OK;
}

void lab_study_free_runs(marl_study *study)
{
    for (size_t i = 0; i < study->run_n; i++) {
        marl_comparison_free(&study->runs[i].comparison);
    }
    free(study->runs);
    study->runs = NULL;
    study->run_n = 0;
}

static int has_references(const marl_study *study)
{
    for (size_t i = 0; i < study->case_n; i++) {
        if (study->cases[i].reference_path == NULL) {
            return 0;
        }
    }
    return 1;
}

marl_status marl_study_run(marl_study *study, marl_error *error)
{
    lab_study_free_runs(study);
    if (study->tuning_n == 0 || study->case_n == 0) {
        return marl_fail(error, MARL_ERR_ARGUMENT, "a study needs a tuning and a log with its reference");
    }
    for (size_t i = 0; i < study->case_n; i++) {
        MARL_TRY(check_rates(study, &study->cases[i], error));
    }
    study->rate_n += study->rate_n == 0;
    size_t n = study->tuning_n * study->rate_n * study->case_n;
    study->runs = calloc(n + 1, sizeof *study->runs);
    if (study->runs == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    study->run_n = n;
    for (size_t i = 0; i < n; i++) {
        size_t contender = i / study->case_n;
        marl_run *run = &study->runs[i];
        run->on = &study->cases[i % study->case_n];
        run->tuning = &study->tunings[contender / study->rate_n];
        run->rate_hz = study->rates[contender % study->rate_n];
        run_one(study, run);
        if (study->options.progress != NULL) {
            study->options.progress(study->options.progress_context, "replaying",
                                    (double)(i + 1) / (double)n);
        }
    }
    return has_references(study) ? rank_runs(study, error) : MARL_OK;
}

void marl_study_run_name(const marl_study *study, const marl_run *run, char *name, size_t size)
{
    char label[sizeof run->tuning->name];
    marl_study_label(study, (size_t)(run->tuning - study->tunings), label, sizeof label);
    if (study->rate_n > 1) {
        snprintf(name, size, "%s, %.4g Hz", label, run->rate_hz);
    } else {
        snprintf(name, size, "%s", label);
    }
}
