/* SPDX-License-Identifier: MIT
 * One sensor of a sample, one row of a log. */
#include "lab/log/reading.h"

const marl_vec3 *lab_reading(const marl_sample *sample, marl_sensor sensor)
{
    return sensor == MARL_ACCEL ? &sample->accel : sensor == MARL_GYRO ? &sample->gyro : &sample->mag;
}

size_t lab_row_at(const marl_log *log, int64_t t_ns)
{
    size_t low = 0, high = log->n;
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (log->row[middle].sample.t_ns < t_ns) {
            low = middle + 1;
        } else {
            high = middle;
        }
    }
    return low;
}
