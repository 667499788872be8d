/* SPDX-License-Identifier: MIT
 * Proof of a calibration by a recording that it has not seen. */
#ifndef MARLINSPIKE_VERIFY_H
#define MARLINSPIKE_VERIFY_H

#include "marlinspike/calibration.h"
#include "marlinspike/error.h"
#include "marlinspike/log.h"

#ifdef __cplusplus
extern "C" {
#endif

/* One sensor of a calibration against a recording that it has not seen. */
typedef struct marl_verified {
    int present; /* the calibration and the recording have it, and there was something to see */
    int holds;
    double found_rms;    /* m/s^2, rad/s, uT */
    double expected_rms; /* by the noise and by the standard errors of the calibration */
    double limit;        /* of found_rms: noise alone exceeds it once in a hundred recordings */
    double would_show;   /* the error of one axis's bias that would have reached the limit; NaN where no
                            size would along some axis */
    size_t n;            /* poses, rests, readings */
} marl_verified;

typedef struct marl_verification {
    int holds; /* all that were seen; 0 when there was nothing */
    marl_verified sensor[MARL_SENSOR_COUNT];
    double dip_deg, dip_deviation; /* of the corrected field at rest or slow motion, degrees; NaN without */
    /* The magnetometer's bias that is left, uT, by the lengths over directions, and the size that this
     * recording would have shown; NaN where its directions do not determine it. */
    double mag_bias[3], mag_bias_limit[3];
    /* The gyroscope's bias that is left at rest, rad/s. Within 0.05 deg/s it is drift, which every filter
     * follows, and no failed calibration; `drifted`: it is more than this recording's noise. NaN without
     * rest. */
    double gyro_drift[3];
    int drifted;
    /* The element of the gyroscope's matrix that moves between rests contradict most, in its standard errors,
     * and by how much; NaN where they do not determine the matrix. */
    double gyro_matrix_off, gyro_matrix_z;
    int outside; /* readings at temperatures beyond the curve's range were met */
} marl_verification;

/* 1 when the log has temperatures beyond the range of a curve of the calibration, by more than half a degree:
 * there the correction holds the curve's end value. */
int marl_temperature_outside(const marl_calibration_record *record, const marl_log *log);

/* Accelerometer: lengths in still poses against `gravity`, m/s^2. Gyroscope: mean rates at rest, and its
 * matrix where moves between rests determine it. Magnetometer: the spread of corrected lengths about the
 * field, and the bias along each axis that they show. MARL_ERR_INPUT when the recording is corrected,
 * MARL_ERR_INSUFFICIENT when nothing can be verified by it.
 */
MARL_CHECKED marl_status marl_verify(const marl_calibration_record *record, const marl_log *log,
                                     double gravity, marl_verification *verification, marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
