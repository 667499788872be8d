/* SPDX-License-Identifier: MIT
 * Products of two sets of series, shifted against each other. */
#ifndef LAB_CORRELATE_H
#define LAB_CORRELATE_H

#include "marlinspike/error.h"
#include <stddef.h>

/* Several series of the same length. */
typedef struct lab_series_set {
    size_t count, n;
    const double *const *series;
} lab_series_set;

/* For each series of a with each of b, at every lag from -(nb - 1) to na - 1, the sum of a[k + lag] b[k] over
 * their overlap: count_a * count_b rows of na + nb - 1 sums, b's series running faster, to be freed by the
 * caller. Good to about six digits of the largest. */
MARL_CHECKED marl_status lab_cross_sums(const lab_series_set *a, const lab_series_set *b, float **sums,
                                        marl_error *error);

/* Where the greatest of the finite values in [from, to) stands; SIZE_MAX when there is none. */
size_t lab_greatest(const double *value, size_t from, size_t to);

/* A shift is right only if any other leaves so many times as much unexplained. */
#define LAB_RIVAL 1.12

/* The shifts around the best that fit about as well, and the best of all others. */
typedef struct lab_peak {
    size_t best, low,
        high;     /* low to high: R^2 leaves at most `rival` times as much unexplained as the best */
    size_t other; /* beyond them, SIZE_MAX when there is none */
    int alone;    /* the others leave more than that */
} lab_peak;

/* Of R^2 at each shift, NaN where there is none; `best` must be finite. */
lab_peak lab_peak_of(const double *share, size_t n, size_t best, double rival);

/* Where a peak lies between its neighbours, by the parabola through the three: -0.5 to 0.5. */
double lab_peak_place(double before, double at, double after);

#endif
