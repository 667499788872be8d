/* SPDX-License-Identifier: MIT
 * Which axis of one sensor is which of another, found from motion. A direction fixed in the world, seen from
 * a body that turns at the rate w, changes by -w x direction: gravity in the accelerometer does so for the
 * right arrangement of the gyroscope's axes, and the Earth's field for the right one of the magnetometer's.
 */
#ifndef MARLINSPIKE_AXES_H
#define MARLINSPIKE_AXES_H

#include "marlinspike/error.h"
#include "marlinspike/log.h"

#ifdef __cplusplus
extern "C" {
#endif

/* A signed permutation: the accelerometer's axis i is the sensor's axis |axis[i]| (1 = x), with its sign. */
typedef struct marl_arrangement {
    int axis[3];
} marl_arrangement;

int marl_arrangement_is_plain(const marl_arrangement *arrangement); /* x = +x, y = +y, z = +z */
/* "x = -y, y = +x, z = +z" */
void marl_arrangement_text(const marl_arrangement *arrangement, char text[32]);

typedef enum marl_axes_verdict {
    MARL_AXES_ABSENT,    /* a sensor is not there */
    MARL_AXES_UNDECIDED, /* this motion does not determine it */
    MARL_AXES_DECIDED
} marl_axes_verdict;

typedef struct marl_axes_fit {
    marl_axes_verdict verdict;
    marl_arrangement best;
    double residual, next; /* share of the change that is left unexplained, by the best and the next best */
    double scale;          /* gyroscope only: its rate must be multiplied by this */
    int sign_decided; /* magnetometer only: the motion determines it up to its sign, the dip determines the
                         sign */
} marl_axes_fit;

typedef struct marl_axes {
    marl_axes_fit gyro, mag;
    double dip_deg; /* of the field by the arrangement found, below the horizon; NaN when it was not */
} marl_axes;

/* With the accelerometer as the reference: 48 arrangements of the gyroscope, with its scale and bias free;
 * 24 of the magnetometer up to their sign, with its offset free. The sign is the one that makes the field
 * point down, as it does in the northern hemisphere, unless the dip is under 10 degrees. Needs turning
 * about two axes at least; the same for a mirrored accelerometer axis as for a turned gyroscope: only a
 * known attitude distinguishes them. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_axes_find(const marl_log *log, marl_axes *axes, marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
