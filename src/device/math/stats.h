/* SPDX-License-Identifier: MIT
 * Running mean and variance of vectors, one pass, caller-owned state. Method: "Note on a method for
 * calculating corrected sums of squares and products" (1962), with the mean's rounding carried
 * along, so that ten million floats do not stall it. */
#ifndef MARL_STATS_H
#define MARL_STATS_H

#include "device/math/exact.h"
#include "marlinspike/quat.h"

void marlp_stats_init(marl_stats *stats);
/* The value must be finite. */
void marlp_stats_add(marl_stats *stats, marl_vec3 value);
/* Unbiased (n - 1); zero for fewer than two values. */
marl_vec3 marlp_stats_variance(const marl_stats *stats);
marl_vec3 marlp_stats_deviation(const marl_stats *stats);

#endif
