/* SPDX-License-Identifier: MIT
 * Replay through the device code. */
#include "marlinspike/replay.h"
#include <stdlib.h>

enum { VECTORS = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG };

static unsigned needed_columns(marl_filter filter)
{
    return filter == MARL_FILTER_VECTORS ? MARL_COLUMNS_ACCEL : MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO;
}

static marl_status check_calibration(const marl_calibration_record *record, const char *record_path,
                                     const marl_log_info *info, const char *log_path, marl_error *error)
{
    if (record == NULL) {
        return MARL_OK;
    }
    if (info->corrected) {
        return marl_fail(error, MARL_ERR_INPUT, "%s:1: is corrected already; leave --calibration out",
                         log_path);
    }
    return marl_device_match(info->device, log_path, record->device, record_path, error);
}

uint8_t marl_replay_sensors(const marl_log_info *info)
{
    unsigned columns = info->columns;
    int accel = (columns & MARL_COLUMNS_ACCEL) == MARL_COLUMNS_ACCEL;
    int gyro = (columns & MARL_COLUMNS_GYRO) == MARL_COLUMNS_GYRO;
    int mag = (columns & MARL_COLUMNS_MAG) == MARL_COLUMNS_MAG;
    return (uint8_t)((accel ? MARL_FRESH_ACCEL : 0) | (gyro ? MARL_FRESH_GYRO : 0) |
                     (mag ? MARL_FRESH_MAG : 0));
}

uint8_t marl_replay_corrected(const marl_log_info *info)
{
    return info->corrected ? (uint8_t)((VECTORS & ~info->raw) | (info->raw & MARL_GYRO_SCALE_OPEN)) : 0;
}

void marl_replay_warn(marl_warnings *warnings, const marl_calibration_record *record,
                      const marl_log_info *info, const char *log_path)
{
    static const char *const name[MARL_SENSOR_COUNT] = {
        [MARL_ACCEL] = "accelerometer", [MARL_GYRO] = "gyroscope", [MARL_MAG] = "magnetometer"};
    static const uint8_t fresh[MARL_SENSOR_COUNT] = {
        [MARL_ACCEL] = MARL_FRESH_ACCEL, [MARL_GYRO] = MARL_FRESH_GYRO, [MARL_MAG] = MARL_FRESH_MAG};
    /* of the last of them, which is the worst */
    static const char *const stays[MARL_SENSOR_COUNT] = {
        [MARL_ACCEL] = "errors of tilt stay, 0.6 degrees for each 0.1 m/s^2 of its offset",
        [MARL_GYRO] = "errors of some degrees stay",
        [MARL_MAG] = "errors of some degrees stay, of heading up to 12 for 5 uT of hard iron"};
    const char *what = "";
    char raw[80] = "";
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if ((marl_replay_sensors(info) & fresh[i] & ~marl_replay_corrected(info)) &&
            (record == NULL || !record->fit[i].present)) {
            marl_list_append(raw, sizeof raw, name[i]);
            what = stays[i];
        }
    }
    if (raw[0] != '\0') {
        marl_warn(
            warnings, "raw",
            "%s: not calibrated: %s. The filters assume consumer parts as they come; %s. %s, --calibrated "
            "says that it is done",
            log_path, raw, what,
            info->corrected ? "'correct' with a calibration of all sensors helps"
                            : "--calibration corrects (smooth --into makes one of most motions)");
    }
}

marl_status marl_replay_config(marl_pipeline_config *config, const marl_tuning *tuning,
                               const marl_calibration_record *record, const char *record_path,
                               const marl_log_info *info, const char *log_path, marl_error *error)
{
    MARL_TRY(check_calibration(record, record_path, info, log_path, error));
    MARL_TRY(marl_log_require(info, log_path, needed_columns(tuning->filter), error));
    *config = (marl_pipeline_config){.tuning = *tuning,
                                     .calibration = record != NULL ? marl_calibration_for_device(record)
                                                                   : marl_calibration_none(),
                                     .sensors = marl_replay_sensors(info),
                                     .corrected = marl_replay_corrected(info)};
    return MARL_OK;
}

marl_status marl_replay_init(marl_pipeline *pipeline, const marl_tuning *tuning,
                             const marl_calibration_record *record, const char *record_path,
                             const marl_log_info *info, const char *log_path, marl_error *error)
{
    marl_pipeline_config config;
    MARL_TRY(marl_replay_config(&config, tuning, record, record_path, info, log_path, error));
    if (marl_pipeline_init(pipeline, &config) != MARL_OK) {
        return marl_fail(error, MARL_ERR_USE, "%s: a parameter is out of its range",
                         marl_filter_name(tuning->filter));
    }
    return MARL_OK;
}

marl_status marl_replay_start(marl_pipeline *pipeline, marl_quat q, marl_error *error)
{
    if (marl_estimator_tuning(&pipeline->estimator)->world == MARL_WORLD_NED) {
        q = marl_frame_swap_world(q);
    }
    if (marl_estimator_set_attitude(&pipeline->estimator, q) != MARL_OK) {
        return marl_fail(error, MARL_ERR_USE, "the attitude to start with is no rotation");
    }
    return MARL_OK;
}

marl_status marl_replay_log(marl_pipeline *pipeline, const marl_log *log, const marl_tuning *tuning,
                            const marl_replay_options *options, marl_series *estimate, marl_error *error)
{
    marl_tuning used = *tuning;
    marl_row_replay rows = {
        .pipeline = pipeline, .log = log, .watch = options->watch, .watch_context = options->watch_context};
    used.world = MARL_WORLD_ENU;
    *estimate = (marl_series){0, NULL};
    MARL_TRY(marl_replay_init(pipeline, &used, options->record, options->record_path, &log->info, log->path,
                              error));
    MARL_TRY(options->start != NULL ? marl_replay_start(pipeline, *options->start, error) : MARL_OK);
    MARL_TRY(marl_row_replay_begin(&rows, &options->degradation, error));
    (void)marl_row_replay_advance(&rows, log->n);
    *estimate = rows.estimate;
    if (estimate->n == 0) {
        marl_series_free(estimate);
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: no attitude: no good accelerometer reading to start from", log->path);
    }
    return MARL_OK;
}
