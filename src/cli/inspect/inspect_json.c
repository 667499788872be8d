/* SPDX-License-Identifier: MIT
 * An inspection as JSON. */
#include "cli/inspect/inspect.h"
#include <math.h>
#include <stddef.h>
#include <stdlib.h>
#include <string.h>

size_t cli_count_attitudes(const marl_log *log)
{
    size_t n = 0;
    for (size_t i = 0; i < log->n; i++) {
        n += log->row[i].has_q != 0;
    }
    return n;
}

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
                      {"flicker_max", offsetof(marl_noise, flicker_max)},
                      {"walk_max", offsetof(marl_noise, walk_max)}};
    json_t *root = json_object();
    for (size_t i = 0; i < sizeof quantities / sizeof quantities[0]; i++) {
        json_object_set_new(root, quantities[i].name, quantity_json(noise, quantities[i].offset));
    }
    json_object_set_new(root, "from_s", json_real((double)noise->from_ns * 1e-9));
    json_object_set_new(root, "seconds", json_real(noise->seconds));
    return root;
}

/* The curves: times once, the others by axis. */
static json_t *allan_json(const marl_sensor_noise *noise)
{
    static const char *const names[] = {"deviation", "low", "high"};
    json_t *root = json_object(), *by[3] = {json_array(), json_array(), json_array()}, *tau = NULL;
    for (int k = 0; k < 3; k++) {
        json_t *list[3] = {json_array(), json_array(), json_array()}, *times = json_array();
        for (size_t i = 0; i < noise->allan[k].n; i++) {
            const marl_allan_point *p = &noise->allan[k].point[i];
            const double value[3] = {p->deviation, p->low, p->high};
            for (int j = 0; j < 3; j++) {
                json_array_append_new(list[j], cli_number(value[j]));
            }
            json_array_append_new(times, cli_number(p->tau_s));
        }
        for (int j = 0; j < 3; j++) {
            json_array_append_new(by[j], list[j]);
        }
        if (tau == NULL && json_array_size(times) > 0) {
            tau = json_incref(times);
        }
        json_decref(times);
    }
    json_object_set_new(root, "tau_s", tau != NULL ? tau : json_array());
    for (int j = 0; j < 3; j++) {
        json_object_set_new(root, names[j], by[j]);
    }
    return root;
}

static json_t *lines_json(const marl_spectrum *s)
{
    json_t *list = json_array();
    for (size_t i = 0; i < s->lines; i++) {
        json_t *line = json_object();
        json_object_set_new(line, "hz", cli_number(s->line[i].hz));
        json_object_set_new(line, "amplitude", cli_number(s->line[i].amplitude));
        json_array_append_new(list, line);
    }
    return list;
}

/* In thirds of an octave; lines by axis. */
static json_t *spectrum_json(const marl_sensor_spectrum *spectrum)
{
    json_t *root = json_object(), *hz = NULL, *density = json_array(), *lines = json_array();
    json_t *corner = json_array(), *sigma = json_array();
    for (int k = 0; k < 3; k++) {
        const marl_spectrum *s = &spectrum->spectrum[k];
        int there = (spectrum->axes >> k) & 1;
        json_t *middles = json_array(), *values = json_array();
        for (size_t i = 0; i < s->bands; i++) {
            json_array_append_new(middles, cli_number(s->band[i].hz));
            json_array_append_new(values, cli_number(s->band[i].density));
        }
        if (hz == NULL && s->bands > 0) {
            hz = json_incref(middles);
        }
        json_decref(middles);
        json_array_append_new(density, values);
        json_array_append_new(lines, lines_json(s));
        json_array_append_new(corner, cli_number(there ? s->low_pass_hz : NAN));
        json_array_append_new(sigma, cli_number(there ? s->low_pass_sigma : NAN));
    }
    json_object_set_new(root, "at_rest", json_boolean(spectrum->at_rest));
    json_object_set_new(root, "from_s", json_real((double)spectrum->from_ns * 1e-9));
    json_object_set_new(root, "seconds", json_real(spectrum->seconds));
    json_object_set_new(root, "hz", hz != NULL ? hz : json_array());
    json_object_set_new(root, "density", density);
    json_object_set_new(root, "low_pass_hz", corner);
    json_object_set_new(root, "low_pass_sigma", sigma);
    json_object_set_new(root, "lines", lines);
    return root;
}

