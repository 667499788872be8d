/* SPDX-License-Identifier: MIT
 * Two recordings on even grids, at every lag of the one against the other: what overlaps, and which lags fit.
 */
#ifndef LAB_LAG_GRID_H
#define LAB_LAG_GRID_H

#include <stddef.h>

/* Below this share of the turning (or change) that is explained the offset is not determined. */
#define LAB_MIN_SHARE 0.3
/* The lags that fit about as well as the best may lie so far apart, s. */
#define LAB_WIDEST_S 2.0

/* Lag number i = 0 .. lags - 1 puts place k of the second at place k + i - (nb - 1) of the first. */
typedef struct lab_lag_grid {
    size_t na, nb, lags; /* places of the first and of the second, and lags */
    size_t min;          /* the least overlap that counts: half of the shorter, and 10 s */
    double step_s;
} lab_lag_grid;

lab_lag_grid lab_lag_grid_of(size_t na, size_t nb, double step_s);

/* Where the overlap begins in each and how long it is. */
typedef struct lab_overlap {
    size_t in_a, in_b, n;
} lab_overlap;

lab_overlap lab_overlap_at(const lab_lag_grid *grid, size_t i);

/* Places by which the first is ahead: -(nb - 1) .. na - 1. */
long lab_lag_of(const lab_lag_grid *grid, size_t i);

/* Lags that are not looked at: low .. high, none when low > high. */
typedef struct lab_lag_range {
    size_t low, high;
} lab_lag_range;

/* Of the peaks with at least the share `enough`, and of `from` itself, the one where both have most in
 * common. */
size_t lab_longest_fit(const lab_lag_grid *grid, const double *share, double enough, lab_lag_range without,
                       size_t from);

#endif
