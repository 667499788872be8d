/* SPDX-License-Identifier: MIT
 * A smoothed log as a table, as JSON, and its limits. */
#include "cli/smooth/smooth.h"
#include <math.h>
#include <stdio.h>

#define LONG_GAP 1.0      /* s */
#define MAX_DISTURBED 0.3 /* of the log */

void cli_smooth_warn(cli_smoothed *job)
{
    const marl_smoothed *s = &job->smoothed;
    const char *path = job->log.path;
    if (!s->heading_is_magnetic) {
        marl_warn(&job->warnings, "relative-heading",
                  "%s: no magnetometer: the heading is relative to the start, its standard deviation too",
                  path);
    }
    if (s->accel_is_worse || s->mag_is_worse || s->gyro_is_worse) {
        marl_warn(
            &job->warnings, "calibrate-first",
            "%s: the %s is off by more than twice what was assumed: calibrate first, or pass --calibration",
            path,
            s->mag_is_worse     ? "magnetometer"
            : s->accel_is_worse ? "accelerometer"
                                : "gyroscope's matrix");
    }
    if (s->disturbed_share > MAX_DISTURBED) {
        marl_warn(&job->warnings, "disturbed",
                  "%s: the field is disturbed for %.0f %% of the time; the heading is that of the field of "
                  "the first 20 s",
                  path, 100 * s->disturbed_share);
    }
    if (s->pieces > 1) {
        marl_warn(&job->warnings, "gap",
                  "%s: rows are missing for up to %.1f s; %u parts were smoothed, each for itself", path,
                  s->longest_gap_s, s->pieces);
    } else if (s->rows_left_out == 0 && s->longest_gap_s >= LONG_GAP) {
        marl_warn(&job->warnings, "gap",
                  "%s: rows are missing for up to %.1f s; the standard deviations grow there", path,
                  s->longest_gap_s);
    }
    if (s->rows_left_out > 0) {
        marl_warn(&job->warnings, "gap",
                  "%s: rows are missing for up to %.1f s; %lu rows are left out: a part of under 10 s, or, "
                  "without a magnetometer, all but the longest part",
                  path, s->longest_gap_s, s->rows_left_out);
    }
}

static void print_remainder(const char *name, const char *unit, const double value[3], const double sigma[3],
                            const int added[3])
{
    cli_print("%-14s", name);
    for (int k = 0; k < 3; k++) {
        cli_print("  %+8.4f +- %-7.4f%s", value[k], sigma[k], added[k] ? "*" : " ");
    }
    cli_print(" %s\n", unit);
}

/* Scale on the diagonal, misalignment beside it. */
static void print_gyro_matrix(const cli_smoothed *job)
{
    static const char *const axis[] = {"x", "y", "z"};
    const marl_smoothed *s = &job->smoothed;
    for (int i = 0; i < 3 && job->gyro_matrix; i++) {
        double value[3], sigma[3];
        char name[24];
        for (int k = 0; k < 3; k++) {
            value[k] = 100 * s->gyro_matrix[3 * i + k];
            sigma[k] = 100 * s->gyro_matrix_sigma[3 * i + k];
        }
        snprintf(name, sizeof name, "gyro matrix %s", axis[i]);
        print_remainder(name, "%", value, sigma, job->refined.gyro_matrix + 3 * i);
    }
}

/* Independent evidence, where the log has it. */
static void print_closures(const cli_smoothed *job)
{
    if (job->closures.n > 0) {
        cli_print("\nclosures: the same rest again (readings equal), after it was turned away\n%-18s %-18s "
                  "%8s %10s %8s\n",
                  "first, s", "again, s", "away deg", "misclosure", "sigma");
    }
    for (size_t i = 0; i < job->closures.n; i++) {
        const marl_closure *c = &job->closures.at[i];
        char first[32], again[32];
        snprintf(first, sizeof first, "%.1f to %.1f", 1e-9 * (double)c->first.from_ns,
                 1e-9 * (double)c->first.to_ns);
        snprintf(again, sizeof again, "%.1f to %.1f", 1e-9 * (double)c->again.from_ns,
                 1e-9 * (double)c->again.to_ns);
        cli_print("%-18s %-18s %8.0f %10.3f %8.3f\n", first, again, c->away_deg, c->error_deg, c->sigma_deg);
    }
}

static json_t *closures_json(const cli_smoothed *job)
{
    json_t *list = json_array();
    for (size_t i = 0; i < job->closures.n; i++) {
        const marl_closure *c = &job->closures.at[i];
        json_t *one = json_object();
        const double first[2] = {1e-9 * (double)c->first.from_ns, 1e-9 * (double)c->first.to_ns};
        const double again[2] = {1e-9 * (double)c->again.from_ns, 1e-9 * (double)c->again.to_ns};
        json_object_set_new(one, "first", cli_numbers(first, 2));
        json_object_set_new(one, "again", cli_numbers(again, 2));
        json_object_set_new(one, "away_deg", cli_number(c->away_deg));
        json_object_set_new(one, "error_deg", cli_number(c->error_deg));
        json_object_set_new(one, "sigma_deg", cli_number(c->sigma_deg));
        json_array_append_new(list, one);
    }
    return list;
}

