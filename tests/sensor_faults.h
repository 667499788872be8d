/* SPDX-License-Identifier: MIT
 * What is wrong with sensors: readings that come some rows late or spoilt, a gyroscope that reads forces. */
#ifndef SENSOR_FAULTS_H
#define SENSOR_FAULTS_H

#include "marlinspike/log.h"
#include "random_values.h"

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

/* Spoils a new reading as a bus does that fails: a wild number in an axis, in all of them, or nothing but zeros. 0 where
 * there is none. */
static inline int spoil_reading(marl_sample *s, int sensor, dice *d)
{
    static const double full_scale[] = {78, 8.7, 400};
    marl_vec3 *v = sensor == MARL_ACCEL ? &s->accel : sensor == MARL_GYRO ? &s->gyro : &s->mag;
    float *const axis[] = {&v->x, &v->y, &v->z};
    uint32_t kind = dice_below(d, 4), only = dice_below(d, 3);
    if (!(s->fresh & (1u << sensor))) {
        return 0;
    }
    for (uint32_t k = 0; k < 3; k++) {
        float wild = (float)(full_scale[sensor] * dice_between(d, -1, 1));
        *axis[k] = kind == 0 ? 0 : kind == 1 || k == only ? wild : *axis[k];
    }
    return 1;
}

/* Readings in steps of so much, SI; 0: as they are. */
static inline void round_readings(marl_sample *s, const float step[MARL_SENSOR_COUNT])
{
    marl_vec3 *const reading[] = {&s->accel, &s->gyro, &s->mag};
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        marl_vec3 *v = reading[i];
        float u = step[i];
        *v = u > 0 ? (marl_vec3){u * roundf(v->x / u), u * roundf(v->y / u), u * roundf(v->z / u)} : *v;
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
