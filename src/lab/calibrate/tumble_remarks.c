/* SPDX-License-Identifier: MIT
 * What a tumble shows beyond the surface, in its standard errors and in words. */
#include "lab/calibrate/tumble_parts.h"
#include "lab/maths/linear.h"
#include <math.h>
#include <stdio.h>

#define DRIFT_SEEN 4.0    /* standard errors */
#define MIN_DRIFT 0.005   /* of the field: a third of a degree of heading */
#define DRIFT_ACROSS 0.25 /* of the drift, on the other axes: not every direction is seen at every time */
#define DIP_OF_PLACE                                                                                         \
    3.0 /* lengths show one of three directions, and not the mean of the field of the steel */
#define MAX_DIP_SPREAD 15.0 /* degrees; hands that tumble a pod stay under 10 */

/* A hard iron that moves leaves the fit in the middle of its way. */
static void remark_drift(marl_tumble_result *t)
{
    marl_fit *fit = &t->outcome.fit;
    for (int k = 0; k < 3; k++) {
        if (fabs(t->drift[k]) > DRIFT_SEEN * t->drift_sigma[k] &&
            fabs(t->drift[k]) > MIN_DRIFT * fit->field) {
            snprintf(
                t->outcome.remark, sizeof t->outcome.remark,
                "the hard iron drifts during the recording, by %+.2f, %+.2f, %+.2f uT: the way to its ends "
                "is in the standard errors. A warm-up or a magnet nearby may do that",
                t->drift[0], t->drift[1], t->drift[2]);
            double all = sqrt(lab_dot3(t->drift, t->drift));
            t->dip_sigma_deg = hypot(t->dip_sigma_deg, DRIFT_ACROSS * all / fit->field / MARL_DEGREE);
            for (int j = 0; j < 3; j++) {
                fit->bias_sigma[j] =
                    hypot(fit->bias_sigma[j], hypot(t->drift_farthest[j], DRIFT_ACROSS * all));
            }
            return;
        }
    }
}

/* What changes with the place goes into the surface as far as it changes with the attitude, too: the rest, which is seen,
 * is the measure of that. It widens the errors by its estimate, `place`, also where chance could make as much. */
static void widen_by_place(double place, marl_tumble_result *t)
{
    marl_fit *fit = &t->outcome.fit;
    double share = place / fit->field;
    t->dip_sigma_deg = hypot(t->dip_sigma_deg, DIP_OF_PLACE * share / MARL_DEGREE);
    for (int k = 0; k < 9; k++) {
        fit->matrix_sigma[k / 3][k % 3] = hypot(fit->matrix_sigma[k / 3][k % 3], share);
    }
    for (int k = 0; k < 3; k++) {
        fit->bias_sigma[k] = hypot(fit->bias_sigma[k], place);
    }
    if (t->place_rms > 0 && t->outcome.remark[0] == '\0') {
        snprintf(t->outcome.remark, sizeof t->outcome.remark,
                 "the field changes along the way of the hand, by %.2f uT rms beside the noise: steel stands "
                 "near. That is in the standard errors; a tumble farther away is better",
                 t->place_rms);
    }
}

/* The field keeps its angle to gravity in all attitudes, unless the two sensors' axes differ. */
void lab_tumble_remark_axes(marl_tumble_result *t)
{
    if (t->dip_spread_deg > MAX_DIP_SPREAD) {
        snprintf(
            t->outcome.remark, sizeof t->outcome.remark,
            "the field's angle to gravity differs by %.0f degrees rms from attitude to attitude: the axes of "
            "magnetometer and accelerometer disagree, or the hand was hasty; 'calibrate axes' decides, and "
            "no dip is stated",
            t->dip_spread_deg);
        t->outcome.fit.dip_deg = t->dip_sigma_deg = NAN;
    }
}

static void remark_moved(marl_tumble_result *t)
{
    if (t->moved.to_ns > t->moved.from_ns) {
        snprintf(t->outcome.remark, sizeof t->outcome.remark,
                 "from %.1f to %.1f s the hard iron is another, by %+.2f, %+.2f, %+.2f uT: that part is left "
                 "out. Something of iron moved on the pod, or a current changed",
                 (double)t->moved.from_ns * 1e-9, (double)t->moved.to_ns * 1e-9, t->moved_by[0],
                 t->moved_by[1], t->moved_by[2]);
    }
}

void lab_tumble_remark_changes(double place, marl_tumble_result *t)
{
    remark_drift(t);
    widen_by_place(place, t);
    remark_moved(t);
}