static json_t *sensor_json(const marl_sensor_summary *s, const marl_sensor_noise *noise,
                           const marl_sensor_spectrum *spectrum)
{
    json_t *sensor = json_object();
    json_object_set_new(sensor, "readings", json_integer((json_int_t)s->readings));
    json_object_set_new(sensor, "rate_hz", cli_number(s->rate_hz));
    json_object_set_new(sensor, "jitter_ms", cli_number(s->jitter_ms));
    json_object_set_new(sensor, "gaps", json_integer((json_int_t)s->gaps));
    json_object_set_new(sensor, "longest_gap_s", cli_number(s->longest_gap_s));
    json_object_set_new(sensor, "duplicates", json_integer((json_int_t)s->duplicates));
    json_object_set_new(sensor, "spikes", json_integer((json_int_t)s->spikes));
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
    json_object_set_new(sensor, "allan", noise->axes ? allan_json(noise) : json_null());
    json_object_set_new(sensor, "spectrum", spectrum->axes ? spectrum_json(spectrum) : json_null());
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

static json_t *fit_json(const marl_axes_fit *fit)
{
    static const char *const verdicts[] = {"absent", "undecided", "decided"};
    json_t *root = json_object(), *axes = json_null();
    if (fit->verdict == MARL_AXES_DECIDED) {
        axes = json_array();
        for (int k = 0; k < 3; k++) {
            const char text[3] = {fit->best.axis[k] < 0 ? '-' : '+', "?xyz"[abs(fit->best.axis[k])], '\0'};
            json_array_append_new(axes, cli_text(text));
        }
    }
    json_object_set_new(root, "verdict", cli_text(verdicts[fit->verdict]));
    json_object_set_new(root, "fits", axes);
    json_object_set_new(root, "residual", cli_number(fit->residual));
    json_object_set_new(root, "next", cli_number(fit->next));
    return root;
}

static json_t *speed_json(const marl_speed_axis *s)
{
    static const char *const verdicts[] = {"absent",     "undecided",  "plain",
                                           "other-axis", "other-unit", "unseen"};
    json_t *root = json_object();
    int found = s->verdict != MARL_SPEED_ABSENT && s->verdict != MARL_SPEED_UNDECIDED;
    json_object_set_new(root, "verdict", cli_text(verdicts[s->verdict]));
    json_object_set_new(root, "axis", found ? cli_numbers(s->axis, 3) : json_null());
    json_object_set_new(root, "sigma", found ? cli_numbers(s->sigma, 3) : json_null());
    return root;
}

static json_t *axes_json(const marl_axes *axes)
{
    json_t *root = json_object(), *gyro = fit_json(&axes->gyro), *mag = fit_json(&axes->mag);
    json_t *by_gyro = fit_json(&axes->mag_by_gyro);
    json_object_set_new(gyro, "scale", cli_number(axes->gyro.scale));
    json_object_set_new(mag, "sign_decided", json_boolean(axes->mag.sign_decided));
    json_object_set_new(root, "gyro", gyro);
    json_object_set_new(by_gyro, "sign_decided", json_boolean(axes->mag_by_gyro.sign_decided));
    json_object_set_new(root, "mag", mag);
    json_object_set_new(root, "mag_by_gyro", by_gyro);
    json_object_set_new(root, "dip_deg", cli_number(axes->dip_deg));
    return root;
}

static json_t *difference_json(const marl_difference *difference)
{
    json_t *root = json_object();
    json_object_set_new(root, "holds", json_boolean(difference->holds));
    json_object_set_new(root, "at", cli_number(difference->at));
    json_object_set_new(root, "ratio", cli_number(difference->ratio));
    json_object_set_new(root, "limit", cli_number(difference->limit));
    return root;
}

static json_t *against_json(const cli_inspected *seen)
{
    json_t *root = json_object(), *sensors = json_object();
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_consistency *like = &seen->consistency[i];
        if (!like->axes) {
            continue;
        }
        json_t *sensor = json_object(), *allan = json_array(), *spectrum = json_array();
        for (int k = 0; k < 3; k++) {
            int there = (like->axes >> k) & 1;
            json_array_append_new(allan, there ? difference_json(&like->allan[k]) : json_null());
            json_array_append_new(spectrum, there ? difference_json(&like->spectrum[k]) : json_null());
        }
        json_object_set_new(sensor, "holds", json_boolean(like->holds));
        json_object_set_new(sensor, "allan", allan);
        json_object_set_new(sensor, "spectrum", spectrum);
        json_object_set_new(sensors, marl_sensor_name((marl_sensor)i), sensor);
    }
    json_object_set_new(root, "log", cli_text(seen->against->log.path));
    json_object_set_new(root, "holds", json_boolean(cli_inspect_holds(seen)));
    json_object_set_new(root, "sensors", sensors);
    return root;
}

