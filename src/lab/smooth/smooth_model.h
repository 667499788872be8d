/* SPDX-License-Identifier: MIT
 * The model of the smoother: what an estimate is, where it starts, and how it goes on to the next knot. */
#ifndef LAB_SMOOTH_MODEL_H
#define LAB_SMOOTH_MODEL_H

#include "lab/smooth/smooth_parts.h"

#define LAB_SPEED_NOISE 0.6 /* sigma_v, m/s */

enum { SQUARE = STATES * STATES, DIAGONAL = STATES + 1 };

/* States and their covariance, by rows. */
typedef struct lab_estimate {
    double x[STATES], p[SQUARE];
} lab_estimate;

/* Before the first knot's measurements. */
void lab_smooth_begin(const lab_smoother *s, lab_estimate *e);
/* The transition to knot k: identity but for the turn and the velocity. */
void lab_smooth_transition(const lab_knot *k, double f[SQUARE]);
/* From the knot before to knot k, by its transition. */
void lab_smooth_predict(const lab_knot *before, const lab_knot *k, const double f[SQUARE], lab_estimate *e);

#endif
