/* SPDX-License-Identifier: MIT
 * The model of the smoother: what an estimate is, where it starts, how it goes on to the next knot, and what is
 * measured there.
 *
 * The model is linear in the constants, so that they need no place in the covariance of the filter: it runs with the
 * constants of the pass before and carries how each state changes with each constant. Their own estimate is the least
 * squares solution that all innovations of the pass give. The result is that of the filter with all of them as states
 * ("Treatment of bias in recursive filtering", 1969). A constant is counted in units of its prior standard deviation,
 * from its value in the pass before. */
#ifndef LAB_SMOOTH_MODEL_H
#define LAB_SMOOTH_MODEL_H

#include "lab/smooth/smooth_parts.h"

#define LAB_SPEED_NOISE 0.6 /* sigma_v, m/s */

enum { SQUARE = STATES * STATES, DIAGONAL = STATES + 1 };

/* States, their covariance by rows where the constants are known, and their change with each constant. */
typedef struct lab_estimate {
    double x[STATES], p[SQUARE], slope[STATES][CONSTANTS];
} lab_estimate;

/* The constants that are estimated: `used` of them, place[i] in the order of all. Their normal equations. */
typedef struct lab_constants {
    int used, place[CONSTANTS];
    double unit[CONSTANTS];                                  /* prior standard deviation of the used ones */
    double matrix[CONSTANTS * CONSTANTS], vector[CONSTANTS]; /* information; lower triangle, by rows */
    double deviance; /* innovation^2 / variance + share log variance */
} lab_constants;

/* The constants' prior. */
void lab_constants_begin(const lab_smoother *s, lab_constants *c);
/* Their estimate: deviations from the pass before in `value`; `matrix` becomes the lower triangle L of their
 * covariance L L', `deviance` J. 0 when they are not determined. */
int lab_constants_solve(lab_constants *c, double value[CONSTANTS]);

/* Before the first knot's measurements. */
void lab_smooth_begin(const lab_smoother *s, lab_estimate *e);
/* The transition to knot k: identity but for the turn and the velocity. */
void lab_smooth_transition(const lab_knot *k, double f[SQUARE]);
/* From the knot before to knot k, by its transition. */
void lab_smooth_predict(const lab_smoother *s, const lab_constants *c, const lab_knot *before,
                        const lab_knot *k, const double f[SQUARE], lab_estimate *e);
/* All measurements of knot k. */
void lab_smooth_measure(const lab_smoother *s, const lab_knot *before, const lab_knot *k, lab_estimate *e,
                        lab_constants *c);
/* What the constant at `place` adds to the mean force of a block along an axis of the world, for one unit of it. */
double lab_smooth_force_by(const lab_knot *k, int place, int axis);
/* Variance of the turn that the gyroscope misses on the way to knot k, rad^2, per axis. */
double lab_smooth_turn_variance(const lab_smoother *s, const lab_knot *k);

#endif
