/* SPDX-License-Identifier: MIT
 * marlinspike inspect */
#include "cli.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

#define DEGREE 0.017453292519943295

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

static json_t *sensor_json(const marl_sensor_summary *s)
{
    json_t *sensor = json_object();
    json_object_set_new(sensor, "readings", json_integer((json_int_t)s->readings));
    json_object_set_new(sensor, "rate_hz", cli_number(s->rate_hz));
    json_object_set_new(sensor, "jitter_ms", cli_number(s->jitter_ms));
    json_object_set_new(sensor, "gaps", json_integer((json_int_t)s->gaps));
    json_object_set_new(sensor, "longest_gap_s", cli_number(s->longest_gap_s));
    json_t *mean = json_array(), *deviation = json_array();
    for (int k = 0; k < 3; k++) {
        double none = s->axes & (1u << k) ? 0.0 : NAN;
        json_array_append_new(mean, cli_number(s->mean[k] + none));
        json_array_append_new(deviation, cli_number(s->deviation[k] + none));
    }
    json_object_set_new(sensor, "mean", mean);
    json_object_set_new(sensor, "deviation", deviation);
    return sensor;
}

static json_t *spans_json(const marl_spans *spans)
{
    json_t *list = json_array();
    for (size_t i = 0; i < spans->n; i++) {
        const double span[2] = {(double)spans->span[i].from_ns * 1e-9, (double)spans->span[i].to_ns * 1e-9};
        json_array_append_new(list, cli_numbers(span, 2));
    }
    return list;
}

static size_t count_attitudes(const marl_log *log)
{
    size_t n = 0;
    for (size_t i = 0; i < log->n; i++) {
        n += log->row[i].has_q != 0;
    }
    return n;
}

static int print_json(const marl_log *log, const marl_inspection *inspection, const cli_warnings *warnings)
{
    json_t *root = json_object(), *sensors = json_object();
    json_object_set_new(root, "device", log->info.device[0] ? json_string(log->info.device) : json_null());
    json_object_set_new(root, "corrected", json_boolean(log->info.corrected));
    json_object_set_new(root, "rows", json_integer((json_int_t)log->report.rows));
    json_object_set_new(root, "rows_dropped", json_integer((json_int_t)log->report.rows_dropped));
    json_object_set_new(root, "cells_missing", json_integer((json_int_t)log->report.cells_missing));
    json_object_set_new(root, "duration_s", json_real(inspection->duration_s));
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (inspection->sensor[i].axes) {
            json_object_set_new(sensors, marl_sensor_name((marl_sensor)i),
                                sensor_json(&inspection->sensor[i]));
        }
    }
    json_object_set_new(root, "sensors", sensors);
    json_object_set_new(root, "attitudes", json_integer((json_int_t)count_attitudes(log)));
    json_object_set_new(root, "still_spans", spans_json(&inspection->still));
    json_object_set_new(root, "warnings", cli_warnings_json(warnings));
    return cli_print_json(root);
}

static void print_axis(double value, double unit, int present)
{
    if (present && isfinite(value)) {
        printf(" %10.4f", value / unit);
    } else {
        printf(" %10s", "-");
    }
}

static void print_sensor(marl_sensor sensor, const marl_sensor_summary *s)
{
    const double unit = sensor == MARL_GYRO ? DEGREE : 1.0;
    char rate[16] = "-", jitter[16] = "-";
    if (isfinite(s->rate_hz)) {
        snprintf(rate, sizeof rate, "%.2f", s->rate_hz);
        snprintf(jitter, sizeof jitter, "%.3f", s->jitter_ms);
    }
    printf("%-6s %8s %9s %6zu  %-6s", marl_sensor_name(sensor), rate, jitter, s->gaps,
           sensor == MARL_GYRO ? "deg/s" : marl_sensor_unit(sensor));
    for (int k = 0; k < 3; k++) {
        print_axis(s->mean[k], unit, (int)(s->axes >> k) & 1);
    }
    printf(" ");
    for (int k = 0; k < 3; k++) {
        print_axis(s->deviation[k], unit, (int)(s->axes >> k) & 1);
    }
    printf("\n");
}

