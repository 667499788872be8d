/* SPDX-License-Identifier: MIT
 * What is wrong with sensors: readings that come some rows late, a gyroscope that reads forces. */
#ifndef SENSOR_FAULTS_H
#define SENSOR_FAULTS_H

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

/* Adds to the rate by_force times the force, rad/s per m/s^2, by rows. */
static inline void read_force(marl_sample *s, const double by_force[9])
{
    float *rate[] = {&s->gyro.x, &s->gyro.y, &s->gyro.z};
    for (int i = 0; i < 3; i++) {
        const double *row = by_force + 3 * i;
        *rate[i] +=
            (float)(row[0] * (double)s->accel.x + row[1] * (double)s->accel.y + row[2] * (double)s->accel.z);
    }
}

#endif
