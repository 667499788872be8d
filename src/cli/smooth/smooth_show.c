/* SPDX-License-Identifier: MIT
 * A smoothed log as a table, and its limits. */
#include "cli/smooth/smooth.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

#define LONG_GAP 1.0      /* s */
#define MAX_DISTURBED 0.3 /* of the log */
#define SHOWN_DELAY 0.002 /* s */
#define OFFERED_DELAY 0.005
#define SHOWN_SIGMAS 5.0

static const char *const sensor_name[] = {
    [MARL_ACCEL] = "accelerometer", [MARL_GYRO] = "gyroscope", [MARL_MAG] = "magnetometer"};

static void warn_of_sensors(cli_smoothed *job)
{
    const marl_smoothed *s = &job->smoothed;
    const char *path = job->log.path;
    if (s->calibration_is_wrong) {
        marl_warn(&job->warnings, "calibration-wrong",
                  "%s: %s does not hold on this log: its sensors count as not calibrated; calibrate again",
                  path, job->calibration != NULL ? job->calibration : "\"corrected\"");
        return;
    }
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (s->is_worse[i]) {
            marl_warn(&job->warnings, "calibrate-first",
                      "%s: the %s is off by more than twice what a calibration leaves: calibrate it again",
                      path, sensor_name[i]);
        }
    }
}

void cli_smooth_warn(cli_smoothed *job)
{
    const marl_smoothed *s = &job->smoothed;
    const char *path = job->log.path;
    if (!s->heading_is_magnetic) {
        marl_warn(&job->warnings, "relative-heading",
                  "%s: no magnetometer: the heading is relative to the start, its standard deviation too",
                  path);
    }
    warn_of_sensors(job);
    if (marl_smoothed_hides_iron(s)) {
        marl_warn(&job->warnings, "hard-iron-unseen",
                  "%s: its turns do not show the magnetometer's hard iron: heading +- %.1f deg for some 5 uT "
                  "of it, "
                  "for more it is off by more; calibrate tumble, or record turns",
                  path, s->sigma_heading_rms / MARL_DEGREE);
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

static void print_errors(const char *name, const char *unit, const double value[3], const double sigma[3],
                         const marl_refinement outcome[3])
{
    cli_print("%-15s", name);
    for (int k = 0; k < 3; k++) {
        cli_print("  %+8.4f +- %-7.4f%s", value[k], sigma[k], outcome[k] == MARL_REFINE_ADDED ? "*" : " ");
    }
    cli_print(" %s\n", unit);
}

static int any_added(const marl_refinement *outcome, int n)
{
    int any = 0;
    for (int k = 0; k < n; k++) {
        any |= outcome[k] == MARL_REFINE_ADDED;
    }
    return any;
}

static int shows_matrix(const cli_smoothed *job, int sensor)
{
    return (sensor == MARL_GYRO && job->gyro_matrix) || any_added(job->refined.sensor[sensor].matrix, 9);
}

/* Scale on the diagonal, misalignment beside it. */
static void print_matrix(const cli_smoothed *job, int sensor)
{
    static const char *const axis[] = {"x", "y", "z"}, *const name[] = {"accel", "gyro", "mag"};
    const marl_sensor_errors *e = &job->smoothed.errors[sensor];
    for (int i = 0; i < 3 && shows_matrix(job, sensor); i++) {
        double value[3], sigma[3];
        char title[24];
        for (int k = 0; k < 3; k++) {
            value[k] = 100 * e->matrix[3 * i + k];
            sigma[k] = 100 * e->matrix_sigma[3 * i + k];
        }
        snprintf(title, sizeof title, "%s matrix %s", name[sensor], axis[i]);
        print_errors(title, "%", value, sigma, job->refined.sensor[sensor].matrix + 3 * i);
    }
}

static void print_lever(const marl_smoothed *s)
{
    static const marl_refinement none[3] = {MARL_REFINE_NOT_SIGNIFICANT};
    int is_long;
    if (marl_smoothed_shows_arm(s, &is_long)) {
        print_errors("lever arm", "m", s->arm, s->arm_sigma, none);
    }
    if (is_long && marl_smoothed_distrust(s) == NULL) {
        cli_print_prose(
            0, "lever arm: from the point that moves least to the accelerometer. While it stays so, a "
               "filter that knows it is not misled by turns about that point:");
        cli_print("  --tuning kalman:lever_x=%.2f,lever_y=%.2f,lever_z=%.2f\n", s->arm[0], s->arm[1],
                  s->arm[2]);
    }
}

/* Only where it did. */
static void print_bias_moved(const marl_smoothed *s)
{
    static const marl_refinement none[3] = {MARL_REFINE_NOT_SIGNIFICANT};
    double moved[3], sigma[3];
    if (marl_smoothed_bias_moved(s, moved, sigma)) {
        for (int k = 0; k < 3; k++) {
            moved[k] /= MARL_DEGREE;
            sigma[k] /= MARL_DEGREE;
        }
        print_errors("  it moved by", "deg/s, in the log", moved, sigma, none);
    }
}

static int is_clear(const marl_sensor_delay *d, double least_s)
{
    return d->found && fabs(d->delay_s) > fmax(least_s, SHOWN_SIGMAS * d->sigma_s);
}

/* Those that are clear, and worth a thought. */
static void print_delays(const marl_smoothed *s)
{
    const marl_sensor_delays delays = marl_smoothed_delays(s);
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_sensor_delay *d = &delays.of[i];
        if (is_clear(d, SHOWN_DELAY)) {
            cli_print("%s: %.1f ms (+- %.1f) %s than the gyroscope; taken into account\n", sensor_name[i],
                      1e3 * fabs(d->delay_s), 1e3 * d->sigma_s, d->delay_s > 0 ? "later" : "earlier");
        }
    }
    const marl_sensor_delay *mag = &delays.of[MARL_MAG];
    if (is_clear(mag, OFFERED_DELAY) && marl_smoothed_distrust(s) == NULL) {
        cli_print("a filter takes it into account by --tuning kalman:mag_delay=%.4f\n", mag->delay_s);
    }
}

/* Only where it does. */
static void print_by_force(const marl_smoothed *s)
{
    static const marl_refinement none[3] = {MARL_REFINE_NOT_SIGNIFICANT};
    static const char *const title[] = {"  by force, x", "  y", "  z"};
    const double unit = MARL_DEGREE / MARL_STANDARD_GRAVITY;
    for (int i = 0; i < 3 && marl_smoothed_shows_force(s); i++) {
        double value[3], sigma[3];
        for (int k = 0; k < 3; k++) {
            value[k] = s->gyro_by_force[3 * i + k] / unit;
            sigma[k] = s->gyro_by_force_sigma[3 * i + k] / unit;
        }
        print_errors(title[i], "deg/s per g", value, sigma, none);
    }
}

static void print_sensors(const cli_smoothed *job)
{
    const marl_smoothed *s = &job->smoothed;
    const marl_sensor_errors *gyro = &s->errors[MARL_GYRO];
    double bias[3], sigma[3];
    cli_print("\n%-15s  %-21s  %-21s  %-21s\n", s->sensors_are_raw ? "errors, raw" : "what is left", "x", "y",
              "z");
    print_errors("accelerometer", "m/s^2", s->errors[MARL_ACCEL].bias, s->errors[MARL_ACCEL].bias_sigma,
                 job->refined.sensor[MARL_ACCEL].bias);
    if (s->heading_is_magnetic) {
        print_errors("magnetometer", "uT", s->errors[MARL_MAG].bias, s->errors[MARL_MAG].bias_sigma,
                     job->refined.sensor[MARL_MAG].bias);
    }
    for (int k = 0; k < 3; k++) {
        bias[k] = gyro->bias[k] / MARL_DEGREE;
        sigma[k] = gyro->bias_sigma[k] / MARL_DEGREE;
    }
    print_errors("gyroscope", "deg/s, at the end", bias, sigma, job->refined.sensor[MARL_GYRO].bias);
    print_bias_moved(s);
    print_by_force(s);
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        print_matrix(job, i);
    }
    print_delays(s);
    print_lever(s);
}

