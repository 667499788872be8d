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

void lab_moments_add_vector(lab_moments moments[3], marl_vec3 v)
{
    lab_moments_add(&moments[0], (double)v.x);
    lab_moments_add(&moments[1], (double)v.y);
    lab_moments_add(&moments[2], (double)v.z);
}
