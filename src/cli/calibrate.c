/* SPDX-License-Identifier: MIT
 * marlinspike calibrate */
#include "cli.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

#define DEGREE 0.017453292519943295

typedef struct options {
    cli_reading reading;
    char *into, *out;
} options;

static void stamp(char made[32])
{
    time_t now = time(NULL);
    struct tm utc;
    gmtime_r(&now, &utc);
    strftime(made, 32, "%Y-%m-%dT%H:%M:%SZ", &utc);
}

/* The record that the new fit goes into: the one in the file, where there is one. */
static marl_status begin_record(const options *o, const marl_log *log, marl_calibration_record *record,
                                marl_error *error)
{
    *record = marl_calibration_record_empty();
    if (o->into != NULL && access(o->into, F_OK) == 0) {
        marl_status status = marl_calibration_read(record, o->into, error);
        if (status != MARL_OK) {
            return status;
        }
    }
    marl_status status =
        marl_device_match(log->info.device, log->path, record->device, o->into != NULL ? o->into : "", error);
    if (status == MARL_OK && record->device[0] == '\0') {
        snprintf(record->device, sizeof record->device, "%s", log->info.device);
    }
    return status;
}

static int print_json(const marl_calibration_record *record, const marl_rest *rest)
{
    char *text = marl_calibration_text(record);
    json_t *calibration = text != NULL ? json_loads(text, 0, NULL) : NULL, *next = json_array();
    json_t *root = calibration;
    free(text);
    if (rest->next[0] != '\0') {
        json_array_append_new(next, json_string(rest->next));
    }
    if (!rest->accepted) {
        root = json_object();
        json_object_set_new(root, "calibration", calibration);
    }
    json_object_set_new(root, "accepted", json_boolean(rest->accepted));
    json_object_set_new(root, "next", next);
    return cli_print_json(root);
}

static void print_rest(const marl_rest *rest, const char *path)
{
    printf("%s: gyroscope bias from %.1f s at rest", path, rest->still_s);
    if (isfinite(rest->fit.temperature_degC)) {
        printf(", at %.1f degC", rest->fit.temperature_degC);
    }
    printf("\n\n%-8s %12s %14s %14s\n", "", "bias deg/s", "std error", "noise deg/s");
    for (int k = 0; k < 3; k++) {
        printf("%-8s %+12.5f %14.5f %14.5f\n", marl_column_name((marl_column)(MARL_COLUMN_GYRO_X + k)),
               rest->fit.bias[k] / DEGREE, rest->fit.bias_sigma[k] / DEGREE, rest->deviation[k] / DEGREE);
    }
    printf("\n");
}

/* Prints the result, accepted or not, and writes it when it was accepted. */
static int conclude(const cli *c, const options *o, const marl_rest *rest, marl_calibration_record *record,
                    marl_error *error)
{
    const char *target = o->out != NULL ? o->out : o->into;
    int code = CLI_DONE, written = 0;
    if (rest->accepted && target != NULL) {
        written = marl_calibration_write(record, target, error) == MARL_OK;
    }
    int told = !rest->accepted || error->status == MARL_OK; /* a result that could not be written is none */
    if (c->json && told) {
        code = print_json(record, rest);
    } else if (!c->quiet && isfinite(rest->fit.residual_rms)) {
        print_rest(rest, c->file[1]);
        if (written) {
            printf("written: %s\n", target);
        } else if (rest->accepted && target == NULL) {
            printf("not kept: say --into CAL or -o CAL\n");
        } else if (!rest->accepted) {
            printf("not accepted, nothing is written\n");
        }
        code = cli_print_done();
    }
    if (error->status != MARL_OK) {
        code = cli_exit(error);
        if (!rest->accepted && rest->next[0] != '\0') {
            cli_say("next: %s", rest->next);
        }
    }
    return code;
}

static marl_status load(options *o, const cli *c, marl_log *log, marl_error *error)
{
    marl_status status = cli_reading_prepare(&o->reading, error);
    if (status == MARL_OK) {
        status = marl_log_load(log, c->file[1], &o->reading.options, error);
    }
    if (status == MARL_OK && log->info.corrected) {
        status = marl_fail(error, MARL_ERR_INPUT,
                           "%s:1: is corrected already; a calibration needs the raw log", log->path);
    }
    return status;
}

/* There is nothing to fit. A log without samples is no evidence, and --json says so as for any other refusal.
 */
static int refuse(const cli *c, const marl_error *error)
{
    if (c->json && error->status == MARL_ERR_EVIDENCE) {
        const marl_calibration_record nothing = marl_calibration_record_empty();
        const marl_rest rest = {.next = "record a log at rest, 60 s are good"};
        (void)print_json(&nothing, &rest);
    }
    return cli_exit(error);
}

static int calibrate_still(const cli *c, options *o)
{
    marl_error error = {0};
    marl_log log = {0};
    marl_calibration_record record;
    marl_rest rest;
    cli_warnings warnings = {0};
    if (load(o, c, &log, &error) != MARL_OK || begin_record(o, &log, &record, &error) != MARL_OK) {
        marl_log_free(&log);
        return refuse(c, &error);
    }
    cli_warn_of_log(&warnings, &log.report, log.path);
    if (marl_calibrate_rest(&log, &rest, &error) == MARL_OK && rest.moved_s > 0) {
        cli_warn(&warnings, "moved", "%s: moved for %.2f s, first at %.2f s; that was left out", log.path,
                 rest.moved_s, (double)rest.moved.from_ns * 1e-9);
    }
    if (!c->quiet) {
        cli_print_warnings(&warnings);
    }
    stamp(record.made);
    if (rest.fit.present) {
        record.fit[MARL_GYRO] = rest.fit;
    }
    int code = error.status == MARL_ERR_SYSTEM ? cli_exit(&error) : conclude(c, o, &rest, &record, &error);
    marl_log_free(&log);
    return code;
}

int cli_calibrate(int argc, const char **argv)
{
    options o = {0};
    cli c;
    const struct poptOption table[] = {
        {"into", '\0', POPT_ARG_STRING, &o.into, 0,
         "put the result into this calibration, keep its other sensors", "CAL"},
        {NULL, 'o', POPT_ARG_STRING, &o.out, 0, "write here (default: the file of --into)", "CAL"},
        CLI_READING_OPTIONS(o.reading),
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "still LOG", 2, 2,
        "still: the gyroscope's bias and its standard error, from a recording in which nobody touches\n"
        "the board: 60 s are good. When the board moved, nothing is written and the exit code is 4.",
        "calibrate still data/demo/still.csv --into pod-07.json"};
    int code = cli_open(&c, argc, argv, table, &usage);
    if (code == CLI_GO && strcmp(c.file[0], "still") != 0) {
        cli_say("calibrate: unknown recording '%s'; known: still", c.file[0]);
        code = CLI_WRONG_USE;
    }
    code = code == CLI_GO ? calibrate_still(&c, &o) : code;
    cli_close(&c);
    return code;
}
