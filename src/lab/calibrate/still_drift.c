/* SPDX-License-Identifier: MIT
 * A straight line through the means of blocks. */
#include "lab/calibrate/still_drift.h"
#include <math.h>

#define MIN_BLOCKS 8

void lab_still_drift_add(lab_still_drift *drift, double t, const double value[LAB_DRIFT_VALUES])
{
    for (int k = 0; k < LAB_DRIFT_VALUES; k++) {
        if (isfinite(value[k])) {
            drift->n[k] += 1;
            drift->t[k] += t;
            drift->tt[k] += t * t;
            drift->v[k] += value[k];
            drift->tv[k] += t * value[k];
            drift->vv[k] += value[k] * value[k];
        }
    }
}

double lab_still_drift_slope(const lab_still_drift *drift, int k, double *sigma)
{
    double n = drift->n[k];
    *sigma = 0;
    if (n < MIN_BLOCKS) {
        return 0;
    }
    double tt = drift->tt[k] - drift->t[k] * drift->t[k] / n;
    double tv = drift->tv[k] - drift->t[k] * drift->v[k] / n;
    double vv = drift->vv[k] - drift->v[k] * drift->v[k] / n;
    if (!(tt > 0)) {
        return 0;
    }
    double slope = tv / tt;
    *sigma = sqrt(fmax(vv - slope * tv, 0) / (n - 2) / tt);
    return slope;
}