int cli_smooth_table(const cli_smoothed *job)
{
    const marl_smoothed *s = &job->smoothed;
    const marl_smoothed_knot *last = &s->knot[s->knots - 1];
    double bias[3], sigma[3];
    static const int none[3] = {0};
    cli_print("%s: %zu attitudes, standard deviation %.3f deg tilt, %.3f deg heading (rms)\n", job->log.path,
              s->n, s->sigma_tilt_rms / MARL_DEGREE, s->sigma_heading_rms / MARL_DEGREE);
    cli_print("still %.0f %% of the time", 100 * s->still_share);
    if (s->heading_is_magnetic) {
        cli_print("; field %.1f uT north, %.1f uT up, disturbed %.0f %% of the time", s->field_north,
                  s->field_up, 100 * s->disturbed_share);
    }
    cli_print("\n\n%-14s  %-21s  %-21s  %-21s\n", "what is left", "x", "y", "z");
    print_remainder("accelerometer", "m/s^2", s->accel_bias, s->accel_bias_sigma, job->refined.accel);
    if (s->heading_is_magnetic) {
        print_remainder("magnetometer", "uT", s->mag_bias, s->mag_bias_sigma, job->refined.mag);
    }
    for (int k = 0; k < 3; k++) {
        bias[k] = last->bias[k] / MARL_DEGREE;
        sigma[k] = last->bias_sigma[k] / MARL_DEGREE;
    }
    print_remainder("gyroscope", "deg/s, at the end", bias, sigma, none);
    print_gyro_matrix(job);
    print_closures(job);
    if (job->into != NULL) {
        cli_print(job->refined.any ? "* added: %s\n"
                                   : "nothing significant in both halves: %s is unchanged\n",
                  job->into);
    }
    if (job->out != NULL) {
        cli_print("written: %s\n", job->out);
    }
    if (job->figure != NULL) {
        cli_print("figure: %s\n", job->figure);
    }
    return cli_print_done();
}

static json_t *booleans(const int *value, int n)
{
    json_t *list = json_array();
    for (int k = 0; k < n; k++) {
        json_array_append_new(list, json_boolean(value[k]));
    }
    return list;
}

static json_t *remainder_json(const double value[3], const double sigma[3], const int added[3])
{
    json_t *object = json_object();
    json_object_set_new(object, "bias", cli_numbers(value, 3));
    json_object_set_new(object, "bias_sigma", cli_numbers(sigma, 3));
    json_object_set_new(object, "added", booleans(added, 3));
    return object;
}

/* Three rows of three. */
static json_t *rows_json(const double value[9])
{
    json_t *rows = json_array();
    for (int i = 0; i < 3; i++) {
        json_array_append_new(rows, cli_numbers(value + 3 * i, 3));
    }
    return rows;
}

static json_t *gyro_matrix_json(const cli_smoothed *job)
{
    json_t *object = json_object(), *added = json_array();
    for (int i = 0; i < 3; i++) {
        json_array_append_new(added, booleans(job->refined.gyro_matrix + 3 * i, 3));
    }
    json_object_set_new(object, "remainder", rows_json(job->smoothed.gyro_matrix));
    json_object_set_new(object, "remainder_sigma", rows_json(job->smoothed.gyro_matrix_sigma));
    json_object_set_new(object, "added", added);
    return object;
}

int cli_smooth_json(const cli_smoothed *job)
{
    const marl_smoothed *s = &job->smoothed;
    const marl_smoothed_knot *last = &s->knot[s->knots - 1];
    json_t *root = json_object();
    json_object_set_new(root, "rows", json_integer((json_int_t)s->n));
    json_object_set_new(root, "sigma_tilt_deg", cli_number(s->sigma_tilt_rms / MARL_DEGREE));
    json_object_set_new(root, "sigma_heading_deg", cli_number(s->sigma_heading_rms / MARL_DEGREE));
    json_object_set_new(root, "heading_is_magnetic", json_boolean(s->heading_is_magnetic));
    json_object_set_new(root, "still_share", cli_number(s->still_share));
    json_object_set_new(root, "disturbed_share", cli_number(s->disturbed_share));
    json_object_set_new(root, "longest_gap_s", cli_number(s->longest_gap_s));
    json_object_set_new(root, "rows_left_out", json_integer((json_int_t)s->rows_left_out));
    json_object_set_new(root, "field_north", cli_number(s->field_north));
    json_object_set_new(root, "field_up", cli_number(s->field_up));
    json_object_set_new(root, "accel",
                        remainder_json(s->accel_bias, s->accel_bias_sigma, job->refined.accel));
    if (s->heading_is_magnetic) {
        json_object_set_new(root, "mag", remainder_json(s->mag_bias, s->mag_bias_sigma, job->refined.mag));
    }
    json_object_set_new(root, "gyro_bias", cli_numbers(last->bias, 3));
    json_object_set_new(root, "gyro_bias_sigma", cli_numbers(last->bias_sigma, 3));
    if (job->gyro_matrix) {
        json_object_set_new(root, "gyro_matrix", gyro_matrix_json(job));
    }
    json_object_set_new(root, "closures", closures_json(job));
    json_object_set_new(root, "warnings", cli_warnings_json(&job->warnings));
    return cli_print_json(root);
}