static void print_still(const marl_inspection *inspection)
{
    const marl_spans *still = &inspection->still;
    if (still->n == 0) {
        printf("still: never for as long as a second\n");
        return;
    }
    printf("still: %.1f s of %.1f s:", marl_spans_seconds(still), inspection->duration_s);
    for (size_t i = 0; i < still->n && i < 6; i++) {
        printf("%s %.2f to %.2f", i ? "," : "", (double)still->span[i].from_ns * 1e-9,
               (double)still->span[i].to_ns * 1e-9);
    }
    printf(still->n > 6 ? " and %zu more\n" : " s\n", still->n - 6);
}

static void print_attitudes(const marl_log *log)
{
    size_t n = count_attitudes(log);
    if (n > 0) {
        printf("attitudes: %zu in %s, heading %s\n", n, marl_world_name(log->info.world),
               log->info.relative_heading ? "relative" : "magnetic");
    }
}

static void print_sensors(const marl_inspection *inspection)
{
    printf("%-6s %8s %9s %6s  %-6s %10s %21s  %10s\n", "", "rate", "jitter", "", "", "mean", "", "deviation");
    printf("%-6s %8s %9s %6s  %-6s %10s %10s %10s  %10s %10s %10s\n", "sensor", "Hz", "ms", "gaps", "unit",
           "x", "y", "z", "x", "y", "z");
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (inspection->sensor[i].axes) {
            print_sensor((marl_sensor)i, &inspection->sensor[i]);
        }
    }
    printf("\n");
    print_still(inspection);
}

static int has_sensors(const marl_inspection *inspection)
{
    return inspection->sensor[MARL_ACCEL].axes || inspection->sensor[MARL_GYRO].axes ||
           inspection->sensor[MARL_MAG].axes;
}

static int print_table(const marl_log *log, const marl_inspection *inspection)
{
    printf("%s: ", log->path);
    if (log->info.device[0] != '\0') {
        printf("device %s, ", log->info.device);
    }
    printf("%s%lu rows, %.3f s from %.3f s", log->info.corrected ? "corrected, " : "", log->report.rows,
           inspection->duration_s, (double)log->row[0].sample.t_ns * 1e-9);
    printf("; %lu rows dropped, %lu cells missing\n%s", log->report.rows_dropped, log->report.cells_missing,
           has_sensors(inspection) ? "\n" : "");
    if (has_sensors(inspection)) {
        print_sensors(inspection);
    }
    print_attitudes(log);
    return cli_print_done();
}

static int inspect(const cli *c, cli_reading *reading)
{
    marl_error error = {0};
    marl_log log = {0};
    marl_inspection inspection = {0};
    cli_warnings warnings = {0};
    int code = CLI_DONE;
    if (cli_reading_prepare(reading, &error) != MARL_OK ||
        marl_log_load(&log, c->file[0], &reading->options, &error) != MARL_OK ||
        marl_inspect(&log, &inspection, &error) != MARL_OK) {
        marl_log_free(&log);
        return cli_exit(&error);
    }
    cli_warn_of_log(&warnings, &log.report, log.path);
    warn_of_gaps(&warnings, &inspection, log.path);
    if (!c->quiet) {
        cli_print_warnings(&warnings);
    }
    if (c->json) {
        code = print_json(&log, &inspection, &warnings);
    } else if (!c->quiet) {
        code = print_table(&log, &inspection);
    }
    marl_inspection_free(&inspection);
    marl_log_free(&log);
    return code;
}

int cli_inspect(int argc, const char **argv)
{
    cli_reading reading = {0};
    cli c;
    const struct poptOption table[] = {CLI_READING_OPTIONS(reading), POPT_TABLEEND};
    const cli_usage usage = {
        "LOG", 1, 1,
        "Tells what a recording holds: rows, real rates, jitter, gaps, mean and deviation of each\n"
        "axis, and when the board was at rest. The deviation is over the whole recording.",
        "inspect data/demo/lift.csv"};
    int code = cli_open(&c, argc, argv, table, &usage);
    code = code == CLI_GO ? inspect(&c, &reading) : code;
    cli_close(&c);
    return code;
}
