/* SPDX-License-Identifier: MIT
 * Measures of a comparison beside the errors themselves; NaN where the recording does not determine them. */
#ifndef LAB_MEASURES_H
#define LAB_MEASURES_H

#include "marlinspike/compare.h"

/* Sums of squared errors, rad^2, for whoever needs no more of them: the angles are those of marl_error_between. */
typedef struct lab_error_square {
    double total, tilt, heading;
    size_t n, headings;
} lab_error_square;
/* `parts`: 0 or LAB_SQUARES_OF_PARTS, for tilt and heading, too. */
enum { LAB_SQUARES_OF_PARTS = 1 };
void lab_error_squares(marl_quat estimate, marl_quat reference, unsigned parts, lab_error_square *sum);

double lab_settle_s(const marl_comparison *comparison);
double lab_lost_s(const marl_comparison *comparison);
double lab_drift_deg_per_h(const marl_comparison *comparison);
/* MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_find_jitter_deg(const marl_series *estimate, const marl_spans *still,
                                             double *jitter, marl_error *error);
MARL_CHECKED marl_status lab_find_lag_ms(const marl_series *estimate, const marl_series *reference,
                                         double *lag, marl_error *error);

#endif
