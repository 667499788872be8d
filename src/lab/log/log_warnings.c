/* SPDX-License-Identifier: MIT
 * What a log's reader repaired or left out, in words. */
#include "marlinspike/log.h"
#include <math.h>

enum { CLUMPS = 10 }; /* of so many rows one stands still, and more: no accident */

static void warn_of_dead_axes(marl_warnings *w, const marl_log_report *r, const char *path)
{
    unsigned dead = marl_log_dead_axes(r);
    for (int i = 0; i < 9; i++) {
        if (dead & (1u << i)) {
            marl_warn(w, "dead-axis",
                      "%s: %s_%c reads %g in all rows while the sensor moves: not connected, or broken", path,
                      marl_sensor_name((marl_sensor)(i / 3)), "xyz"[i % 3], (double)r -> axis_low[i]);
        }
    }
}

static void warn_of_held(marl_warnings *w, const marl_log_report *r, const char *path)
{
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_repeats *of = &r->repeats[i];
        const char *name = marl_sensor_name((marl_sensor)i);
        if (marl_log_is_held(r, (marl_sensor)i)) {
            marl_warn(
                w, "duplicate",
                "%s: %s repeats its reading before in %lu of %lu rows, and to a filter each is a new one: "
                "leave such cells empty, or write 'changed' behind its columns in --columns",
                path, name, of->all, of->readings);
        }
    }
}

static void warn_of_coarse_steps(marl_warnings *w, const marl_log_report *r, const char *path)
{
    static const char *const why =
        "a wide range of the chip, or digits lost on the way; attitudes suffer, and no "
        "filter's standard deviation counts it";
    double accel = marl_log_coarse_step(r, MARL_ACCEL), gyro = marl_log_coarse_step(r, MARL_GYRO);
    double mag = marl_log_coarse_step(r, MARL_MAG);
    if (accel > 0) {
        marl_warn(w, "coarse-steps", "%s: accel reads in steps of %.2g m/s^2, or %.1f deg of tilt: %s", path,
                  accel, atan(accel / 9.80665) * 57.29577951308232, why);
    }
    if (gyro > 0) {
        marl_warn(w, "coarse-steps", "%s: gyro reads in steps of %.2g rad/s, or %.2g deg/s: %s", path, gyro,
                  gyro * 57.29577951308232, why);
    }
    if (mag > 0) {
        marl_warn(w, "coarse-steps", "%s: mag reads in steps of %.2g uT: %s", path, mag, why);
    }
}

void marl_log_warn(marl_warnings *w, const marl_log_report *r, const char *path)
{
    if (r->assumed_units[0] != '\0') {
        marl_warn(w, "units-assumed", "%s:1: no unit given, assumed: %s", path, r->assumed_units);
    }
    if (r->unknown_columns[0] != '\0') {
        marl_warn(w, "unknown-column", "%s:1: columns not known and ignored: %s", path, r->unknown_columns);
    }
    if (r->rows_dropped > 0) {
        marl_warn(w, "bad-rows", "%s:%ld: %s; %lu of %lu rows dropped", path, r->first_dropped_line,
                  r->first_dropped_why, r->rows_dropped, r->rows + r->rows_dropped);
    }
    if (r->nuls_at_end > 0) {
        marl_warn(w, "nul-tail", "%s: %lu NUL bytes at its end, as a power cut leaves them; left out", path,
                  r->nuls_at_end);
    }
    if (r->time_repeated > 0) {
        marl_warn(w, "time-repeat", "%s: time stands still in %lu rows%s", path, r->time_repeated,
                  CLUMPS * r->time_repeated > r->rows
                      ? ": rows in clumps of one time? inspect --even-times -o LOG keeps them"
                      : "");
    }
    if (r->time_back > 0) {
        marl_warn(w, "time-back", "%s: time goes back in %lu rows", path, r->time_back);
    }
    if (r->cells_missing > 0) {
        marl_warn(w, "bad-cells", "%s:%ld: no usable number; %lu such cells count as missing", path,
                  r->first_missing_line, r->cells_missing);
    }
    if (r->lost > 0) {
        marl_warn(w, "no-attitude",
                  "%s:%ld: the quaternion is 0, which is no attitude; %lu such rows hold none", path,
                  r->first_lost_line, r->lost);
    }
    if (r->restarts > 0) {
        marl_warn(
            w, "restarted",
            "%s: restarts of the board: %lu, the first after %.1f s (was its power cut?); its rows go on "
            "2 s later each time",
            path, r->restarts, 1e-9 * (double)r->first_restart_ns);
    }
    if (r->clock_wraps > 0) {
        marl_warn(w, "clock-wrap",
                  "%s: the clock (microseconds in 32 bits, or a time of day) wrapped %lu times; unwrapped",
                  path, r->clock_wraps);
    }
    warn_of_dead_axes(w, r, path);
    warn_of_held(w, r, path);
    warn_of_coarse_steps(w, r, path);
}
