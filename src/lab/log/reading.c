/* SPDX-License-Identifier: MIT
 * One sensor of a sample. */
#include "lab/log/reading.h"

const marl_vec3 *lab_reading(const marl_sample *sample, marl_sensor sensor)
{
    return sensor == MARL_ACCEL ? &sample->accel : sensor == MARL_GYRO ? &sample->gyro : &sample->mag;
}
