/* SPDX-License-Identifier: MIT
 * One moment's readings. Sensors run at different rates, so each reading has a "fresh" flag. */
#ifndef MARLINSPIKE_SAMPLE_H
#define MARLINSPIKE_SAMPLE_H

#include "marlinspike/status.h"
#include "marlinspike/vec.h"
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef enum marl_sensor { MARL_ACCEL = 0, MARL_GYRO, MARL_MAG, MARL_SENSOR_COUNT } marl_sensor;

const char *marl_sensor_name(marl_sensor sensor); /* "accel", "gyro", "mag" */
const char *marl_sensor_unit(marl_sensor sensor); /* "m/s^2", "rad/s", "uT" */

/* The first three are 1 << marl_sensor. */
enum {
    MARL_FRESH_ACCEL = 1,
    MARL_FRESH_GYRO = 2,
    MARL_FRESH_MAG = 4,
    MARL_FRESH_TEMP = 8,
    MARL_FRESH_SPEED = 16
};

typedef struct marl_sample {
    int64_t t_ns;    /* monotonic time in ns; any origin */
    marl_vec3 accel; /* specific force, m/s^2: at rest with z up, +9.80665 on z */
    marl_vec3 gyro;  /* angular rate, rad/s */
    marl_vec3 mag;   /* magnetic flux density, uT */
    float temp;      /* degC */
    float speed;     /* along body x, m/s */
    uint8_t fresh;   /* MARL_FRESH_...: which of these are readings; the others are ignored */
} marl_sample;

/* Readings larger than these are invalid, as NaN is. */
#define MARL_PLAUSIBLE_ACCEL 2000.0f /* m/s^2 */
#define MARL_PLAUSIBLE_GYRO 100.0f   /* rad/s */
#define MARL_PLAUSIBLE_MAG 20000.0f  /* uT */
#define MARL_PLAUSIBLE_TEMP 300.0f   /* degC, either sign */
#define MARL_PLAUSIBLE_SPEED 1000.0f /* m/s */

/* Clears the fresh flag of each reading that is not finite or larger than plausible, and sets *invalid
 * (may be NULL) to the flags that were cleared. Returns the first reason, or MARL_OK. */
MARL_CHECKED marl_status marl_sample_check(marl_sample *sample, uint8_t *invalid);

/* Seconds from one stamp to a later one, in *seconds. Differences only, and no 64-bit float
 * conversion, so that no double arithmetic is linked on small parts. MARL_ERR_TIME when `to` is not
 * later than `from`, MARL_ERR_GAP when the difference exceeds 2147 s; *seconds is then 0. */
MARL_CHECKED marl_status marl_time_step(int64_t from_ns, int64_t to_ns, float *seconds);

#ifdef __cplusplus
}
#endif
#endif
