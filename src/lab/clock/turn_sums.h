/* SPDX-License-Identifier: MIT
 * How much of a response the rate of another recording explains, at one shift of their clocks. */
#ifndef LAB_TURN_SUMS_H
#define LAB_TURN_SUMS_H

#include "lab/clock/clock_rates.h"

/* Sums over the overlap. Normal equations of the fit y = s (u - b) x Bw, with B an arrangement of axes, scale
 * s and, where it may be, the constant b free. */
typedef struct lab_turn_sums {
    double second[LAB_PAIRS][LAB_SECOND_ORDER]; /* of regressor.square[i] response.second[j] */
    double first[3][LAB_FIRST_ORDER];           /* of regressor.rate[i] response.first[j] */
    double length;                              /* of response.length */
} lab_turn_sums;

/* Adds place i of the regressor with place k of the response. */
void lab_turn_sums_add(lab_turn_sums *sums, const lab_regressor *a, size_t i, const lab_response *b,
                       size_t k);
/* R^2 under the best arrangement, 0 to 1; NaN when nothing happens. */
double lab_turn_share(const lab_turn_sums *sums, int may_be_off);

#endif
