/* SPDX-License-Identifier: MIT
 * Simulated logs of calibrated sensors, and how far a smoothed log is from their truth. */
#ifndef CALIBRATED_LOG_H
#define CALIBRATED_LOG_H

#include "marlinspike/lab.h"
#include "memory_log.h"
#include <math.h>

/* A sensor of which calibration has left little; the rest is as in the sheet. */
static inline marl_sheet calibrated_sheet(void)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_sensor_sheet *sensor[] = {&sheet.accel, &sheet.gyro, &sheet.mag};
    for (int i = 0; i < 3; i++) {
        for (int k = 0; k < 3; k++) {
            sensor[i]->bias[k] = i == 1 ? 0.005 : i == 0 ? 0.01 : 0.15;
            sensor[i]->scale_error[k] = 0;
            sensor[i]->bias_per_degC[k] = 0;
            memset(sensor[i]->cross_axis, 0, sizeof sensor[i]->cross_axis);
        }
        sensor[i]->bias_spread = 0;
    }
    return sheet;
}

static inline marl_log corrected_log(marl_scene_kind scene, double seconds, uint64_t seed)
{
    marl_sheet sheet = calibrated_sheet();
    marl_log log = memory_log_simulated(scene, &sheet, 100, seconds, seed);
    log.info.corrected = 1;
    return log;
}

/* rms error, deg, and squared error over stated variance of tilt and heading. */
static inline void errors_of(const marl_log *log, const marl_smoothed *s, double *rms, double *tilt,
                             double *heading)
{
    *rms = *tilt = *heading = 0;
    for (size_t i = 0; i < s->n; i++) {
        marl_error_angles e = marl_error_between(s->row[i].q, log->row[i].q);
        *rms += e.total_deg * e.total_deg / (double)s->n;
        *tilt += pow(e.tilt_deg * MARL_DEGREE / (double)s->row[i].sigma_tilt, 2) / (double)s->n;
        *heading += pow(e.heading_deg * MARL_DEGREE / (double)s->row[i].sigma_heading, 2) / (double)s->n;
    }
    *rms = sqrt(*rms);
}

#endif