/* The elements with this outcome, sensor by sensor: "gyroscope x z xy". */
static void print_left_out(const cli_smoothed *job, marl_refinement outcome, const char *why)
{
    char text[600] = "", one[16];
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_refined_sensor *r = &job->refined.sensor[i];
        int of_sensor = 0;
        for (int k = 0; k < 12 && (i != MARL_MAG || job->smoothed.heading_is_magnetic); k++) {
            const marl_refinement *at = k < 3 ? &r->bias[k] : &r->matrix[k - 3];
            if (*at != outcome) {
                continue;
            }
            size_t used = strlen(text);
            if (!of_sensor) {
                used += (size_t)snprintf(text + used, sizeof text - used, "%s%s", used > 0 ? "; " : "",
                                         sensor_name[i]);
            }
            snprintf(one, sizeof one, k < 3 ? " %c" : " %c%c", "xyz"[k < 3 ? k : (k - 3) / 3], "xyz"[k % 3]);
            snprintf(text + used, sizeof text - used, "%s", one);
            of_sensor = 1;
        }
    }
    if (text[0] != '\0') {
        cli_print_prose(2, "%s%s", why, text);
    }
}

static void print_refined(const cli_smoothed *job)
{
    if (job->into == NULL) {
        return;
    }
    cli_print(job->refined.any ? "* added, with standard errors: %s\n" : "nothing is added to %s\n",
              job->into);
    print_left_out(job, MARL_REFINE_NOT_SIGNIFICANT, "left out, within three standard errors: ");
    print_left_out(job, MARL_REFINE_HALVES_DIFFER, "left out, the halves of the log differ: ");
    print_left_out(job, MARL_REFINE_OTHERS_OPEN, "left out, since the rest of the matrix is not known: ");
    if (job->tumbles) {
        cli_print("the log has all directions: `calibrate tumble %s` gives the magnetometer's whole matrix\n",
                  job->log.path);
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

int cli_smooth_table(const cli_smoothed *job)
{
    const marl_smoothed *s = &job->smoothed;
    cli_print("%s: %zu attitudes, standard deviation %.3f deg tilt, %.3f deg heading (rms)\n", job->log.path,
              s->n, s->sigma_tilt_rms / MARL_DEGREE, s->sigma_heading_rms / MARL_DEGREE);
    cli_print("still %.0f %% of the time", 100 * s->still_share);
    if (s->heading_is_magnetic) {
        cli_print("; field %.1f uT north, %.1f uT up, disturbed %.0f %% of the time", s->field_north,
                  s->field_up, 100 * s->disturbed_share);
    }
    cli_print("\n%s\n",
              s->sensors_are_raw
                  ? "the sensors count as not calibrated: their errors are estimated, too"
                  : "the sensors count as calibrated: what is left of their errors is estimated, too");
    print_sensors(job);
    print_closures(job);
    print_refined(job);
    if (job->out != NULL) {
        cli_print("written: %s\n", job->out);
    }
    if (job->figure != NULL) {
        cli_print("figure: %s\n", job->figure);
    }
    return cli_print_done();
}
