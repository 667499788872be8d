/* SPDX-License-Identifier: MIT
 * Readings that mislead every filter of a study: axes that are clipped or stuck, a hard iron that none corrects, a speed along
 * another axis. */
#include "lab/study/study_case.h"
#include "marlinspike/replay.h"

/* A magnetometer that neither the log nor the calibration says to be calibrated, and a gyroscope that shows it. */
static int has_raw_mag(const marl_study *study, const marl_log *log)
{
    const marl_calibration_record *record = study->options.record;
    const uint8_t both = MARL_FRESH_MAG | MARL_FRESH_GYRO;
    return (marl_replay_sensors(&log->info) & both) == both &&
           !(marl_replay_corrected(&log->info) & MARL_FRESH_MAG) &&
           (record == NULL || !record->fit[MARL_MAG].present);
}

static void warn_of_speed(marl_study *study, const marl_log *log)
{
    const marl_calibration_record *record = study->options.record;
    const marl_quat mount = record != NULL && record->has_mount ? marl_calibration_for_device(record).mount
                                                                : marl_quat_identity();
    const marl_speed_axis axis = marl_speed_axis_find(log, mount);
    marl_speed_axis_warn(&study->warnings, log->path, &axis);
}

marl_status lab_study_warn_readings(marl_study *study, const marl_study_case *it, marl_error *error)
{
    marl_axes axes;
    MARL_TRY(marl_axis_faults_warn(&study->warnings, &it->log, error));
    MARL_TRY(marl_row_times_warn(&study->warnings, &it->log, error));
    warn_of_speed(study, &it->log);
    if (!has_raw_mag(study, &it->log)) {
        return MARL_OK;
    }
    MARL_TRY(marl_axes_find(&it->log, &axes, error));
    return marl_hard_iron_warn(&study->warnings, &it->log, &axes, error);
}
