/* SPDX-License-Identifier: MIT
 * marlinspike compare */
#include "cli/compare/compare.h"
#include "cli/common/progress.h"
#include "cli/common/study_options.h"
#include "cli/compare/compare_target.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

typedef struct options {
    cli_study study;
    cli_degradation degradation;
    char *figure, *page, *body, *start, *rates;
    char **tuning;
    int target;
    double at_most; /* deg; NaN: no limit */
} options;

/* Without --tuning all estimators are laid side by side. */
static marl_status read_tunings(const options *o, marl_study *study, marl_error *error)
{
    MARL_TRY(o->tuning == NULL ? marl_study_add_filters(study, error) : MARL_OK);
    for (size_t i = 0; o->tuning != NULL && o->tuning[i] != NULL; i++) {
        MARL_TRY(marl_study_add_tuning(study, o->tuning[i], error));
    }
    return MARL_OK;
}

static marl_status read_rates(const options *o, marl_study *study, marl_error *error)
{
    const char *at = o->rates;
    while (at != NULL) {
        char *end;
        double rate = strtod(at, &end);
        if (end == at || (*end != ',' && *end != '\0') || marl_study_add_rate(study, rate, NULL) != MARL_OK) {
            return marl_fail(error, MARL_ERR_USE,
                             "compare: --rates is up to %d rates in Hz, such as 200,100,50",
                             MARL_STUDY_MAX_RATES);
        }
        at = *end == ',' ? end + 1 : NULL;
    }
    if (isfinite(o->at_most) && !(o->at_most > 0)) {
        return marl_fail(error, MARL_ERR_USE, "compare: --at-most is an error in degrees, more than 0");
    }
    if (o->rates != NULL && o->degradation.every > 1) {
        return marl_fail(error, MARL_ERR_USE, "compare: either --rates or --every");
    }
    return MARL_OK;
}

static marl_status load(const cli *c, options *o, marl_study *study, marl_error *error)
{
    cli_start start;
    marl_study_options *to = &study->options;
    MARL_TRY(o->figure != NULL ? marl_figure_check_path(o->figure, error) : MARL_OK);
    MARL_TRY(o->page != NULL ? marl_page_check_path(o->page, error) : MARL_OK);
    MARL_TRY(cli_body_check(o->body, error));
    MARL_TRY(cli_study_prepare(c, &o->study, study, error));
    MARL_TRY(read_tunings(o, study, error));
    MARL_TRY(read_rates(o, study, error));
    MARL_TRY(cli_degradation_read(&to->degradation, &o->degradation, error));
    MARL_TRY(cli_start_read(&start, o->start, error));
    to->start = start.from;
    to->start_q = start.q;
    MARL_TRY(cli_study_load(c, &o->study, study, error));
    (void)marl_study_add_recorded(
        study); /* what the board made of it itself is of interest wherever it is there */
    return MARL_OK;
}

