/* SPDX-License-Identifier: MIT
 * marlinspike compare */
#include "cli/compare/compare.h"
#include "cli/common/cli.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

typedef struct options {
    cli_reading reading;
    cli_degradation degradation;
    char *reference, *calibration, *figure, *page, *reference_world, *start;
    char *match, *match_by, *time_offset, *rates;
    char **tuning, **pair;
} options;

static marl_status read_matching(const options *o, cli_matching *m, marl_error *error)
{
    char *end = NULL;
    m->reference_world = o->reference_world;
    if (o->reference_world != NULL && strcmp(o->reference_world, "enu") != 0 &&
        strcmp(o->reference_world, "ned") != 0) {
        return marl_fail(error, MARL_ERR_USE, "compare: --reference-world is enu or ned");
    }
    if (o->match != NULL && marl_match_from_name(o->match, &m->kind) != MARL_OK) {
        return marl_fail(error, MARL_ERR_USE,
                         "compare: --match is none, start, heading, world or world+body, and not '%s'",
                         o->match);
    }
    m->find_offset = o->time_offset != NULL && strcmp(o->time_offset, "auto") == 0;
    if (o->time_offset != NULL && !m->find_offset) {
        m->offset_s = strtod(o->time_offset, &end);
        if (end == o->time_offset || *end != '\0' || !(fabs(m->offset_s) < 9e9)) {
            return marl_fail(error, MARL_ERR_USE, "compare: --time-offset is auto or seconds, and not '%s'",
                             o->time_offset);
        }
    }
    m->by_smooth = o->match_by == NULL && m->kind != MARL_MATCH_START;
    return marl_tuning_read(&m->by, o->match_by != NULL ? o->match_by : "kalman", o->reading.options.sheet,
                            error);
}

