/* SPDX-License-Identifier: MIT
 * What an inspection shows: tables, JSON, the figure. */
#include "inspect.h"
#include <math.h>
#include <stddef.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define DEGREE 0.017453292519943295
#define LEAST_NOISE_S 10.0

static json_t *counts_json(const size_t count[3])
{
    json_t *list = json_array();
    for (int k = 0; k < 3; k++) {
        json_array_append_new(list, json_integer((json_int_t)count[k]));
    }
    return list;
}

/* One quantity of the three axes. */
static json_t *quantity_json(const marl_sensor_noise *noise, size_t offset)
{
    json_t *list = json_array();
    for (int k = 0; k < 3; k++) {
        double value;
        memcpy(&value, (const char *)&noise->noise[k] + offset, sizeof value);
        json_array_append_new(list, cli_number(noise->axes & (1u << k) ? value : NAN));
    }
    return list;
}

static json_t *noise_json(const marl_sensor_noise *noise)
{
    static const struct {
        const char *name;
        size_t offset;
    } quantities[] = {{"white", offsetof(marl_noise, white)},
                      {"flicker", offsetof(marl_noise, flicker)},
                      {"walk", offsetof(marl_noise, walk)},
                      {"floor", offsetof(marl_noise, floor)},
                      {"white_sigma", offsetof(marl_noise, white_sigma)},
                      {"flicker_sigma", offsetof(marl_noise, flicker_sigma)},
                      {"walk_sigma", offsetof(marl_noise, walk_sigma)},
                      {"flicker_most", offsetof(marl_noise, flicker_most)},
                      {"walk_most", offsetof(marl_noise, walk_most)},
                      {"low_pass_hz", offsetof(marl_noise, low_pass_hz)}};
    json_t *root = json_object();
    for (size_t i = 0; i < sizeof quantities / sizeof quantities[0]; i++) {
        json_object_set_new(root, quantities[i].name, quantity_json(noise, quantities[i].offset));
    }
    json_object_set_new(root, "from_s", json_real((double)noise->from_ns * 1e-9));
    json_object_set_new(root, "seconds", json_real(noise->seconds));
    return root;
}

static json_t *sensor_json(const marl_sensor_summary *s, const marl_sensor_noise *noise)
{
    json_t *sensor = json_object();
    json_object_set_new(sensor, "readings", json_integer((json_int_t)s->readings));
    json_object_set_new(sensor, "rate_hz", cli_number(s->rate_hz));
    json_object_set_new(sensor, "jitter_ms", cli_number(s->jitter_ms));
    json_object_set_new(sensor, "gaps", json_integer((json_int_t)s->gaps));
    json_object_set_new(sensor, "longest_gap_s", cli_number(s->longest_gap_s));
    json_object_set_new(sensor, "duplicates", json_integer((json_int_t)s->duplicates));
    json_t *mean = json_array(), *deviation = json_array();
    for (int k = 0; k < 3; k++) {
        double none = s->axes & (1u << k) ? 0.0 : NAN;
        json_array_append_new(mean, cli_number(s->mean[k] + none));
        json_array_append_new(deviation, cli_number(s->deviation[k] + none));
    }
    json_object_set_new(sensor, "mean", mean);
    json_object_set_new(sensor, "deviation", deviation);
    json_object_set_new(sensor, "clipped", counts_json(s->clipped));
    json_object_set_new(sensor, "stuck", counts_json(s->stuck));
    json_object_set_new(sensor, "noise", noise->axes ? noise_json(noise) : json_null());
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

static json_t *fit_json(const marl_axes_fit *fit)
{
    static const char *const verdicts[] = {"absent", "undecided", "decided"};
    json_t *root = json_object(), *axes = json_null();
    if (fit->verdict == MARL_AXES_DECIDED) {
        axes = json_array();
        for (int k = 0; k < 3; k++) {
            const char text[3] = {fit->best.axis[k] < 0 ? '-' : '+', "?xyz"[abs(fit->best.axis[k])], '\0'};
            json_array_append_new(axes, json_string(text));
        }
    }
    json_object_set_new(root, "verdict", json_string(verdicts[fit->verdict]));
    json_object_set_new(root, "fits", axes);
    json_object_set_new(root, "residual", cli_number(fit->residual));
    json_object_set_new(root, "next", cli_number(fit->next));
    return root;
}

static json_t *axes_json(const marl_axes *axes)
{
    json_t *root = json_object(), *gyro = fit_json(&axes->gyro), *mag = fit_json(&axes->mag);
    json_object_set_new(gyro, "scale", cli_number(axes->gyro.scale));
    json_object_set_new(mag, "sign_decided", json_boolean(axes->mag.sign_decided));
    json_object_set_new(root, "gyro", gyro);
    json_object_set_new(root, "mag", mag);
    json_object_set_new(root, "dip_deg", cli_number(axes->dip_deg));
    return root;
}

int cli_inspect_json(const cli_inspected *seen)
{
    const marl_log *log = &seen->log;
    const marl_inspection *inspection = &seen->inspection;
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
                                sensor_json(&inspection->sensor[i], &seen->noise[i]));
        }
    }
    json_object_set_new(root, "sensors", sensors);
    json_object_set_new(root, "attitudes", json_integer((json_int_t)count_attitudes(log)));
    json_object_set_new(root, "still_spans", spans_json(&inspection->still));
    json_object_set_new(root, "axes", axes_json(&seen->axes));
    if (seen->merged) {
        json_t *clock = json_object();
        json_object_set_new(clock, "found", json_boolean(seen->clock.found));
        json_object_set_new(clock, "offset_s", cli_number(seen->clock.offset_s));
        json_object_set_new(clock, "sigma_s", cli_number(seen->clock.sigma_s));
        json_object_set_new(clock, "explained", cli_number(seen->clock.explained));
        json_object_set_new(root, "clock", clock);
    }
    json_object_set_new(root, "warnings", cli_warnings_json(&seen->warnings));
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

