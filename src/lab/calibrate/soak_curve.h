/* SPDX-License-Identifier: MIT
 * The curve through the means of a soak: its order, its errors, and what it does not explain. */
#ifndef LAB_SOAK_CURVE_H
#define LAB_SOAK_CURVE_H

#include "marlinspike/calibrate.h"

enum { LAB_SOAK_MAX_ORDER = 2 };

/* Temperatures as the fit uses them: x = (degC - reference) / scale, both known. */
typedef struct lab_soak_scale {
    double reference, scale;
} lab_soak_scale;

/* One axis of a soak. */
typedef struct lab_soak_axis {
    const marl_soak_result *of;
    int axis;
    lab_soak_scale by;
} lab_soak_axis;

/* One axis: value = term[0] + term[1] x + term[2] x^2, x as above. */
typedef struct lab_soak_curve {
    double term[LAB_SOAK_MAX_ORDER + 1], sigma[LAB_SOAK_MAX_ORDER + 1];
    double extra, extra_sigma; /* of what was asked for besides */
    double rms;                /* of what is left */
    double dof;                /* of the standard errors */
} lab_soak_curve;

/* What a fit may hold besides the curve: nothing; the cube of x; the slope of `known` times the temperature's
 * rate, whose coefficient is how long the thermometer lags, s. */
typedef enum lab_soak_extra { LAB_SOAK_PLAIN, LAB_SOAK_CUBE, LAB_SOAK_LAG } lab_soak_extra;

/* Least squares; standard errors from blocks of the recording, so that they hold for noise that is not white.
 * 0 where the terms cannot be separated. */
int lab_soak_fit(const lab_soak_axis *axis, int order, lab_soak_extra extra, lab_soak_curve *curve);

/* What a curve of the highest order misses at the ends of the range, where that is seen; else 0. */
double lab_soak_cube(const lab_soak_axis *axis);

/* Amplitude of the 1/f noise that twelfths of the recording show about the curve, by their Allan deviation.
 */
double lab_soak_wander(const lab_soak_axis *axis, const lab_soak_curve *curve);

/* The least order whose next term is seen on no axis. */
int lab_soak_order(const marl_soak_result *r, lab_soak_scale by);

/* degC/s at point i, by the straight line through its neighbours. */
double lab_soak_rate(const marl_soak_result *r, size_t i);

/* How long the thermometer lags, s, and its standard error, by all axes; infinite where it is not determined.
 */
double lab_soak_lag(const marl_soak_result *r, lab_soak_scale by, int order, double *sigma);

/* Deviations from zero that chance reaches once in some hundred soaks, with three axes. */
#define LAB_SOAK_SEEN 3.3

#endif
