/* SPDX-License-Identifier: MIT
 * Replay through the device code. */
#include "marlinspike/replay.h"
#include "marlinspike/digest.h"
#include <math.h>

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

marl_status marl_replay_init(marl_replay *replay, const marl_tuning *tuning,
                             const marl_calibration_record *record, const char *record_path,
                             const marl_log_info *info, const char *log_path, marl_error *error)
{
    marl_tuning used = *tuning;
    *replay = (marl_replay){.degC = NAN, .calibration = marl_calibration_none()};
    marl_status status = check_calibration(record, record_path, info, log_path, error);
    if (status == MARL_OK) {
        status = marl_log_require(info, log_path, needed_columns(tuning->filter), error);
    }
    if (status != MARL_OK) {
        return status;
    }
    if (record != NULL) {
        replay->calibration = marl_calibration_for_device(record);
    }
    if ((info->columns & MARL_COLUMNS_MAG) != MARL_COLUMNS_MAG) {
        used.value[MARL_PARAMETER_USE_MAG] = 0.0f;
    }
    if (marl_estimator_init(&replay->estimator, &used) != MARL_OK) {
        return marl_fail(error, MARL_ERR_USE, "%s: a parameter is out of its range",
                         marl_filter_name(tuning->filter));
    }
    return MARL_OK;
}

int marl_replay_step(marl_replay *replay, const marl_sample *sample, marl_quat *q)
{
    marl_sample s = *sample;
    if (s.fresh & MARL_FRESH_TEMP) {
        replay->degC = s.temp;
    }
    marl_calibration_apply(&replay->calibration, replay->degC, &s);
    marl_status status = marl_estimator_update(&replay->estimator, &s);
    if (status == MARL_ERR_TIME || marl_estimator_attitude(&replay->estimator, q) != MARL_OK) {
        return 0;
    }
    replay->digest = marl_digest_add(replay->digest, s.t_ns, *q);
    replay->attitudes++;
    return 1;
}