static void print_fit(const char *name, const marl_axes_fit *fit)
{
    char text[32];
    if (fit->verdict == MARL_AXES_DECIDED) {
        marl_arrangement_text(&fit->best, text);
        printf("%s %s (leaves %.0f %%, the next best %.0f %%)", name, text, 100 * fit->residual,
               100 * fit->next);
    }
}

/* One line, where there is motion enough to say it. */
static void print_axes(const marl_axes *axes)
{
    if (axes->gyro.verdict == MARL_AXES_UNDECIDED) {
        printf(
            "axes: this motion cannot tell how they stand to each other; turn it about two axes and more\n");
    }
    if (axes->gyro.verdict != MARL_AXES_DECIDED) {
        return;
    }
    printf("axes against the accelerometer's: ");
    print_fit("gyro", &axes->gyro);
    printf("%s", axes->mag.verdict == MARL_AXES_DECIDED ? "\n                                  " : "");
    print_fit("mag ", &axes->mag);
    if (axes->mag.verdict == MARL_AXES_DECIDED) {
        printf(axes->mag.sign_decided ? ", dip %.0f deg if this is the northern hemisphere"
                                      : ", dip %.0f deg: too flat to tell its sign",
               axes->dip_deg);
    }
    printf("\n");
}

static void print_quantity(double value, double unit, int present)
{
    if (present && isfinite(value)) {
        printf(" %9.4g", value / unit);
    } else {
        printf(" %9s", "-");
    }
}

static void print_sensor_noise(marl_sensor sensor, const marl_sensor_noise *n)
{
    const double unit = sensor == MARL_GYRO ? DEGREE : 1.0;
    printf("%-6s %7.0f  %-6s", marl_sensor_name(sensor), n->seconds,
           sensor == MARL_GYRO ? "deg/s" : marl_sensor_unit(sensor));
    for (int k = 0; k < 3; k++) {
        print_quantity(n->noise[k].white, unit, (int)(n->axes >> k) & 1);
    }
    printf(" ");
    for (int k = 0; k < 3; k++) {
        print_quantity(n->noise[k].flicker, unit, (int)(n->axes >> k) & 1);
    }
    printf(" ");
    for (int k = 0; k < 3; k++) {
        print_quantity(n->noise[k].walk, unit, (int)(n->axes >> k) & 1);
    }
    printf("\n");
}

