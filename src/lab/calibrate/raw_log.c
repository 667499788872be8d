/* SPDX-License-Identifier: MIT
 * The raw log that a calibration needs. */
#include "lab/calibrate/raw_log.h"
#include "lab/inspect/sensor_summary.h"
#include "marlinspike/calibrate.h"
#include "marlinspike/quat.h"
#include <stdio.h>

enum { MIN_READINGS = 50 }; /* fewer say nothing of a unit */

/* A scale can be off by a few per cent; what is off by twice and more is another unit. */
static marl_status check_unit(const marl_log *log, marl_error *error)
{
    const marl_axes unknown = {.gyro.verdict = MARL_AXES_ABSENT};
    marl_spans still = {0};
    MARL_TRY(marl_inspect_still(log, &still, error));
    marl_unit_suspicions units = marl_suspect_units(log, &still, &unknown);
    double share = units.gravity / MARL_STANDARD_GRAVITY;
    marl_spans_free(&still);
    if (units.accel[0] == '\0' || (share > 0.5 && share < 2)) {
        return MARL_OK;
    }
    return marl_fail(error, MARL_ERR_INPUT,
                     "%s:1: %s; name the unit in the header, as in accel_x[g], or by --columns", log->path,
                     units.accel);
}

/* Neither clipped nor stuck. */
static marl_status check_axis(const marl_log *log, const marl_sensor_summary *s, int k,
                              marl_calibrated *outcome, marl_error *error)
{
    const char *name = marl_sensor_name(outcome->sensor);
    if (s->clipped[k] > 0) {
        snprintf(outcome->next, sizeof outcome->next,
                 "choose a larger range for the %s, or keep away from what is too strong, and record again",
                 name);
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: %s_%c is clipped in %zu of %zu readings",
                         log->path, name, 'x' + k, s->clipped[k], s->readings);
    }
    if (s->deviation[k] <= 0 || (s->stuck[k] > 0 && 2 * s->stuck[k] > s->readings)) {
        snprintf(outcome->next, sizeof outcome->next,
                 "check the wiring and the sensor's settings, then record again");
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: %s_%c is stuck: it keeps one value", log->path,
                         name, 'x' + k);
    }
    return MARL_OK;
}

marl_status lab_calibration_log_check(const marl_log *log, marl_sensor sensor, marl_calibrated *outcome,
                                      marl_error *error)
{
    static const unsigned columns[MARL_SENSOR_COUNT] = {MARL_COLUMNS_ACCEL, MARL_COLUMNS_GYRO,
                                                        MARL_COLUMNS_MAG};
    const char *name = marl_sensor_name(sensor);
    marl_sensor_summary summary;
    *outcome = (marl_calibrated){.sensor = sensor, .fit = marl_fit_none(), .model = ""};
    if (log->info.corrected) {
        return marl_fail(error, MARL_ERR_INPUT, "%s:1: is corrected already; a calibration needs the raw log",
                         log->path);
    }
    snprintf(outcome->next, sizeof outcome->next, "record a log with %s_x, %s_y and %s_z", name, name, name);
    MARL_TRY(marl_log_require(&log->info, log->path, columns[sensor], error));
    MARL_TRY(lab_sensor_summarise(log, sensor, &summary, error));
    if (sensor == MARL_ACCEL && summary.readings >= MIN_READINGS) {
        MARL_TRY(check_unit(log, error));
    }
    for (int k = 0; k < 3; k++) {
        MARL_TRY(check_axis(log, &summary, k, outcome, error));
    }
    outcome->next[0] = '\0';
    return MARL_OK;
}
