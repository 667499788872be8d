/* SPDX-License-Identifier: MIT
 * Attitudes of an estimate and of its reference at the same times. */
#ifndef LAB_MATCH_PAIRS_H
#define LAB_MATCH_PAIRS_H

#include "marlinspike/compare.h"

/* Both attitudes at the same times. */
typedef struct lab_pairs {
    size_t n;
    marl_attitude *estimate;
    marl_quat *reference;
} lab_pairs;

/* Of at most 20000 attitudes. MARL_ERR_INSUFFICIENT under 10 s in common, MARL_ERR_SYSTEM without memory; to
 * be freed in any case. */
MARL_CHECKED marl_status lab_pairs_make(const marl_series *estimate, const marl_series *reference,
                                        lab_pairs *pairs, marl_error *error);
void lab_pairs_free(lab_pairs *pairs);
/* The same without the first 5 s, in which an estimate settles, where there are 30 s; shares the memory. */
lab_pairs lab_pairs_settled(const lab_pairs *pairs);
/* The attitude that lies nearest to all: of the largest eigenvalue of the sums of their squares ("Averaging
 * quaternions", 2007). `sums` is the upper triangle, row by row, and is spoilt. */
marl_quat lab_main_attitude(double sums[16]);
/* The world-side rotation that lies nearest to all pairs, for this body-side rotation. */
marl_quat lab_pairs_mean_world(const lab_pairs *pairs, marl_quat body);
/* The body-side rotation that brings the body turns of the reference over the estimate's, whatever the worlds ("Closed-form
 * solution of absolute orientation using unit quaternions", 1987). */
marl_quat lab_pairs_first_body(const lab_pairs *pairs);

#endif
