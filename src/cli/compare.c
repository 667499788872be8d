/* SPDX-License-Identifier: MIT
 * marlinspike compare */
#include "compare.h"
#include "cli.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

typedef struct options {
    cli_reading reading;
    char *reference, *calibration, *figure, *reference_world, *start;
    char **tuning;
} options;

static marl_status load_reference(const options *o, marl_series *reference, cli_warnings *warnings,
                                  marl_error *error)
{
    marl_log log;
    marl_status status = marl_log_load(&log, o->reference, NULL, error);
    if (status != MARL_OK) {
        return status;
    }
    cli_warn_of_log(warnings, &log.report, log.path);
    if (o->reference_world != NULL) {
        if (log.info.world_said && strcmp(o->reference_world, marl_world_name(log.info.world)) != 0) {
            status = marl_fail(error, MARL_ERR_INPUT, "%s:1: says world=%s, --reference-world says %s",
                               log.path, marl_world_name(log.info.world), o->reference_world);
            marl_log_free(&log);
            return status;
        }
        log.info.world = strcmp(o->reference_world, "ned") == 0 ? MARL_WORLD_NED : MARL_WORLD_ENU;
    }
    if (log.info.relative_heading) {
        cli_warn(warnings, "relative-heading",
                 "%s:1: its heading is relative: heading errors hold an unknown constant", log.path);
    }
    status = marl_series_from_log(reference, &log, error);
    marl_log_free(&log);
    return status;
}

static marl_status check_options(const options *o, marl_error *error)
{
    if (o->reference == NULL) {
        return marl_fail(error, MARL_ERR_USE, "compare: --reference is needed");
    }
    if (o->reference_world != NULL && strcmp(o->reference_world, "enu") != 0 &&
        strcmp(o->reference_world, "ned") != 0) {
        return marl_fail(error, MARL_ERR_USE, "compare: --reference-world is enu or ned");
    }
    return o->figure != NULL ? marl_figure_check_path(o->figure, error) : MARL_OK;
}

/* Without --tuning all estimators are laid side by side. */
static marl_status read_tunings(const options *o, cli_comparison *job, marl_error *error)
{
    size_t n = 0;
    if (o->tuning == NULL) {
        for (int i = 0; i < MARL_FILTER_COUNT; i++) {
            (void)!cli_tuning_read(&job->run[n++].tuning, marl_filter_name((marl_filter)i), &o->reading,
                                   error);
        }
        job->runs = n;
        return MARL_OK;
    }
    for (; o->tuning[n] != NULL; n++) {
        if (n == CLI_MOST_RUNS) {
            return marl_fail(error, MARL_ERR_USE, "compare: at most %d tunings", CLI_MOST_RUNS);
        }
        marl_status status = cli_tuning_read(&job->run[n].tuning, o->tuning[n], &o->reading, error);
        if (status != MARL_OK) {
            return status;
        }
    }
    job->runs = n;
    return MARL_OK;
}

/* One tuning over the whole log. The attitudes are told in enu, whatever the tuning gives out. */
static marl_status replay_all(const cli_comparison *job, cli_run *run, marl_series *estimate,
                              marl_error *error)
{
    marl_tuning tuning = run->tuning.tuning;
    marl_replay replay;
    tuning.world = MARL_WORLD_ENU;
    marl_status status = marl_replay_init(&replay, &tuning, job->calibration, job->calibration_path,
                                          &job->log.info, job->log.path, error);
    if (status == MARL_OK && job->start.from != CLI_START_VECTORS) {
        status = marl_replay_start(&replay, job->start.q, error);
    }
    if (status != MARL_OK) {
        return status;
    }
    estimate->at = malloc((job->log.n + 1) * sizeof *estimate->at);
    if (estimate->at == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < job->log.n; i++) {
        marl_attitude *next = &estimate->at[estimate->n];
        if (marl_replay_step(&replay, &job->log.row[i].sample, &next->q)) {
            next->t_ns = job->log.row[i].sample.t_ns;
            estimate->n++;
        }
    }
    run->counts = replay.estimator.counts;
    run->digest = replay.digest;
    run->heading_is_magnetic = marl_estimator_heading_is_magnetic(&replay.estimator);
    return MARL_OK;
}

/* A run that fails is reported with its reason; the others go on. */
static void run_one(const cli_comparison *job, cli_run *run)
{
    marl_series estimate = {0, NULL};
    marl_status status = replay_all(job, run, &estimate, &run->error);
    if (status == MARL_OK) {
        (void)!marl_compare(&estimate, &job->reference, &job->still, &run->comparison, &run->error);
    }
    marl_series_free(&estimate);
}

/* The reference's attitude when the log begins. */
static marl_status start_of_reference(cli_comparison *job, const char *path, marl_error *error)
{
    const marl_series *r = &job->reference;
    int64_t t = job->log.n > 0 ? job->log.row[0].sample.t_ns : 0;
    size_t i = 1;
    while (i < r->n && r->at[i].t_ns < t) {
        i++;
    }
    if (r->n < 2 || i == r->n || r->at[0].t_ns > t) {
        return marl_fail(error, MARL_ERR_EVIDENCE,
                         "%s: says nothing of the log's first moment; leave --start out", path);
    }
    double u = (double)(t - r->at[i - 1].t_ns) / (double)(r->at[i].t_ns - r->at[i - 1].t_ns);
    job->start.q = marl_slerp(r->at[i - 1].q, r->at[i].q, u);
    return MARL_OK;
}

