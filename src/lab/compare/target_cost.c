/* SPDX-License-Identifier: MIT
 * What an update costs on the target. */
#include "marlinspike/compare.h"

/* As ./run arm counts them; tests/project/check_arm.sh fails where a row is off by more than 2 %. */
static const marl_target_cost costs[MARL_FILTER_COUNT] = {
    [MARL_FILTER_GYRO] = {249, 446, 0},           [MARL_FILTER_VECTORS] = {333, 445, 0},
    [MARL_FILTER_COMPLEMENTARY] = {450, 1304, 0}, [MARL_FILTER_GRADIENT_DESCENT] = {454, 1345, 0},
    [MARL_FILTER_KALMAN] = {790, 4950, 0},
};
enum { PIPELINE_BYTES = 1424 };

marl_target_cost marl_target_cost_of(marl_filter filter)
{
    marl_target_cost cost = costs[(unsigned)filter < MARL_FILTER_COUNT ? filter : MARL_FILTER_KALMAN];
    cost.bytes = PIPELINE_BYTES;
    return cost;
}
