/* SPDX-License-Identifier: MIT
 * Running mean and variance. */
#include "marlinspike/stats.h"
#include "lane_quat.h"

void marl_stats_init(marl_stats *stats)
{
    *stats = (marl_stats){0};
}

void marl_stats_add(marl_stats *stats, marl_vec3 value)
{
    stats->n++;
    marl_vec3 from_old = lane3_sub(value, stats->mean);
    float share = 1.0f / (float)stats->n;
    marl_vec3 step = lane3_add(lane3_scale(from_old, share), stats->carry);
    marl_vec3 mean = lane3_add(stats->mean, step);
    stats->carry = lane3_sub(step, lane3_sub(mean, stats->mean));
    stats->mean = mean;
    marl_vec3 from_new = lane3_sub(value, mean);
    marl_vec3 square = {from_old.x * from_new.x, from_old.y * from_new.y, from_old.z * from_new.z};
    stats->sum_square = lane3_add(stats->sum_square, square);
}

marl_vec3 marl_stats_variance(const marl_stats *stats)
{
    if (stats->n < 2) {
        return (marl_vec3){0.0f, 0.0f, 0.0f};
    }
    marl_vec3 v = lane3_scale(stats->sum_square, 1.0f / (float)(stats->n - 1));
    return (marl_vec3){lane_most(v.x, 0.0f), lane_most(v.y, 0.0f), lane_most(v.z, 0.0f)};
}

marl_vec3 marl_stats_deviation(const marl_stats *stats)
{
    marl_vec3 v = marl_stats_variance(stats);
    return (marl_vec3){lane_root(v.x), lane_root(v.y), lane_root(v.z)};
}
