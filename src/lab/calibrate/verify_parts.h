/* SPDX-License-Identifier: MIT
 * What the verification of the sensors shares. */
#ifndef LAB_VERIFY_PARTS_H
#define LAB_VERIFY_PARTS_H

#include "marlinspike/calibrate.h"

/* Independent values of what is common to a recording: a bias has three. */
#define COMMON_DOF 3.0

/* Mean squares that are expected, with the number of independent values behind each. */
typedef struct lab_expected {
    double noise, noise_n;   /* of every reading or pose */
    double common, common_n; /* of the calibration and of what wanders: the same for all */
} lab_expected;

double lab_verify_length(const double v[3]);
/* Uncertainty of a corrected length by the standard errors of the calibration, rms over directions. Poses
 * that left the misalignment open have scales with an error and elements without. */
double lab_verify_own_error(const marl_fit *fit, double field);
/* Holds the found against the limit that noise exceeds once in a hundred; a sum of two by its effective
 * degrees of freedom ("An approximate distribution of estimates of variance components", 1946). */
void lab_verify_decide(marl_verified *v, double squares, const lab_expected *e);

/* The magnetometer's part. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_verify_mag(const marl_calibration_record *record, const marl_log *log,
                                        marl_verification *all, marl_error *error);

#endif
