/* SPDX-License-Identifier: MIT
 * Running mean and variance. */
#include "device/math/stats.h"
#include "device/math/vec_quat.h"

void marlp_stats_init(marl_stats *stats)
{
    *stats = (marl_stats){0};
}

void marlp_stats_add(marl_stats *stats, marl_vec3 value)
{
    stats->n++;
    marl_vec3 from_old = vec3_sub(value, stats->mean);
    float share = 1.0f / (float)stats->n;
    marl_vec3 step = vec3_add(vec3_scale(from_old, share), stats->carry);
    marl_vec3 mean = vec3_add(stats->mean, step);
    stats->carry = vec3_sub(step, vec3_sub(mean, stats->mean));
    stats->mean = mean;
    marl_vec3 from_new = vec3_sub(value, mean);
    marl_vec3 square = {from_old.x * from_new.x, from_old.y * from_new.y, from_old.z * from_new.z};
    stats->sum_square = vec3_add(stats->sum_square, square);
}

marl_vec3 marlp_stats_variance(const marl_stats *stats)
{
    if (stats->n < 2) {
        return (marl_vec3){0.0f, 0.0f, 0.0f};
    }
    marl_vec3 v = vec3_scale(stats->sum_square, 1.0f / (float)(stats->n - 1));
    return (marl_vec3){float_max(v.x, 0.0f), float_max(v.y, 0.0f), float_max(v.z, 0.0f)};
}

marl_vec3 marlp_stats_deviation(const marl_stats *stats)
{
    marl_vec3 v = marlp_stats_variance(stats);
    return (marl_vec3){float_root(v.x), float_root(v.y), float_root(v.z)};
}
