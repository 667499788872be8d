/* SPDX-License-Identifier: MIT
 * marlinspike correct */
#include "cli/common/cli.h"
#include <stdio.h>

typedef struct options {
    cli_reading reading;
    char *calibration, *out;
    unsigned long invalid; /* rows with a reading that no sensor gives */
} options;

/* A matrix mixes the axes, so a sensor is corrected whole or not at all. */
static marl_status check(const marl_calibration_record *record, const marl_log_info *info, const options *o,
                         const char *path, marl_error *error)
{
    static const unsigned columns[MARL_SENSOR_COUNT] = {MARL_COLUMNS_ACCEL, MARL_COLUMNS_GYRO,
                                                        MARL_COLUMNS_MAG};
    if (info->corrected) {
        return marl_fail(error, MARL_ERR_INPUT, "%s:1: is corrected already", path);
    }
    marl_status status = marl_device_match(info->device, path, record->device, o->calibration, error);
    for (int i = 0; i < MARL_SENSOR_COUNT && status == MARL_OK; i++) {
        if (record->fit[i].present && (info->columns & columns[i])) {
            status = marl_log_require(info, path, columns[i], error);
        }
    }
    return status;
}

static marl_status copy_corrected(marl_log_reader *reader, const marl_calibration *calibration,
                                  marl_log_writer *writer, unsigned long *invalid, marl_error *error)
{
    marl_log_row row;
    marl_status status;
    marl_corrector corrector;
    marl_corrector_init(&corrector, calibration);
    marl_log_read_ahead(reader);
    marl_log_write_behind(writer);
    while ((status = marl_log_next(reader, &row, error)) == MARL_OK) {
        *invalid += marl_corrector_step(&corrector, &row.sample) != 0;
        marl_calibration_mount(calibration, &row.sample);
        marl_log_write(writer, &row);
    }
    return status == MARL_END ? MARL_OK : status;
}

/* What of the log's sensors this calibration leaves as it is. */
static unsigned raw_parts(const marl_calibration *c, unsigned sensors)
{
    unsigned raw = (c->accel.present ? 0 : MARL_FRESH_ACCEL) | (c->gyro.present ? 0 : MARL_FRESH_GYRO) |
                   (c->mag.present ? 0 : MARL_FRESH_MAG);
    int is_open = (sensors & MARL_FRESH_GYRO) && marl_correction_is_bias_alone(&c->gyro);
    return (raw & sensors) | (is_open ? MARL_GYRO_SCALE_OPEN : 0);
}

static marl_status correct(const cli *c, options *o, marl_log_reader **reader, marl_error *error)
{
    marl_calibration_record record;
    marl_log_writer *writer;
    if (o->calibration == NULL || o->out == NULL) {
        return marl_fail(error, MARL_ERR_USE, "correct: --calibration and -o are needed");
    }
    MARL_TRY(cli_reading_prepare(&o->reading, 1, error));
    MARL_TRY(marl_calibration_read(&record, o->calibration, error));
    MARL_TRY(marl_log_open(reader, c->file[0], &o->reading.options, error));
    MARL_TRY(check(&record, marl_log_reader_info(*reader), o, c->file[0], error));
    marl_calibration calibration = marl_calibration_for_device(&record);
    marl_log_info info = *marl_log_reader_info(*reader);
    info.corrected = 1;
    info.raw = raw_parts(&calibration, marl_replay_sensors(&info));
    if ((info.columns & MARL_COLUMNS_RPY) == MARL_COLUMNS_RPY) {
        info.columns |= MARL_COLUMNS_Q;
    }
    MARL_TRY(marl_log_create(&writer, o->out, &info, error));
    marl_status status = copy_corrected(*reader, &calibration, writer, &o->invalid, error);
    if (status != MARL_OK) {
        marl_log_abort(writer);
        return status;
    }
    return marl_log_commit(writer, error);
}

static int report(const cli *c, const options *o, const marl_log_report *read)
{
    if (c->json) {
        json_t *root = json_object();
        json_object_set_new(root, "log", cli_text(o->out));
        json_object_set_new(root, "rows", json_integer((json_int_t)read->rows));
        json_object_set_new(root, "rows_dropped", json_integer((json_int_t)read->rows_dropped));
        json_object_set_new(root, "cells_missing", json_integer((json_int_t)read->cells_missing));
        json_object_set_new(root, "rows_invalid", json_integer((json_int_t)o->invalid));
        return cli_print_json(root);
    }
    if (!c->quiet) {
        cli_print("%s: %lu rows corrected by %s\n", o->out, read->rows, o->calibration);
        if (o->invalid > 0) {
            cli_print("invalid readings (larger than plausible) left empty: in %lu rows\n", o->invalid);
        }
    }
    return cli_print_done();
}

int cli_correct(int argc, const char **argv)
{
    options o = {0};
    marl_error error = {0};
    marl_log_reader *reader = NULL;
    marl_warnings warnings = {0};
    cli c;
    const struct poptOption table[] = {
        {"calibration", '\0', POPT_ARG_STRING, &o.calibration, CLI_CALIBRATION, "the calibration to apply",
         "CAL"},
        {NULL, 'o', POPT_ARG_STRING, &o.out, CLI_WRITES_ROWS, "the log to write", "LOG"},
        CLI_READING_OPTIONS(o.reading),
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "LOG",
        CLI_READS,
        1,
        1,
        "Applies a calibration to a log. The new log is marked as corrected, so that it is never\n"
        "corrected twice.",
        "correct lift.csv --calibration pod-07.json -o lift.corrected.csv"};
    int code = cli_open(&c, argc, argv, table, &usage);
    if (code == CLI_GO) {
        (void)!correct(&c, &o, &reader, &error);
        if (reader != NULL && !c.quiet) {
            marl_log_warn(&warnings, marl_log_reader_report(reader), c.file[0]);
            cli_print_warnings(&warnings);
        }
        code = cli_exit(&error);
        code = code == CLI_DONE ? report(&c, &o, marl_log_reader_report(reader)) : code;
    }
    marl_log_close(reader);
    cli_close(&c);
    return code;
}
