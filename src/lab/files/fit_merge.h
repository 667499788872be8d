/* SPDX-License-Identifier: MIT
 * A sensor's fit: into what is known of it, and out to the device. */
#ifndef LAB_FIT_MERGE_H
#define LAB_FIT_MERGE_H

#include "marlinspike/files.h"

/* What the device uses of one sensor's fit. */
marl_correction lab_correction_of(const marl_fit *fit);

/* What one recording adds to what is known of a sensor. */
typedef enum lab_fit_part {
    LAB_FIT_BIAS,            /* still */
    LAB_FIT_BIAS_AND_MATRIX, /* poses, tumble, turns */
    LAB_FIT_CURVE,           /* soak of the accelerometer: its change alone */
    LAB_FIT_BIAS_AND_CURVE   /* soak of the gyroscope */
} lab_fit_part;

/* Takes that part of `found` into `known`, which keeps the rest. A bias is moved along the temperature curve
 * to its reference, from the temperature at which it was found. */
void lab_fit_merge(marl_fit *known, const marl_fit *found, lab_fit_part part);

#endif
