/* SPDX-License-Identifier: MIT
 * Readings of one sensor that come some rows late. */
#ifndef LATE_H
#define LATE_H

#include "marlinspike/log.h"

/* `to` gets the sensor's reading of `from`, if there is a new one. */
static inline void late_reading(marl_sample *to, const marl_sample *from, int sensor)
{
    const unsigned bit = 1u << sensor;
    to->accel = sensor == MARL_ACCEL ? from->accel : to->accel;
    to->gyro = sensor == MARL_GYRO ? from->gyro : to->gyro;
    to->mag = sensor == MARL_MAG ? from->mag : to->mag;
    to->fresh = (uint8_t)((to->fresh & ~bit) | (from->fresh & bit));
}

/* Readings of so many rows before; the first rows have none. */
static inline void late_log(marl_log *log, int sensor, size_t rows)
{
    for (size_t i = log->n; i-- > rows;) {
        late_reading(&log->row[i].sample, &log->row[i - rows].sample, sensor);
    }
    for (size_t i = 0; i < rows && i < log->n; i++) {
        log->row[i].sample.fresh = (uint8_t)(log->row[i].sample.fresh & ~(1u << sensor));
    }
}

#endif