/* Where there is rest enough to speak of noise. */
static void print_noise(const cli_inspected *seen)
{
    double longest = 0;
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        longest = fmax(longest, seen->noise[i].axes ? seen->noise[i].seconds : 0);
    }
    if (longest < LEAST_NOISE_S) {
        return;
    }
    printf("\n%-6s %7s  %-6s %29s  %29s  %29s\n", "noise", "rest", "", "white, unit/sqrt(Hz)",
           "flicker, unit", "walk, unit/sqrt(s)");
    printf("%-6s %7s  %-6s %9s %9s %9s  %9s %9s %9s  %9s %9s %9s\n", "sensor", "s", "unit", "x", "y", "z",
           "x", "y", "z", "x", "y", "z");
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (seen->noise[i].axes) {
            print_sensor_noise((marl_sensor)i, &seen->noise[i]);
        }
    }
    printf("-: not seen in this rest; one 16 times as long shows half as much\n");
}

/* How two clocks were brought together. */
static void print_clock(const cli_inspected *seen)
{
    if (seen->merged && seen->clock.found && isfinite(seen->clock.explained)) {
        printf("clock of the second log: %+.4f s added, +- %.4f s, found from motion (explains %.0f %% of "
               "it)\n\n",
               seen->clock.offset_s, seen->clock.sigma_s, 100 * seen->clock.explained);
    }
}

int cli_inspect_table(const cli_inspected *seen)
{
    const marl_log *log = &seen->log;
    const marl_inspection *inspection = &seen->inspection;
    printf("%s: ", log->path);
    if (log->info.device[0] != '\0') {
        printf("device %s, ", log->info.device);
    }
    printf("%s%lu rows, %.3f s from %.3f s", log->info.corrected ? "corrected, " : "", log->report.rows,
           inspection->duration_s, (double)log->row[0].sample.t_ns * 1e-9);
    printf("; %lu rows dropped, %lu cells missing\n%s", log->report.rows_dropped, log->report.cells_missing,
           has_sensors(inspection) ? "\n" : "");
    print_clock(seen);
    if (has_sensors(inspection)) {
        print_sensors(inspection);
        print_axes(&seen->axes);
        print_noise(seen);
    }
    print_attitudes(log);
    return cli_print_done();
}

/* One panel: the Allan deviations of a sensor's axes, in the unit that people think in. */
static void add_panel(marl_figure *figure, marl_sensor sensor, const marl_sensor_noise *noise,
                      double *numbers)
{
    static const char *const axes[3] = {"x", "y", "z"};
    static const char *const labels[MARL_SENSOR_COUNT] = {"accel, m/s^2", "gyro, deg/s", "mag, uT"};
    const double unit = sensor == MARL_GYRO ? DEGREE : 1.0;
    marl_panel *panel = &figure->panel[figure->panels++];
    *panel = (marl_panel){.x_label = "averaging time, s", .y_label = labels[sensor], .logarithmic = 1};
    for (int k = 0; k < 3; k++) {
        if (!(noise->axes & (1u << k))) {
            continue;
        }
        double *x = numbers + 2 * MARL_ALLAN_MOST * k, *y = x + MARL_ALLAN_MOST;
        const marl_allan *a = &noise->allan[k];
        for (size_t i = 0; i < a->n; i++) {
            x[i] = a->point[i].tau_s;
            y[i] = a->point[i].deviation > 0 ? a->point[i].deviation / unit : NAN;
        }
        panel->curve[panel->curves++] = (marl_curve){axes[k], x, y, a->n};
    }
}

marl_status cli_inspect_figure(const cli_inspected *seen, const char *path, marl_error *error)
{
    char title[300];
    marl_figure figure = {.title = title, .side_by_side = 1};
    double *numbers = calloc((size_t)MARL_SENSOR_COUNT * 6 * MARL_ALLAN_MOST, sizeof *numbers);
    if (numbers == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    snprintf(title, sizeof title, "Allan deviation at rest, %.200s", seen->log.path);
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (seen->noise[i].axes) {
            add_panel(&figure, (marl_sensor)i, &seen->noise[i], numbers + (size_t)i * 6 * MARL_ALLAN_MOST);
        }
    }
    marl_status status =
        figure.panels > 0
            ? marl_figure_draw(&figure, path, error)
            : marl_fail(error, MARL_ERR_EVIDENCE,
                        "%s: never at rest, so there is no noise to draw; record with --until still",
                        seen->log.path);
    free(numbers);
    return status;
}
