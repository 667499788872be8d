/* SPDX-License-Identifier: MIT
 * Keys of the bodies of stream items; docs/schema/stream.cddl has the same. */
#ifndef MARL_TELEMETRY_KEYS_H
#define MARL_TELEMETRY_KEYS_H

enum { KEY_T = 1, KEY_ACCEL, KEY_GYRO, KEY_MAG, KEY_TEMP, KEY_SPEED, KEY_Q };     /* sample */
enum { KEY_DEVICE = 2, KEY_FIRMWARE, KEY_SENSORS, KEY_PERIOD };                   /* identity */
enum { KEY_ANSWERED = 1, KEY_OUTCOME, KEY_TEXT };                                 /* answer */
enum { KEY_PART = 2, KEY_BUS, KEY_ADDRESS, KEY_FAULT, KEY_COUNTS, KEY_IDENTITY }; /* notice */
enum { KEY_FOR = 1, KEY_CAL_ACCEL, KEY_CAL_GYRO, KEY_CAL_MAG, KEY_MOUNT };        /* calibration */
enum { KEY_BIAS = 1, KEY_MATRIX, KEY_CURVE, KEY_PER_DEGC, KEY_PER_DEGC2 };        /* one sensor of it */
enum { KEY_KIND = 1, KEY_LENGTH, KEY_PATIENCE, KEY_POSES, KEY_WANTED };           /* calibrate */
enum {
    KEY_RENEWAL_KIND = 2,
    KEY_STAGE,
    KEY_REASON,
    KEY_COVERAGE,
    KEY_POINTS,
    KEY_MISSING,
    KEY_FOUND,
    KEY_CHANGE,
    KEY_BIAS_SIGMA,
    KEY_NUMBERS /* largest standard error of the matrix, residual, length */
};              /* renewal */
enum { KEY_FILTER = 1, KEY_WORLD, KEY_PARAMETERS }; /* tuning */

#endif