static marl_status add_case(cli_comparison *job, const char *log, size_t length, const char *reference,
                            marl_error *error)
{
    if (job->cases == CLI_MAX_CASES) {
        return marl_fail(error, MARL_ERR_USE, "compare: at most %d cases", CLI_MAX_CASES);
    }
    cli_case *of = &job->of[job->cases++];
    of->log_path = strndup(log, length);
    of->reference_path = strdup(reference);
    if (of->log_path == NULL || of->reference_path == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    return MARL_OK;
}

static marl_status read_cases(const cli *c, const options *o, cli_comparison *job, marl_error *error)
{
    marl_status status = MARL_OK;
    if ((c->files == 0) != (o->reference == NULL)) {
        return marl_fail(error, MARL_ERR_USE,
                         o->reference == NULL ? "compare: --reference is needed"
                                              : "compare: --reference needs a LOG");
    }
    if (o->reference != NULL) {
        status = add_case(job, c->file[0], strlen(c->file[0]), o->reference, error);
    }
    for (size_t i = 0; status == MARL_OK && o->pair != NULL && o->pair[i] != NULL; i++) {
        const char *equals = strrchr(o->pair[i], '=');
        if (equals == NULL || equals == o->pair[i] || equals[1] == '\0') {
            return marl_fail(error, MARL_ERR_USE, "compare: --case is LOG=REFERENCE, and not '%s'",
                             o->pair[i]);
        }
        status = add_case(job, o->pair[i], (size_t)(equals - o->pair[i]), equals + 1, error);
    }
    if (status == MARL_OK && job->cases == 0) {
        return marl_fail(error, MARL_ERR_USE, "compare: a LOG with --reference, or --case LOG=REFERENCE");
    }
    return status;
}

/* Without --tuning all estimators are laid side by side. */
static marl_status read_tunings(const options *o, cli_comparison *job, marl_error *error)
{
    if (o->tuning == NULL) {
        for (int i = 0; i < MARL_FILTER_COUNT; i++) {
            (void)!marl_tuning_read(&job->tuning[job->tunings++], marl_filter_name((marl_filter)i),
                                    o->reading.options.sheet, error);
        }
        return MARL_OK;
    }
    for (; o->tuning[job->tunings] != NULL; job->tunings++) {
        if (job->tunings == CLI_MAX_TUNINGS) {
            return marl_fail(error, MARL_ERR_USE, "compare: at most %d tunings", CLI_MAX_TUNINGS);
        }
        marl_status status = marl_tuning_read(&job->tuning[job->tunings], o->tuning[job->tunings],
                                              o->reading.options.sheet, error);
        if (status != MARL_OK) {
            return status;
        }
    }
    return MARL_OK;
}

static marl_status read_rates(const options *o, cli_comparison *job, marl_error *error)
{
    const char *at = o->rates;
    job->rates = at == NULL;
    while (at != NULL) {
        char *end;
        double rate = strtod(at, &end);
        if (end == at || (*end != ',' && *end != '\0') || !(rate > 0 && rate < 1e6) ||
            job->rates == CLI_MAX_RATES) {
            return marl_fail(error, MARL_ERR_USE,
                             "compare: --rates is up to %d rates in Hz, such as 200,100,50", CLI_MAX_RATES);
        }
        job->rate_hz[job->rates++] = rate;
        at = *end == ',' ? end + 1 : NULL;
    }
    if (o->rates != NULL && o->degradation.every > 1) {
        return marl_fail(error, MARL_ERR_USE, "compare: either --rates or --every");
    }
    return MARL_OK;
}

/* A log does not contain rates above its own. */
static marl_status check_rates(const cli_comparison *job, const cli_case *of, marl_error *error)
{
    const marl_log *log = &of->log;
    double seconds = 1e-9 * (double)(log->row[log->n - 1].sample.t_ns - log->row[0].sample.t_ns);
    double rate = log->n > 1 ? (double)(log->n - 1) / seconds : 0;
    for (size_t i = 0; i < job->rates; i++) {
        if (job->rate_hz[i] > 1.05 * rate) {
            return marl_fail(error, MARL_ERR_INSUFFICIENT,
                             "%s: has %.4g rows per second, too few for %.4g Hz; record it faster",
                             of->log_path, rate, job->rate_hz[i]);
        }
    }
    return MARL_OK;
}

static marl_status load(const cli *c, options *o, cli_comparison *job, marl_calibration_record *record,
                        marl_error *error)
{
    MARL_TRY(o->figure != NULL ? marl_figure_check_path(o->figure, error) : MARL_OK);
    MARL_TRY(o->page != NULL ? marl_page_check_path(o->page, error) : MARL_OK);
    MARL_TRY(read_cases(c, o, job, error));
    MARL_TRY(cli_reading_prepare(&o->reading, error));
    MARL_TRY(read_matching(o, &job->matching, error));
    MARL_TRY(read_tunings(o, job, error));
    MARL_TRY(read_rates(o, job, error));
    MARL_TRY(cli_degradation_read(&job->degradation, &o->degradation, error));
    MARL_TRY(cli_start_read(&job->start, o->start, error));
    if (o->calibration != NULL) {
        MARL_TRY(marl_calibration_read(record, o->calibration, error));
        job->calibration = record;
        job->calibration_path = o->calibration;
    }
    for (size_t i = 0; i < job->cases; i++) {
        MARL_TRY(cli_case_load(job, &job->of[i], &o->reading, error));
        MARL_TRY(check_rates(job, &job->of[i], error));
    }
    return MARL_OK;
}

/* When nothing at all came out, the first reason decides the exit code. */
static int verdict(const cli_comparison *job)
{
    size_t failed = 0, compared = 0;
    for (size_t i = 0; i < job->runs; i++) {
        const cli_run *run = &job->run[i];
        char name[80];
        compared += (size_t)run->compared;
        if (run->error.status != MARL_OK) {
            failed++;
            cli_run_name(job, run, name, sizeof name);
            if (job->cases > 1) {
                cli_message("%s: %s: %s", run->of->log_path, name, run->error.text);
            } else {
                cli_message("%s: %s", name, run->error.text);
            }
        }
    }
    if (failed == 0) {
        return CLI_DONE;
    }
    if (compared > 0) {
        return CLI_DOES_NOT_HOLD;
    }
    marl_error first = {.status = job->run[0].error.status};
    snprintf(first.text, sizeof first.text, "%s: nothing could be compared", job->of[0].log_path);
    return cli_exit(&first);
}

/* What fails here leaves the table and the JSON as they are. */
static void draw(const options *o, const cli_comparison *job, marl_error *error)
{
    marl_error other = {0};
    if (o->figure != NULL) {
        (void)!cli_compare_figure(job, o->figure, error);
    }
    if (o->page != NULL && cli_compare_page(job, o->page, &other) != MARL_OK && error->status == MARL_OK) {
        *error = other;
    }
}

static int show(const cli *c, const options *o, const cli_comparison *job)
{
    marl_error error = {0};
    int printed = CLI_DONE, something = 0;
    if (!c->quiet) {
        cli_print_warnings(&job->warnings);
    }
    for (size_t i = 0; i < job->runs; i++) {
        something |= job->run[i].compared;
    }
    if (something) {
        draw(o, job, &error);
    }
    if (c->json) {
        printed = cli_compare_json(job);
    } else if (something && !c->quiet) {
        printed = cli_compare_table(job, error.status == MARL_OK ? o->figure : NULL);
    }
    if (error.status != MARL_OK) {
        return cli_exit(&error);
    }
    int held = verdict(job);
    return held != CLI_DONE ? held : printed;
}

static int compare(const cli *c, options *o, cli_comparison *job)
{
    marl_error error = {0};
    marl_calibration_record record;
    int code;
    if (load(c, o, job, &record, &error) == MARL_OK && cli_run_all(job, &error) == MARL_OK) {
        code = show(c, o, job);
    } else {
        if (!c->quiet) {
            cli_print_warnings(&job->warnings);
        }
        code = cli_exit(&error);
    }
    for (size_t i = 0; i < job->runs && job->run != NULL; i++) {
        marl_comparison_free(&job->run[i].comparison);
    }
    for (size_t i = 0; i < job->cases; i++) {
        cli_case_free(&job->of[i]);
    }
    free(job->run);
    return code;
}

int cli_compare(int argc, const char **argv)
{
    options o = {.degradation = CLI_NO_DEGRADATION};
    cli c;
    const struct poptOption table[] = {
        {"reference", '\0', POPT_ARG_STRING, &o.reference, 0,
         "the attitude to compare LOG with; smooth: LOG itself, smoothed", "ATT"},
        {"case", '\0', POPT_ARG_ARGV, &o.pair, 0, "a log and its reference; repeat it", "LOG=ATT"},
        {"tuning", '\0', POPT_ARG_ARGV, &o.tuning, 0,
         "a tuning, or gyro, vectors, complementary, gradient-descent, kalman; repeat it (default: all five)",
         "T"},
        {"calibration", '\0', POPT_ARG_STRING, &o.calibration, 0, "correct the readings first", "CAL"},
        {"time-offset", '\0', POPT_ARG_STRING, &o.time_offset, 0,
         "how much more the reference's clock shows, in seconds (default 0), or auto: found from turning",
         "auto|S"},
        {"match", '\0', POPT_ARG_STRING, &o.match, 0,
         "remove constant rotations between the frames: none (default), start, heading, world, world+body",
         "HOW"},
        {"match-by", '\0', POPT_ARG_STRING, &o.match_by, 0,
         "the tuning whose attitude is matched, for all of them (default: the smoothed log; start: kalman)",
         "T"},
        {"reference-world", '\0', POPT_ARG_STRING, &o.reference_world, 0,
         "frame of the reference: enu or ned (default: as in the file, else enu)", "W"},
        {"start", '\0', POPT_ARG_STRING, &o.start, 0,
         "one start for all: vectors (default), reference, or an attitude in enu", "W,X,Y,Z"},
        {"rates", '\0', POPT_ARG_STRING, &o.rates, 0, "as if rows came at these rates, slower than the log's",
         "HZ,..."},
        CLI_DEGRADATION_OPTIONS(o.degradation),
        {"figure", '\0', POPT_ARG_STRING, &o.figure, 0, "draw error over time (.png, .svg or .gp)", "FILE"},
        {"report", '\0', POPT_ARG_STRING, &o.page, 0,
         "write a page to look at: tables, traces, the hook block turning (opens from disk, no network)",
         "PAGE.html"},
        CLI_READING_OPTIONS(o.reading),
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "[LOG]", 0, 1,
        "Replays logs with each tuning and compares with reference attitudes: errors in degrees, split\n"
        "into tilt and heading and by what the board was doing; settling, jitter at rest, lag, drift; and\n"
        "which is better, and how sure that is. '-' = the recording cannot determine it. docs/measures.md "
        "defines\n"
        "each. Exit 1 when one of several tunings failed.",
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
