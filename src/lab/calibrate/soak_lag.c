/* SPDX-License-Identifier: MIT
 * The lag of a thermometer, by search. */
#include "lab/calibrate/soak_lag.h"
#include <math.h>
#include <stdlib.h>

#define LONGEST_S 120.0
#define STEP_S 5.0
#define FINE_S 0.5

/* Readings and rates as they were recorded. */
typedef struct recorded {
    double *degC, *rate;
} recorded;

static int keep(recorded *k, const marl_soak_result *r)
{
    k->degC = calloc(2 * r->n + 1, sizeof *k->degC);
    if (k->degC == NULL) {
        return 0;
    }
    k->rate = k->degC + r->n;
    for (size_t i = 0; i < r->n; i++) {
        k->degC[i] = r->point[i].degC;
        k->rate[i] = lab_soak_rate(r, i);
    }
    return 1;
}

static void advance(marl_soak_result *r, const recorded *k, double lag_s)
{
    for (size_t i = 0; i < r->n; i++) {
        r->point[i].degC = k->degC[i] + lag_s * k->rate[i];
    }
}

int lab_soak_advance(marl_soak_result *r, double lag_s)
{
    recorded k;
    if (!keep(&k, r)) {
        return 0;
    }
    advance(r, &k, lag_s);
    free(k.degC);
    return 1;
}

/* Squares that curves of the highest order leave on all axes. */
static double left_at(marl_soak_result *r, const recorded *k, lab_soak_scale by, double lag_s)
{
    double squares = 0;
    advance(r, k, lag_s);
    for (int axis = 0; axis < 3; axis++) {
        lab_soak_curve c;
        squares += lab_soak_fit(&(lab_soak_axis){r, axis, by}, LAB_SOAK_MAX_ORDER, LAB_SOAK_PLAIN, &c)
                       ? c.rms * c.rms
                       : INFINITY;
    }
    return squares;
}

static double least_between(marl_soak_result *r, const recorded *k, lab_soak_scale by, const double range[3])
{
    double best = range[0], least = INFINITY;
    int steps = (int)lround((range[1] - range[0]) / range[2]);
    for (int i = 0; i <= steps; i++) {
        double lag = range[0] + i * range[2];
        double left = left_at(r, k, by, lag);
        best = left < least ? lag : best;
        least = left < least ? left : least;
    }
    return best;
}

int lab_soak_find_lag(marl_soak_result *r, lab_soak_scale by, double *lag_s, double *sigma_s)
{
    recorded k;
    if (!keep(&k, r)) {
        return 0;
    }
    const double coarse[3] = {-LONGEST_S, LONGEST_S, STEP_S};
    double best = least_between(r, &k, by, coarse);
    const double fine[3] = {best - STEP_S, best + STEP_S, FINE_S};
    best = least_between(r, &k, by, fine);
    advance(r, &k, best);
    (void)lab_soak_lag(r, by, LAB_SOAK_MAX_ORDER, sigma_s); /* what is seen beside the best, for its error */
    *lag_s = best;
    *sigma_s = fabs(best) < LONGEST_S ? *sigma_s : INFINITY;
    advance(r, &k, 0);
    free(k.degC);
    return 1;
}