static marl_status load(const cli *c, options *o, cli_comparison *job, marl_calibration_record *record,
                        marl_error *error)
{
    marl_status s = check_options(o, error);
    s = s ? s : cli_reading_prepare(&o->reading, error);
    s = s ? s : read_tunings(o, job, error);
    s = s ? s : cli_start_read(&job->start, o->start, error);
    if (s == MARL_OK && o->calibration != NULL) {
        s = marl_calibration_read(record, o->calibration, error);
        job->calibration = record;
        job->calibration_path = o->calibration;
    }
    s = s ? s : marl_log_load(&job->log, c->file[0], &o->reading.options, error);
    if (s != MARL_OK) {
        return s;
    }
    cli_warn_of_log(&job->warnings, &job->log.report, job->log.path);
    s = load_reference(o, &job->reference, &job->warnings, error);
    if (s == MARL_OK && job->start.from == CLI_START_REFERENCE) {
        s = start_of_reference(job, o->reference, error);
    }
    return s ? s : marl_inspect_still(&job->log, &job->still, error);
}

static size_t failed_runs(const cli_comparison *job)
{
    size_t failed = 0;
    for (size_t i = 0; i < job->runs; i++) {
        failed += job->run[i].error.status != MARL_OK;
    }
    return failed;
}

/* When every run failed, the first reason decides the exit code. */
static int verdict(const cli_comparison *job)
{
    size_t failed = failed_runs(job);
    for (size_t i = 0; i < job->runs; i++) {
        if (job->run[i].error.status != MARL_OK) {
            cli_say("%s: %s", job->run[i].tuning.name, job->run[i].error.text);
        }
    }
    if (failed < job->runs) {
        return failed > 0 ? CLI_DOES_NOT_HOLD : CLI_DONE;
    }
    marl_error first = {.status = job->run[0].error.status};
    snprintf(first.text, sizeof first.text, "%s: nothing could be compared", job->log.path);
    return cli_exit(&first);
}

static int show(const cli *c, const options *o, const cli_comparison *job)
{
    marl_error error = {0};
    int printed = CLI_DONE;
    if (!c->quiet) {
        cli_print_warnings(&job->warnings);
    }
    int something = failed_runs(job) < job->runs;
    if (something && o->figure != NULL && cli_compare_figure(job, o->figure, &error) != MARL_OK) {
        return cli_exit(&error);
    }
    if (c->json) {
        printed = cli_compare_json(job);
    } else if (something && !c->quiet) {
        printed = cli_compare_table(job, o->reference, o->figure);
    }
    int held = verdict(job);
    return held != CLI_DONE ? held : printed;
}

static int compare(const cli *c, options *o, cli_comparison *job)
{
    marl_error error = {0};
    marl_calibration_record record;
    int code;
    if (load(c, o, job, &record, &error) == MARL_OK) {
        for (size_t i = 0; i < job->runs; i++) {
            run_one(job, &job->run[i]);
        }
        code = show(c, o, job);
    } else {
        code = cli_exit(&error);
    }
    for (size_t i = 0; i < job->runs; i++) {
        marl_comparison_free(&job->run[i].comparison);
    }
    marl_series_free(&job->reference);
    marl_spans_free(&job->still);
    marl_log_free(&job->log);
    return code;
}

int cli_compare(int argc, const char **argv)
{
    options o = {0};
    cli c;
    const struct poptOption table[] = {
        {"reference", '\0', POPT_ARG_STRING, &o.reference, 0,
         "the attitude to compare with, on the log's clock", "ATT"},
        {"reference-world", '\0', POPT_ARG_STRING, &o.reference_world, 0,
         "frame of the reference: enu or ned (default: what it says, else enu)", "W"},
        {"tuning", '\0', POPT_ARG_ARGV, &o.tuning, 0,
         "a tuning, or gyro, vectors, complementary, gradient-descent, kalman; repeat it (default: all five)",
         "T"},
        {"start", '\0', POPT_ARG_STRING, &o.start, 0,
         "one start for all: vectors (default), reference, or an attitude in enu", "W,X,Y,Z"},
        {"calibration", '\0', POPT_ARG_STRING, &o.calibration, 0, "correct the readings first", "CAL"},
        {"figure", '\0', POPT_ARG_STRING, &o.figure, 0, "draw error over time (.png, .svg or .gp)", "FILE"},
        CLI_READING_OPTIONS(o.reading),
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "LOG", 1, 1,
        "Replays the log with each tuning and compares with the reference: errors in degrees, split\n"
        "into tilt and heading; settling, jitter at rest, lag and drift. '-' = the recording cannot\n"
        "tell. Exit 1 when one of several tunings could not run.",
        "compare lift.csv --reference lift.reference.csv --calibration pod-07.json"};
    cli_comparison *job = calloc(1, sizeof *job);
    int code = cli_open(&c, argc, argv, table, &usage);
    if (job == NULL) {
        code = CLI_MACHINE;
    }
    code = code == CLI_GO ? compare(&c, &o, job) : code;
    free(job);
    cli_close(&c);
    return code;
}
