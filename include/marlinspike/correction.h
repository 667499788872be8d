/* SPDX-License-Identifier: MIT
 * Correction of raw readings by a calibration:
 *   corrected = matrix * (raw - bias(T)),
 *   bias(T) = bias + per_degC (T - T0) + per_degC2 (T - T0)^2,
 * T held at the ends of the range in which the curve was found. Then the mount turns the corrected
 * vectors from the sensor's frame into the body's. */
#ifndef MARLINSPIKE_CORRECTION_H
#define MARLINSPIKE_CORRECTION_H

#include "marlinspike/quat.h"
#include "marlinspike/sample.h"

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_bias_curve {
    float reference_degC;      /* T0 */
    float low_degC, high_degC; /* recorded range; outside it the end value is held */
    marl_vec3 per_degC;        /* sensor unit / degC */
    marl_vec3 per_degC2;       /* sensor unit / degC^2 */
} marl_bias_curve;

typedef struct marl_correction {
    int present; /* 0: readings of this sensor pass unchanged */
    marl_mat3 matrix;
    marl_vec3 bias; /* in the sensor's unit, at T0 when there is a curve */
    int has_curve;
    marl_bias_curve curve;
} marl_correction;

typedef struct marl_calibration {
    marl_correction accel, gyro, mag;
    int has_mount;   /* 0: the sensors' frame is the body's */
    marl_quat mount; /* turns sensor vectors into body vectors: v_body = q v_sensor q* */
} marl_calibration;

/* A calibration that changes nothing. */
marl_calibration marl_calibration_none(void);

/* Could this have been meant? MARL_ERR_ARGUMENT when a number is not finite, an entry of the matrix is beyond
 * MARL_MATRIX_MAX, the matrix changes a volume by more than a factor of 1,000, or the curve's range is
 * upside down. A correction that is not present is fine. */
#define MARL_MATRIX_MAX 100.0f
MARL_CHECKED marl_status marl_correction_check(const marl_correction *correction);

/* The same for all three and the mount, whose length may be off by 5e-4; it is made 1. Desk and device put
 * every calibration that they read through this. */
MARL_CHECKED marl_status marl_calibration_check(marl_calibration *calibration);

/* The bias at temperature `degC`; NaN means unknown and is taken as T0. */
marl_vec3 marl_correction_bias(const marl_correction *correction, float degC);

marl_vec3 marl_correction_apply(const marl_correction *correction, marl_vec3 raw, float degC);

/* Corrects the fresh readings of *sample in place; they stay in the sensors' frame. `degC` is the last known
 * temperature or NaN. */
void marl_calibration_correct(const marl_calibration *calibration, float degC, marl_sample *sample);
/* Turns the fresh readings from the sensors' frame into the body's. */
void marl_calibration_mount(const marl_calibration *calibration, marl_sample *sample);

/* Correction of a stream of samples: the check of raw readings, the temperature that holds, the correction.
 */
typedef struct marl_corrector {
    marl_calibration calibration;
    float degC; /* last known temperature, NaN before the first */
} marl_corrector;

void marl_corrector_init(marl_corrector *corrector, const marl_calibration *calibration);

/* Corrects a raw sample in place, in the sensors' frame (marl_calibration_mount turns it into the body's).
 * Invalid readings (marl_sample_check) are not fresh any more; returns their MARL_FRESH_... flags. */
uint8_t marl_corrector_step(marl_corrector *corrector, marl_sample *sample);

#ifdef __cplusplus
}
#endif
#endif
