/* SPDX-License-Identifier: MIT
 * What counts as a reading, and the time between two. */
#include "marlinspike/sample.h"
#include "device/math/exact.h"
#include "device/sensor/time_step.h"
#include <math.h>
#include <stddef.h>

static const char *const names[MARL_SENSOR_COUNT] = {"accel", "gyro", "mag"};
static const char *const units[MARL_SENSOR_COUNT] = {"m/s^2", "rad/s", "uT"};

/* Not the same as !(fabsf(x) <= limit): NaN and infinity are distinguished from merely too large. */
static marl_status check_value(float x, float limit)
{
    if (!isfinite(x)) {
        return MARL_ERR_NOT_FINITE;
    }
    return x <= limit && x >= -limit ? MARL_OK : MARL_ERR_IMPLAUSIBLE;
}

static marl_status check_vector(marl_vec3 v, float limit)
{
    marl_status x = check_value(v.x, limit);
    marl_status y = check_value(v.y, limit);
    marl_status z = check_value(v.z, limit);
    if (x != MARL_OK) {
        return x;
    }
    return y != MARL_OK ? y : z;
}

/* 1 when every fresh reading is certainly good, as nearly always: NaN and infinity fail every comparison. */
static int is_clean(const marl_sample *s)
{
    const float accel2 = s->accel.x * s->accel.x + s->accel.y * s->accel.y + s->accel.z * s->accel.z;
    const float gyro2 = s->gyro.x * s->gyro.x + s->gyro.y * s->gyro.y + s->gyro.z * s->gyro.z;
    const float mag2 = s->mag.x * s->mag.x + s->mag.y * s->mag.y + s->mag.z * s->mag.z;
    unsigned fresh = s->fresh;
    return (!(fresh & MARL_FRESH_ACCEL) || accel2 <= MARL_PLAUSIBLE_ACCEL * MARL_PLAUSIBLE_ACCEL) &&
           (!(fresh & MARL_FRESH_GYRO) || gyro2 <= MARL_PLAUSIBLE_GYRO * MARL_PLAUSIBLE_GYRO) &&
           (!(fresh & MARL_FRESH_MAG) || mag2 <= MARL_PLAUSIBLE_MAG * MARL_PLAUSIBLE_MAG) &&
           (!(fresh & MARL_FRESH_TEMP) || fabsf(s->temp) <= MARL_PLAUSIBLE_TEMP) && fresh < MARL_FRESH_SPEED;
}

marl_status marl_sample_check(marl_sample *sample, uint8_t *invalid)
{
    if (is_clean(sample)) {
        if (invalid != NULL) {
            *invalid = 0;
        }
        return MARL_OK;
    }
    const struct {
        uint8_t flag;
        marl_status found;
    } check[] = {
        {MARL_FRESH_ACCEL, check_vector(sample->accel, MARL_PLAUSIBLE_ACCEL)},
        {MARL_FRESH_GYRO, check_vector(sample->gyro, MARL_PLAUSIBLE_GYRO)},
        {MARL_FRESH_MAG, check_vector(sample->mag, MARL_PLAUSIBLE_MAG)},
        {MARL_FRESH_TEMP, check_value(sample->temp, MARL_PLAUSIBLE_TEMP)},
        {MARL_FRESH_SPEED, check_value(sample->speed, MARL_PLAUSIBLE_SPEED)},
    };
    marl_status first = MARL_OK;
    uint8_t gone = 0;
    for (size_t i = 0; i < sizeof check / sizeof check[0]; i++) {
        if ((sample->fresh & check[i].flag) && check[i].found != MARL_OK) {
            gone = (uint8_t)(gone | check[i].flag);
            first = first == MARL_OK ? check[i].found : first;
        }
    }
    sample->fresh = (uint8_t)(sample->fresh & ~gone);
    if (invalid != NULL) {
        *invalid = gone;
    }
    return first;
}

marl_status marl_time_step(int64_t from_ns, int64_t to_ns, float *seconds)
{
    return time_step(from_ns, to_ns, seconds);
}

const char *marl_sensor_name(marl_sensor sensor)
{
    return (unsigned)sensor < MARL_SENSOR_COUNT ? names[sensor] : "?";
}

const char *marl_sensor_unit(marl_sensor sensor)
{
    return (unsigned)sensor < MARL_SENSOR_COUNT ? units[sensor] : "?";
}
