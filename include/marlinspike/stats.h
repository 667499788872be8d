/* SPDX-License-Identifier: MIT
 * Running mean and variance of vectors, one pass, caller-owned state. Method: "Note on a method for
 * calculating corrected sums of squares and products" (1962), with the mean's rounding carried
 * along, so that ten million floats do not stall it. */
#ifndef MARLINSPIKE_STATS_H
#define MARLINSPIKE_STATS_H

#include "marlinspike/vec.h"
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_stats {
    uint32_t n;
    marl_vec3 mean;
    marl_vec3 carry;      /* what rounding took from the mean */
    marl_vec3 sum_square; /* of deviations from the mean */
} marl_stats;

void marl_stats_init(marl_stats *stats);
/* The value must be finite. */
void marl_stats_add(marl_stats *stats, marl_vec3 value);
/* Unbiased (n - 1); zero for fewer than two values. */
marl_vec3 marl_stats_variance(const marl_stats *stats);
marl_vec3 marl_stats_deviation(const marl_stats *stats);

#ifdef __cplusplus
}
#endif
#endif
