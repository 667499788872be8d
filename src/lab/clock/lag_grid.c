/* SPDX-License-Identifier: MIT
 * Two recordings on even grids, at every lag. */
#include "lab/clock/lag_grid.h"

#define MIN_OVERLAP_S 10.0

lab_lag_grid lab_lag_grid_of(size_t na, size_t nb, double step_s)
{
    size_t least = (size_t)(MIN_OVERLAP_S / step_s), half = (na < nb ? na : nb) / 2;
    return (lab_lag_grid){na, nb, na + nb - 1, half > least ? half : least, step_s};
}

long lab_lag_of(const lab_lag_grid *g, size_t i)
{
    return (long)i - (long)(g->nb - 1);
}

lab_overlap lab_overlap_at(const lab_lag_grid *g, size_t i)
{
    long lag = lab_lag_of(g, i);
    lab_overlap o = {lag > 0 ? (size_t)lag : 0, lag < 0 ? (size_t)-lag : 0, 0};
    size_t left_a = g->na - o.in_a, left_b = g->nb - o.in_b;
    o.n = left_a < left_b ? left_a : left_b;
    return o;
}

size_t lab_longest_fit(const lab_lag_grid *g, const double *share, double enough, lab_lag_range without,
                       size_t from)
{
    size_t longest = from;
    for (size_t i = 1; i + 1 < g->lags; i++) {
        int is_left_out = i >= without.low && i <= without.high;
        int fits = share[i] >= enough && share[i] >= share[i - 1] && share[i] >= share[i + 1];
        if (fits && !is_left_out && lab_overlap_at(g, i).n > lab_overlap_at(g, longest).n) {
            longest = i;
        }
    }
    return longest;
}
