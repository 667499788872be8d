/* SPDX-License-Identifier: MIT
 * marlinspike inspect */
#include "inspect.h"
#include <stdlib.h>

typedef struct options {
    char *figure, *sheet_out;
} options;

static void warn_of_gaps(cli_warnings *warnings, const marl_inspection *inspection, const char *path)
{
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_sensor_summary *s = &inspection->sensor[i];
        if (s->gaps > 0) {
            cli_warn(warnings, "gap", "%s: %s has %zu gap%s, the longest of %.4g s at %.3f s", path,
                     marl_sensor_name((marl_sensor)i), s->gaps, s->gaps == 1 ? "" : "s", s->longest_gap_s,
                     (double)s->longest_gap_ns * 1e-9);
        }
    }
}

/* Readings that an axis lost to its ends, or kept although it moved. */
static void warn_of_axes(cli_warnings *warnings, const marl_inspection *inspection, const char *path)
{
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_sensor_summary *s = &inspection->sensor[i];
        for (int k = 0; k < 3; k++) {
            if (s->clipped[k] > 0) {
                cli_warn(warnings, "clipped", "%s: %s_%c is clipped in %zu of %zu readings", path,
                         marl_sensor_name((marl_sensor)i), 'x' + k, s->clipped[k], s->readings);
            }
            if (s->stuck[k] > 0) {
                cli_warn(warnings, "stuck",
                         "%s: %s_%c keeps one value in %zu of %zu readings while others move", path,
                         marl_sensor_name((marl_sensor)i), 'x' + k, s->stuck[k], s->readings);
            }
        }
    }
}

static void warn_of_arrangement(cli_warnings *warnings, const marl_axes_fit *fit, const char *name,
                                const char *path)
{
    char text[32];
    if (fit->verdict == MARL_AXES_DECIDED && !marl_arrangement_is_plain(&fit->best)) {
        marl_arrangement_text(&fit->best, text);
        cli_warn(warnings, "axes-suspect", "%s: to the accelerometer's axes the %s's stand so: %s", path,
                 name, text);
    }
}

/* What the columns say and the motion denies. */
static void warn_of_suspicions(cli_inspected *seen)
{
    const char *path = seen->log.path;
    marl_unit_suspicions units = marl_suspect_units(&seen->log, &seen->inspection.still, &seen->axes);
    if (units.accel[0] != '\0') {
        cli_warn(&seen->warnings, "units-suspect", "%s: %s", path, units.accel);
    }
    if (units.gyro[0] != '\0') {
        cli_warn(&seen->warnings, "units-suspect", "%s: %s", path, units.gyro);
    }
    warn_of_arrangement(&seen->warnings, &seen->axes.gyro, "gyroscope", path);
    warn_of_arrangement(&seen->warnings, &seen->axes.mag, "magnetometer", path);
}

static marl_status look(cli_inspected *seen, const char *path, const cli_reading *reading, marl_error *error)
{
    marl_status status = marl_log_load(&seen->log, path, &reading->options, error);
    status = status != MARL_OK ? status : marl_inspect(&seen->log, &seen->inspection, error);
    for (int i = 0; i < MARL_SENSOR_COUNT && status == MARL_OK; i++) {
        status = marl_noise_of_log(&seen->log, &seen->inspection, (marl_sensor)i, &seen->noise[i], error);
    }
    return status != MARL_OK ? status : marl_axes_find(&seen->log, &seen->axes, error);
}

static marl_status write_sheet(const cli_inspected *seen, const cli_reading *reading, const char *path,
                               marl_error *error)
{
    marl_sheet sheet;
    marl_status status =
        marl_sheet_of_recording(&seen->log, seen->noise, reading->options.sheet, &sheet, error);
    return status != MARL_OK ? status : marl_sheet_write(&sheet, path, error);
}

static int show(const cli *c, const cli_inspected *seen, const options *o, const cli_reading *reading)
{
    const char *figure = o->figure;
    marl_error error = {0};
    if (o->sheet_out != NULL && write_sheet(seen, reading, o->sheet_out, &error) != MARL_OK) {
        return cli_exit(&error);
    }
    if (figure != NULL && cli_inspect_figure(seen, figure, &error) != MARL_OK) {
        return cli_exit(&error);
    }
    if (c->json) {
        return cli_inspect_json(seen);
    }
    return c->quiet ? CLI_DONE : cli_inspect_table(seen);
}

static int inspect(const cli *c, cli_reading *reading, const options *o)
{
    marl_error error = {0};
    cli_inspected *seen = calloc(1, sizeof *seen);
    int code;
    if (seen == NULL) {
        cli_say("no memory");
        return CLI_MACHINE;
    }
    marl_status status = o->figure != NULL ? marl_figure_check_path(o->figure, &error) : MARL_OK;
    status = status != MARL_OK ? status : cli_reading_prepare(reading, &error);
    status = status != MARL_OK ? status : look(seen, c->file[0], reading, &error);
    if (status == MARL_OK) {
        cli_warn_of_log(&seen->warnings, &seen->log.report, seen->log.path);
        warn_of_gaps(&seen->warnings, &seen->inspection, seen->log.path);
        warn_of_axes(&seen->warnings, &seen->inspection, seen->log.path);
        warn_of_suspicions(seen);
        if (!c->quiet) {
            cli_print_warnings(&seen->warnings);
        }
        code = show(c, seen, o, reading);
    } else {
        code = cli_exit(&error);
    }
    marl_inspection_free(&seen->inspection);
    marl_log_free(&seen->log);
    free(seen);
    return code;
}

int cli_inspect(int argc, const char **argv)
{
    cli_reading reading = {0};
    options o = {NULL, NULL};
    cli c;
    const struct poptOption table[] = {
        {"figure", '\0', POPT_ARG_STRING, &o.figure, 0,
         "Allan deviation of each axis at rest: .png, .svg or .gp", "FILE"},
        {"sheet-out", '\0', POPT_ARG_STRING, &o.sheet_out, 0,
         "a sheet of these sensors for simulate; --sheet gives range and bits", "F"},
        CLI_READING_OPTIONS(reading),
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "LOG", 1, 1,
        "Tells what a recording holds: rows, real rates, jitter, gaps, mean and deviation of each axis over\n"
        "the whole recording, clipped and stuck axes, when the board was at rest, and what noise its "
        "sensors\n"
        "have there: white, flicker and walk, each only where this recording can show it. Says where units\n"
        "or axes cannot be what the header says: gravity and the motion deny them.",
        "inspect data/demo/lift.csv"};
    int code = cli_open(&c, argc, argv, table, &usage);
    code = code == CLI_GO ? inspect(&c, &reading, &o) : code;
    cli_close(&c);
    return code;
}
