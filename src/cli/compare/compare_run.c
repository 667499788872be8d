/* SPDX-License-Identifier: MIT
 * The runs of a comparison: each tuning at each rate on each log, and their order. */
#include "cli/compare/compare.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

marl_status cli_run_replay(const cli_comparison *job, const cli_run *run, marl_pipeline *pipeline,
                           marl_series *estimate, marl_error *error)
{
    marl_replay_options how = {.record = job->calibration, .record_path = job->calibration_path};
    how.start = job->start.from == CLI_START_VECTORS     ? NULL
                : job->start.from == CLI_START_REFERENCE ? &run->of->start
                                                         : &job->start.q;
    how.degradation = job->degradation;
    how.watch = run->watch;
    how.watch_context = run->watch_context;
    if (run->rate_hz > 0) {
        how.degradation.every = 0;
        how.degradation.rate_hz = run->rate_hz;
    }
    return marl_replay_log(pipeline, &run->of->log, &run->tuning->tuning, &how, estimate, error);
}

/* A filter that loses its way is shown with all it did, but as failed. The gyroscope alone only ever drifts:
 * that is no failure of it. */
static void check_lost(cli_run *run)
{
    double lost = run->tuning->tuning.filter != MARL_FILTER_GYRO ? run->comparison.lost_s : (double)NAN;
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

/* A run that fails is reported with its reason; the others go on. */
static void run_one(const cli_comparison *job, cli_run *run)
{
    marl_series estimate = {0, NULL};
    marl_pipeline pipeline;
    marl_status status = cli_run_replay(job, run, &pipeline, &estimate, &run->error);
    if (status == MARL_OK) {
        run->counts = marl_estimator_count(&pipeline.estimator);
        run->digest = pipeline.digest;
        run->heading_is_magnetic = marl_estimator_heading_is_magnetic(&pipeline.estimator);
        status =
            marl_compare(&estimate, &run->of->reference, &run->of->conditions, &run->comparison, &run->error);
    }
    run->compared = status == MARL_OK;
    if (run->compared) {
        check_lost(run);
    }
    marl_series_free(&estimate);
}

int cli_heading_compares(const cli_comparison *job, const cli_run *run)
{
    return job->matching.kind != MARL_MATCH_NONE ||
           (run->heading_is_magnetic && !run->of->reference_relative);
}

void cli_run_name(const cli_comparison *job, const cli_run *run, char *name, size_t size)
{
    if (job->rates > 1) {
        snprintf(name, size, "%s, %.4g Hz", run->tuning->name, run->rate_hz);
    } else {
        snprintf(name, size, "%s", run->tuning->name);
    }
}

/* By the total error, unless a heading among them cannot be compared. */
static marl_status rank_runs(cli_comparison *job, marl_error *error)
{
    const marl_comparison **of = malloc((job->runs + 1) * sizeof(const marl_comparison *));
    if (of == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < job->runs; i++) {
        const cli_run *run = &job->run[i];
        of[i] = run->error.status == MARL_OK ? &run->comparison : NULL;
        if (of[i] != NULL && !cli_heading_compares(job, run)) {
            job->rank_by = MARL_RANK_BY_TILT;
        }
    }
    marl_status status = marl_rank_tunings(
        &(marl_contest){of, job->tunings * job->rates, job->cases, job->rank_by}, job->rank, error);
    free(of);
    return status;
}

marl_status cli_run_all(cli_comparison *job, marl_error *error)
{
    job->runs = job->tunings * job->rates * job->cases;
    job->run = calloc(job->runs + 1, sizeof *job->run);
    if (job->run == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < job->runs; i++) {
        size_t contender = i / job->cases;
        cli_run *run = &job->run[i];
        run->of = &job->of[i % job->cases];
        run->tuning = &job->tuning[contender / job->rates];
        run->rate_hz = job->rate_hz[contender % job->rates];
        run_one(job, run);
    }
    return rank_runs(job, error);
}
