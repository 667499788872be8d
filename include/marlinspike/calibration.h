/* SPDX-License-Identifier: MIT
 * Calibrations as JSON (docs/formats.md): what the fits found, how sure they are, and for which
 * device. Numbers are double here, so that reading and writing lose nothing. */
#ifndef MARLINSPIKE_CALIBRATION_H
#define MARLINSPIKE_CALIBRATION_H

#include "marlinspike/correction.h"
#include "marlinspike/error.h"

#ifdef __cplusplus
extern "C" {
#endif

/* NaN in a sigma = the data cannot determine it (null in JSON); NaN elsewhere = not given. */
typedef struct marl_fit {
    int present;
    double bias[3], matrix[3][3];
    int has_sigma;
    double bias_sigma[3], matrix_sigma[3][3];
    int has_curve;
    double reference_degC, range_degC[2], bias_per_degC[3], bias_per_degC2[3];
    double points, residual_rms, coverage, temperature_degC;
    double field, dip_deg; /* magnetometer only: uT, degrees */
} marl_fit;

typedef struct marl_calibration_record {
    char device[64]; /* "" = not given */
    char made[32];   /* UTC, as 2026-11-23T08:00:00Z; "" = not given */
    marl_fit fit[MARL_SENSOR_COUNT];
    int has_mount;
    double mount[4];
    double declination_deg; /* NaN = not given */
} marl_calibration_record;

/* Nothing calibrated. */
marl_calibration_record marl_calibration_record_empty(void);
/* A fit that changes nothing, with everything else not given. */
marl_fit marl_fit_none(void);

/* A corrected reading in double, without the mount: matrix * (raw - bias(T)). degC NaN = at the reference. */
void marl_fit_apply(const marl_fit *fit, const double raw[3], double degC, double corrected[3]);

/* What one recording adds to what is known of a sensor. */
typedef enum marl_fit_part {
    MARL_FIT_BIAS,            /* still */
    MARL_FIT_BIAS_AND_MATRIX, /* poses, tumble, turns */
    MARL_FIT_CURVE,           /* soak of the accelerometer: its change alone */
    MARL_FIT_BIAS_AND_CURVE   /* soak of the gyroscope */
} marl_fit_part;

/* Takes that part of `found` into `known`, which keeps the rest. A bias is moved along the temperature curve
 * to its reference, from the temperature at which it was found. */
void marl_fit_merge(marl_fit *known, const marl_fit *found, marl_fit_part part);

/* MARL_ERR_INPUT names file, line and key. */
MARL_CHECKED marl_status marl_calibration_read(marl_calibration_record *record, const char *path,
                                               marl_error *error);
MARL_CHECKED marl_status marl_calibration_write(const marl_calibration_record *record, const char *path,
                                                marl_error *error);
/* The JSON text, to be freed by the caller; NULL without memory. */
char *marl_calibration_text(const marl_calibration_record *record);

/* What the device uses of one sensor's fit, and of all. */
marl_correction marl_correction_for_device(const marl_fit *fit);
marl_calibration marl_calibration_for_device(const marl_calibration_record *record);

/* MARL_ERR_INPUT when both names are given and differ. */
MARL_CHECKED marl_status marl_device_match(const char *device_a, const char *path_a, const char *device_b,
                                           const char *path_b, marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
