/* SPDX-License-Identifier: MIT
 * The ellipsoid fit without the readings that do not belong. */
#include "lab/calibrate/ellipsoid.h"
#include "lab/maths/statistics.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define MAX_DEVIATIONS 3.5   /* deviations, two readings in a row */
#define CHANCE 0.01          /* that one of all readings of a clean recording is left out */
#define FLANK_DEVIATIONS 1.0 /* deviations, the mean of REACH neighbours */
enum { ROUNDS = 12, REACH = 3 };

/* Deviation of the distances from the median of their sizes, whatever a few of them do. */
static double usual_distance(const double *off, const unsigned char *skip, size_t n, double *scratch)
{
    size_t used = 0;
    for (size_t i = 0; i < n; i++) {
        if (skip == NULL || !skip[i]) {
            scratch[used++] = fabs(off[i]);
        }
    }
    return used > 0 ? 1.4826022 * lab_quantile(scratch, used, 0.5) : 0;
}

static double mean_off(const double *off, size_t n, size_t at)
{
    size_t from = at >= REACH / 2 ? at - REACH / 2 : 0, to = at + REACH / 2 < n ? at + REACH / 2 + 1 : n;
    double sum = 0;
    for (size_t i = from; i < to; i++) {
        sum += off[i];
    }
    return sum / (double)(to - from);
}

/* A reading alone is left out where chance hardly makes one so far off among so many. Two consecutive outliers mark a
 * passing disturbance; its flanks are outliers too. */
static void mark(const double *off, size_t n, double usual, unsigned char *skip)
{
    double near = MAX_DEVIATIONS * usual,
           far = fmax(near, lab_normal_deviation(0.5 * CHANCE / (double)n) * usual);
    for (size_t i = 0; i < n; i++) {
        int beside = (i > 0 && fabs(off[i - 1]) > near) || (i + 1 < n && fabs(off[i + 1]) > near);
        skip[i] = fabs(off[i]) > (beside ? near : far);
    }
    for (size_t i = 1; i + 1 < n; i++) { /* forwards */
        int run = i > 1 && skip[i - 1] && (skip[i - 2] || skip[i]);
        skip[i] |= run && fabs(mean_off(off, n, i)) > FLANK_DEVIATIONS * usual;
    }
    for (size_t i = n; i-- > 1;) { /* and back */
        int run = i + 1 < n && skip[i] && (skip[i + 1] || skip[i - 1]);
        skip[i - 1] |= run && fabs(mean_off(off, n, i - 1)) > FLANK_DEVIATIONS * usual;
    }
}

marl_status lab_ellipsoid_fit_robust(const lab_points *points, lab_ellipsoid_model model, unsigned char *skip,
                                     lab_ellipsoid *fit, marl_error *error)
{
    const double(*x)[3] = points->x;
    size_t n = points->n;
    const lab_points kept = {x, n, skip};
    double *off = malloc((2 * n + 1) * sizeof *off);
    unsigned char *before = calloc(n + 1, 1);
    marl_status status = MARL_OK;
    if (off == NULL || before == NULL) {
        free(off);
        free(before);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    memset(skip, 0, n);
    for (int round = 0; round < ROUNDS && status == MARL_OK; round++) {
        status = lab_ellipsoid_fit(&kept, model, fit, error);
        if (status != MARL_OK) {
            break;
        }
        for (size_t i = 0; i < n; i++) {
            off[i] = lab_ellipsoid_distance(fit, x[i]);
        }
        memcpy(before, skip, n);
        mark(off, n, usual_distance(off, round > 0 ? skip : NULL, n, off + n), skip);
        if (memcmp(before, skip, n) == 0) {
            break;
        }
    }
    free(off);
    free(before);
    return status;
}
