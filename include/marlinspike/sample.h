/* SPDX-License-Identifier: MIT
 * A sample, its check, its correction and the detection of rest. marl_pipeline (estimator.h) makes all of
 * these calls in the right order; by hand the order is
 *
 *   marl_corrector_init(&corrector, &calibration);
 *   marl_corrector_step(&corrector, &sample);         check, temperature, correction: sensors' frame
 *   marl_still_update(&still, &sample);               is the board at rest?
 *   marl_calibration_mount(&calibration, &sample);    the body's frame */
#ifndef MARLINSPIKE_SAMPLE_H
#define MARLINSPIKE_SAMPLE_H

#include "marlinspike/quat.h"
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* ---- sample ---- */

/* One moment's readings. Sensors run at different rates, so each reading has a "fresh" flag. */

typedef enum marl_sensor { MARL_ACCEL = 0, MARL_GYRO, MARL_MAG, MARL_SENSOR_COUNT } marl_sensor;

const char *marl_sensor_name(marl_sensor sensor); /* "accel", "gyro", "mag" */
const char *marl_sensor_unit(marl_sensor sensor); /* "m/s^2", "rad/s", "uT" */

/* The first three are 1 << marl_sensor. */
enum {
    MARL_FRESH_ACCEL = 1,
    MARL_FRESH_GYRO = 2,
    MARL_FRESH_MAG = 4,
    MARL_FRESH_TEMP = 8,
    MARL_FRESH_SPEED = 16
};

typedef struct marl_sample {
    int64_t t_ns;    /* monotonic time in ns; any origin */
    marl_vec3 accel; /* specific force, m/s^2: at rest with z up, +9.80665 on z */
    marl_vec3 gyro;  /* angular rate, rad/s */
    marl_vec3 mag;   /* magnetic flux density, uT */
    float temp;      /* degC */
    float speed;     /* along body x, m/s */
    uint8_t fresh;   /* MARL_FRESH_...: which of these are readings; the others are ignored */
} marl_sample;

/* Readings larger than these are invalid, as NaN is. */
#define MARL_PLAUSIBLE_ACCEL 2000.0f /* m/s^2 */
#define MARL_PLAUSIBLE_GYRO 100.0f   /* rad/s */
#define MARL_PLAUSIBLE_MAG 20000.0f  /* uT */
#define MARL_PLAUSIBLE_TEMP 300.0f   /* degC, either sign */
#define MARL_PLAUSIBLE_SPEED 1000.0f /* m/s */

/* Clears the fresh flag of each reading that is not finite or larger than plausible, and sets *invalid
 * (may be NULL) to the flags that were cleared. Returns the first reason, or MARL_OK. */
MARL_CHECKED marl_status marl_sample_check(marl_sample *sample, uint8_t *invalid);

/* Seconds from one stamp to a later one, in *seconds. Differences only, and no 64-bit float
 * conversion, so that no double arithmetic is linked on small parts. MARL_ERR_TIME when `to` is not
 * later than `from`, MARL_ERR_GAP when the difference exceeds 2147 s; *seconds is then 0. */
MARL_CHECKED marl_status marl_time_step(int64_t from_ns, int64_t to_ns, float *seconds);

/* ---- correction ---- */

/* Correction of raw readings by a calibration:
 *   corrected = matrix * (raw - bias(T)),
 *   bias(T) = bias + per_degC (T - T0) + per_degC2 (T - T0)^2,
 * T held at the ends of the range in which the curve was found. Then the mount turns the corrected
 * vectors from the sensor's frame into the body's. */

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

/* Plausibility check. MARL_ERR_ARGUMENT when a number is not finite, an entry of the matrix is beyond
 * MARL_MATRIX_MAX, the matrix changes a volume by more than a factor of 1,000, or the curve's range is
 * upside down. A correction that is not present is fine. */
#define MARL_MATRIX_MAX 100.0f
MARL_CHECKED marl_status marl_correction_check(const marl_correction *correction);

/* The same for all three and the mount, whose length may be off by 5e-4; it is made 1. Desk and device put
 * every calibration that they read through this. */
MARL_CHECKED marl_status marl_calibration_check(marl_calibration *calibration);

/* The bias at temperature `degC`; NaN means unknown and is taken as T0. */
marl_vec3 marl_correction_bias(const marl_correction *correction, float degC);

/* 1: present, and its matrix is the identity: nothing is known of the scale. */
int marl_correction_is_bias_alone(const marl_correction *correction);
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

/* ---- still ---- */

/* Stillness: is the board at rest? Readings are accumulated in consecutive windows. A window is quiet
 * when the deviation of each sensor within it is small, the mean rate is no turn, and each sensor's mean is
 * where the window before had it. The board is still from the second quiet window on. A slow, even turn about
 * the vertical can only be seen when a magnetometer is there. */

typedef struct marl_still_limits {
    float window_s;        /* length of a window, s */
    float accel_deviation; /* m/s^2, per axis within a window */
    float gyro_deviation;  /* rad/s, per axis within a window */
    float gyro_mean;       /* rad/s, length of the mean rate: more is a turn, not a bias */
    float accel_shift;     /* m/s^2 between the means of two windows */
    float gyro_shift;      /* rad/s between the means of two windows: a bias does not move, a swing does */
    float mag_shift;       /* uT between the means of two windows */
} marl_still_limits;

typedef enum marl_still_verdict {
    MARL_STILL_OPEN,  /* the window is not complete */
    MARL_STILL_QUIET, /* the window that just ended was quiet */
    MARL_STILL_MOVING /* the window that just ended was not */
} marl_still_verdict;

typedef struct marl_still {
    marl_still_limits limits;
    marl_stats accel, gyro, mag;               /* of the open window */
    marl_vec3 last_accel, last_gyro, last_mag; /* means of the window before */
    int have_last_accel, have_last_gyro, have_last_mag;
    int open;  /* a window has started */
    int still; /* the last two complete windows were quiet */
    int quiet_before;
    int64_t window_start_ns;
} marl_still;

/* Limits that suit consumer-grade sensors from 25 Hz to 1 kHz: windows of 0.5 s, 0.12 m/s^2,
 * 0.012 rad/s, 0.09 rad/s (5 deg/s), 0.06 m/s^2, 0.005 rad/s, 1.5 uT. */
marl_still_limits marl_still_default_limits(void);

/* MARL_ERR_ARGUMENT when a limit is not positive and finite. */
MARL_CHECKED marl_status marl_still_init(marl_still *still, const marl_still_limits *limits);

/* Takes the fresh readings of a sample (checked, see marl_sample_check). A step of time backwards or
 * longer than a window closes the window as moving. */
marl_still_verdict marl_still_update(marl_still *still, const marl_sample *sample);

/* At the end of a recording: decides the window that is still open by what it has. MARL_STILL_OPEN when
 * that is not enough. */
marl_still_verdict marl_still_finish(marl_still *still);

#ifdef __cplusplus
}
#endif
#endif
