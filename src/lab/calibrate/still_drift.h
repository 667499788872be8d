/* SPDX-License-Identifier: MIT
 * Does the bias run away while the board rests? */
#ifndef LAB_STILL_DRIFT_H
#define LAB_STILL_DRIFT_H

#include <stddef.h>

/* Sums of a straight line through the means of blocks, by least squares: the three axes and the temperature. */
enum { LAB_DRIFT_VALUES = 4, LAB_DRIFT_TEMP = 3 };
typedef struct lab_still_drift {
    double n[LAB_DRIFT_VALUES], t[LAB_DRIFT_VALUES], tt[LAB_DRIFT_VALUES];
    double v[LAB_DRIFT_VALUES], tv[LAB_DRIFT_VALUES], vv[LAB_DRIFT_VALUES];
} lab_still_drift;

/* A block around time t, s; NaN: it has no such value. */
void lab_still_drift_add(lab_still_drift *drift, double t, const double value[LAB_DRIFT_VALUES]);

/* The slope of value k a second and its standard error, from the scatter of the blocks about the line; both 0 below
 * eight blocks. */
double lab_still_drift_slope(const lab_still_drift *drift, int k, double *sigma);

#endif
