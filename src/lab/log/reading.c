/* SPDX-License-Identifier: MIT
 * One sensor of a sample, one row of a log. */
#include "lab/log/reading.h"

const marl_vec3 *lab_reading(const marl_sample *sample, marl_sensor sensor)
{
    return sensor == MARL_ACCEL ? &sample->accel : sensor == MARL_GYRO ? &sample->gyro : &sample->mag;
}

double lab_log_seconds(const marl_log *log)
{
    return log->n > 1 ? 1e-9 * (double)(log->row[log->n - 1].sample.t_ns - log->row[0].sample.t_ns) : 0;
}

marl_log lab_log_first(const marl_log *log, double seconds)
{
    marl_log part = *log;
    part.n = log->n > 0 ? lab_row_at(log, log->row[0].sample.t_ns + (int64_t)(seconds * 1e9) + 1) : 0;
    return part;
}

marl_log lab_log_piece(const marl_log *log, size_t first)
{
    marl_log piece = *log;
    size_t end = first + 1;
    while (end < log->n && log->row[end].sample.t_ns - log->row[end - 1].sample.t_ns <= LAB_BREAK_NS) {
        end++;
    }
    piece.row += first;
    piece.n = end - first;
    return piece;
}

marl_log lab_longest_piece(const marl_log *log)
{
    if (log->n == 0) {
        return *log;
    }
    marl_log longest = lab_log_piece(log, 0);
    for (size_t first = longest.n; first < log->n;) {
        marl_log piece = lab_log_piece(log, first);
        longest = lab_log_seconds(&piece) > lab_log_seconds(&longest) ? piece : longest;
        first += piece.n;
    }
    return longest;
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