/* When nothing at all came out, the first reason decides the exit code. */
static int verdict(const marl_study *study)
{
    size_t failed = 0, compared = 0;
    for (size_t i = 0; i < study->run_n; i++) {
        const marl_run *run = &study->runs[i];
        char name[80];
        compared += (size_t)run->compared;
        if (run->error.status != MARL_OK) {
            failed++;
            marl_study_run_name(study, run, name, sizeof name);
            if (study->case_n > 1) {
                cli_message("%s: %s: %s", run->on->log_path, name, run->error.text);
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
    marl_error first = {.status = study->runs[0].error.status};
    snprintf(first.text, sizeof first.text, "%s: nothing could be compared", study->cases[0].log_path);
    return cli_exit(&first);
}

/* What fails here leaves the table and the JSON as they are. */
static void draw(const options *o, const marl_study *study, marl_error *error)
{
    marl_error other = {0};
    if (o->figure != NULL) {
        (void)!marl_figure_draw_study(study, o->figure, error);
        if (study->tuning_n > MARL_FIGURE_TUNINGS) {
            cli_message("%s: shows the first %d tunings, %s and those behind it are left out", o->figure,
                        MARL_FIGURE_TUNINGS, study->tunings[MARL_FIGURE_TUNINGS].name);
        }
    }
    if (o->page != NULL && cli_study_page(study, cli_body_name(o->body), o->page, &other) != MARL_OK &&
        error->status == MARL_OK) {
        *error = other;
    }
}

static void warn_of_start(marl_study *study, const marl_run *run)
{
    if (run->start_speed > 0) {
        marl_warn(
            &study->warnings, "start-in-motion",
            "%s: it begins in motion, and the motion shows speeds of up to %.0f m/s: %s may be off by ten "
            "degrees, which its standard deviation does not hold; begin at rest, or record the speed",
            run->on->log_path, run->start_speed, run->tuning->name);
    }
}

/* A bias beyond its limit, or a start at speed, ruins a filter: that is what to cure first. */
static void warn_of_limits(marl_study *study)
{
    for (size_t i = 0; i < study->run_n; i++) {
        const marl_run *run = &study->runs[i];
        warn_of_start(study, run);
        if (run->counts.limited_bias > 0) {
            marl_warn(&study->warnings, "bias-limit",
                      "%s: %s: the gyroscope bias stood at bias_limit, %.1f deg/s, during %u corrections: "
                      "calibrate the "
                      "gyroscope (calibrate still), or raise bias_limit",
                      run->on->log_path, run->tuning->name,
                      (double)run->tuning->tuning.value[MARL_PARAMETER_BIAS_LIMIT] / MARL_DEGREE,
                      (unsigned)run->counts.limited_bias);
        }
    }
}

static int show(const cli *c, const options *o, marl_study *study)
{
    marl_error error = {0};
    int printed = CLI_DONE, something = 0;
    warn_of_limits(study);
    if (!c->quiet) {
        cli_print_warnings(&study->warnings);
    }
    for (size_t i = 0; i < study->run_n; i++) {
        something |= study->runs[i].compared;
    }
    if (something) {
        draw(o, study, &error);
    }
    int asks_cost = o->target || isfinite(o->at_most);
    if (c->json) {
        json_t *root = cli_study_object(study);
        if (asks_cost) {
            json_object_set_new(root, "target", cli_compare_target_json(study, o->at_most));
        }
        printed = cli_print_json(root);
    } else if (something && !c->quiet) {
        printed = cli_compare_table(study, error.status == MARL_OK ? o->figure : NULL);
        if (printed == CLI_DONE && asks_cost) {
            cli_compare_target_print(study, o->at_most);
            printed = cli_print_done();
        }
    }
    if (error.status != MARL_OK) {
        return cli_exit(&error);
    }
    int held = verdict(study);
    return held != CLI_DONE ? held : printed;
}

static int compare(const cli *c, options *o, marl_study *study)
{
    marl_error error = {0};
    cli_progress progress;
    cli_progress_begin(&progress, c->quiet);
    study->options.progress = cli_progress_show;
    study->options.progress_context = &progress;
    marl_status status = load(c, o, study, &error);
    status = status == MARL_OK ? marl_study_run(study, &error) : status;
    cli_progress_end(&progress);
    if (status == MARL_OK) {
        return show(c, o, study);
    }
    if (!c->quiet) {
        cli_print_warnings(&study->warnings);
    }
    return cli_exit(&error);
}

int cli_compare(int argc, const char **argv)
{
    options o = {.degradation = CLI_NO_DEGRADATION, .at_most = NAN};
    cli c;
    const struct poptOption table[] = {
        CLI_STUDY_OPTIONS(o.study),
        {"tuning", '\0', POPT_ARG_ARGV, &o.tuning, CLI_TUNING,
         "a tuning, or gyro, vectors, complementary, gradient-descent, kalman; repeat it (default: all five)",
         "T"},
        {"start", '\0', POPT_ARG_STRING, &o.start, 0,
         "one start for all: vectors (default), reference, or an attitude in enu", "W,X,Y,Z"},
        {"rates", '\0', POPT_ARG_STRING, &o.rates, 0, "as if rows came at these rates, slower than the log's",
         "HZ,..."},
        {"target", '\0', POPT_ARG_NONE, &o.target, 0,
         "what each costs on a Cortex-M4F: instructions, load, highest rate", NULL},
        {"at-most", '\0', POPT_ARG_DOUBLE, &o.at_most, 0,
         "mark the cheapest there whose error stays within, rms", "DEG"},
        CLI_DEGRADATION_OPTIONS(o.degradation),
        {"figure", '\0', POPT_ARG_STRING, &o.figure, CLI_WRITES, "draw error over time (.png, .svg or .gp)",
         "FILE"},
        {"report", '\0', POPT_ARG_STRING, &o.page, CLI_WRITES,
         "write a page: tables, traces, the body turning, and tunings to change (opens from disk, no "
         "network)",
         "PAGE.html"},
        {"body", '\0', POPT_ARG_STRING, &o.body, 0, "what turns on the page: board (default) or hook-block",
         "B"},
        CLI_READING_OPTIONS(o.study.reading),
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "[LOG]",
        CLI_READS,
        0,
        1,
        "Replays logs with each tuning and compares with reference attitudes: errors in degrees, split\n"
        "into tilt and heading and by what the board was doing; settling, jitter at rest, lag, drift; and\n"
        "which is better, and how sure that is. '-' = the recording cannot determine it.\n"
        "docs/measures.md defines each. Exit 1 when one of several tunings failed.",
        "compare lift.csv --reference lift.reference.csv --calibration pod-07.json"};
    marl_study *study = marl_study_create();
    int code = cli_open(&c, argc, argv, table, &usage);
    if (study == NULL) {
        code = CLI_MACHINE;
    }
    code = code == CLI_GO ? compare(&c, &o, study) : code;
    marl_study_free(study);
    cli_close(&c);
    return code;
}