/* By sensor; of those that were found. */
static json_t *delays_json(const marl_sensor_delays *delays)
{
    json_t *root = json_object();
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (delays->of[i].found) {
            json_t *one = json_object();
            json_object_set_new(one, "delay_s", cli_number(delays->of[i].delay_s));
            json_object_set_new(one, "sigma_s", cli_number(delays->of[i].sigma_s));
            json_object_set_new(root, marl_sensor_name((marl_sensor)i), one);
        }
    }
    return root;
}

static json_t *row_times_json(const cli_inspected *seen)
{
    const marl_row_times *t = &seen->times;
    json_t *times = json_object();
    json_object_set_new(times, "step_s", cli_number(t->step_s));
    json_object_set_new(times, "scatter_s", cli_number(t->scatter_s));
    json_object_set_new(times, "gain", cli_number(t->gain));
    json_object_set_new(times, "breaks", json_integer((json_int_t)t->breaks));
    json_object_set_new(times, "uneven", json_boolean(t->are_uneven));
    json_object_set_new(times, "set_even", json_boolean(seen->sets_even));
    return times;
}

int cli_inspect_json(const cli_inspected *seen)
{
    const marl_log *log = &seen->log;
    const marl_inspection *inspection = &seen->inspection;
    json_t *root = json_object(), *sensors = json_object();
    json_object_set_new(root, "device", log->info.device[0] ? cli_text(log->info.device) : json_null());
    json_object_set_new(root, "corrected", json_boolean(log->info.corrected));
    json_object_set_new(root, "rows", json_integer((json_int_t)log->report.rows));
    json_object_set_new(root, "rows_dropped", json_integer((json_int_t)log->report.rows_dropped));
    json_object_set_new(root, "cells_missing", json_integer((json_int_t)log->report.cells_missing));
    json_object_set_new(root, "duration_s", json_real(inspection->duration_s));
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (inspection->sensor[i].axes) {
            json_object_set_new(
                sensors, marl_sensor_name((marl_sensor)i),
                sensor_json(&inspection->sensor[i], &seen->noise[i], cli_inspect_spectrum(seen, i)));
        }
    }
    json_object_set_new(root, "sensors", sensors);
    json_object_set_new(root, "attitudes", json_integer((json_int_t)cli_count_attitudes(log)));
    json_object_set_new(root, "still_spans", spans_json(&inspection->still));
    json_object_set_new(root, "axes", axes_json(&seen->axes));
    json_object_set_new(root, "speed_axis", speed_json(&seen->speed));
    json_object_set_new(root, "row_times", row_times_json(seen));
    json_object_set_new(root, "delays", delays_json(&seen->delays));
    json_object_set_new(root, "delays_removed", delays_json(&seen->removed));
    json_object_set_new(root, "spikes_dropped", json_integer((json_int_t)seen->spikes_dropped));
    if (seen->merged) {
        json_t *clock = json_object();
        json_object_set_new(clock, "found", json_boolean(seen->clock.found));
        json_object_set_new(clock, "offset_s", cli_number(seen->clock.offset_s));
        json_object_set_new(clock, "sigma_s", cli_number(seen->clock.sigma_s));
        json_object_set_new(clock, "r_squared", cli_number(seen->clock.r_squared));
        json_object_set_new(root, "clock", clock);
    }
    if (seen->against != NULL) {
        json_object_set_new(root, "against", against_json(seen));
    }
    json_object_set_new(root, "warnings", cli_warnings_json(&seen->warnings));
    return cli_print_json(root);
}
