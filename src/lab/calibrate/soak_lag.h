/* SPDX-License-Identifier: MIT
 * A thermometer that lags behind the part that it is for. */
#ifndef LAB_SOAK_LAG_H
#define LAB_SOAK_LAG_H

#include "lab/calibrate/soak_curve.h"

/* The lag of first order, s, at which curves of the highest order leave least, and its standard error,
 * infinite where the recording cannot tell. The points stay as they are. 0 without memory. */
int lab_soak_find_lag(marl_soak_result *r, lab_soak_scale by, double *lag_s, double *sigma_s);

/* Makes the points' temperatures those of the part: reading + lag times rate. 0 without memory. */
int lab_soak_advance(marl_soak_result *r, double lag_s);

#endif
