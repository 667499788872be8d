/* SPDX-License-Identifier: MIT
 * A reference from the log itself. The usual order of calls:
 *
 *   marl_smooth(&log, &options, &smoothed, &error);
 *   marl_smoothed_series(&smoothed, &series, &error);
 *   marl_smoothed_free(&smoothed); */
#ifndef MARLINSPIKE_SMOOTH_H
#define MARLINSPIKE_SMOOTH_H

#include "marlinspike/files.h"
#include "marlinspike/log.h"

#ifdef __cplusplus
extern "C" {
#endif

/* ---- smooth ---- */

/* A reference attitude from the log alone: an iterated fixed-interval smoother over the whole log, forwards
 * and backwards. "Maximum likelihood estimates of linear dynamic systems" (1965); relinearised on its own
 * result: "The iterated Kalman smoother as a Gauss-Newton method" (1994). Equations:
 * docs/methods/smoother.md.
 *
 * World enu; the attitudes are the body's, biases and remainders are in the sensors' frame, from which a
 * mount of the calibration turns into the body's. Needs accelerometer and gyroscope; without a magnetometer
 * the heading is relative to the start, and its standard deviation grows from there. */

/* One row of the log. */
typedef struct marl_smoothed_row {
    int64_t t_ns;
    marl_quat q;                     /* body to world */
    float sigma_tilt, sigma_heading; /* standard deviations (1 sigma), rad; tilt: both axes together */
} marl_smoothed_row;

/* Every tenth of a second. */
typedef struct marl_smoothed_knot {
    int64_t t_ns;
    double bias[3], bias_sigma[3]; /* of the gyroscope, sensors' frame, rad/s */
    double velocity[2];            /* east and north, m/s; leaky */
    double motion;                 /* unexplained horizontal acceleration, m/s^2 rms over some seconds */
    double disturbance; /* of the magnetic field, uT rms over a second; NaN without a magnetometer */
    int still;
} marl_smoothed_knot;

typedef struct marl_smoothed {
    size_t n;
    marl_smoothed_row *row;
    size_t knots;
    marl_smoothed_knot *knot;
    int heading_is_magnetic;
    double accel_bias[3], accel_bias_sigma[3]; /* what calibration left, m/s^2, sensors' frame */
    double mag_bias[3], mag_bias_sigma[3];     /* the same, uT; 0 and NaN without a magnetometer */
    double accel_matrix[9],
        accel_matrix_sigma[9]; /* D of reading = (1 + D) truth + bias, by rows; 0 where the
                                                    * matrix counts as calibrated */
    double mag_matrix[9], mag_matrix_sigma[9];
    double arm[3], arm_sigma[3];  /* place of the accelerometer from the point that moves the least, m */
    double field_north, field_up; /* uT */
    double sigma_tilt_rms, sigma_heading_rms;    /* over the rows, rad */
    double still_share, disturbed_share;         /* of the log: still; field off by over 2 uT */
    double longest_gap_s;                        /* between rows; 0 when there is none over 0.1 s */
    double gyro_matrix[9], gyro_matrix_sigma[9]; /* E of reading = (1 + E) rate + bias, by rows */
    unsigned pieces; /* smoothed each for itself: between them rows are missing for over 1,000 s */
    unsigned long rows_left_out;                     /* of pieces that were not smoothed */
    int accel_is_worse, mag_is_worse, gyro_is_worse; /* over twice what a calibration leaves; 0 without one */
    int sensors_are_raw;      /* the standard deviations are those of uncalibrated sensors */
    int calibration_is_wrong; /* the log contradicts the calibration; it counts as raw */
    double change;            /* mean square of the last pass' turns over their variance */
    double missed; /* largest mean square over 2 s of what the gyroscope's motion misses, over its variance */
    double worst;  /* largest error of a raw sensor over its assumed standard deviation */
    double preference; /* -2 log likelihood as calibrated less as raw */
} marl_smoothed;

/* Called now and then with the share that is done, 0 to 1. */
typedef void marl_smooth_progress(void *context, double share);

/* Zeroed: readings as they are. */
typedef struct marl_smooth_options {
    const marl_calibration_record *record; /* may be NULL */
    const char *record_path;
    int gyro_matrix;                /* marl_smooth_refine may change the gyroscope's matrix, too */
    marl_smooth_progress *progress; /* may be NULL */
    void *progress_context;
} marl_smooth_options;

/* Smooths a log; `options` may be NULL. Of a sensor that neither `record` nor the log itself has corrected
 * larger remainders are assumed. MARL_ERR_INSUFFICIENT under 10 s, without accelerometer or gyroscope, or
 * when no attitude can be started; MARL_ERR_INPUT when it is corrected already and a calibration is given, or
 * of another device; MARL_ERR_SYSTEM without memory (about 60 KB for each second of a log at 200 Hz). Logs
 * with a magnetometer of over 90 minutes are smoothed in windows of an hour that overlap by two minutes: the
 * memory of an hour, however long they are, beside the log and its attitudes. What lies on both sides of a
 * gap of over 1,000 s is smoothed each for itself; a piece of under 10 s is left out, and so is all but the
 * longest without a magnetometer. Where the scale of the
 * accelerometer or the magnetometer is not calibrated, the standard deviations allow for half a percent: 0.29
 * degrees of tilt, 0.40 of heading. */
MARL_CHECKED marl_status marl_smooth(const marl_log *log, const marl_smooth_options *options,
                                     marl_smoothed *smoothed, marl_error *error);
void marl_smoothed_free(marl_smoothed *smoothed);

/* Why the result must not be trusted; NULL where nothing speaks against it. */
MARL_CHECKED const char *marl_smoothed_distrust(const marl_smoothed *smoothed);

/* The remainders that may be added to a calibration: over three standard errors on the whole log, and the
 * same on each of its halves within three standard errors of their difference. */
typedef struct marl_refined {
    int accel[3], mag[3]; /* 1: this axis was added */
    int gyro_matrix[9];   /* 1: this element was added */
    int any;
} marl_refined;

/* Adds them to `record`, whose sensors that are not calibrated count as perfect. `smoothed` is of the whole
 * log, with the same options, whose record is this one or NULL. Errors as marl_smooth. */
MARL_CHECKED marl_status marl_smooth_refine(const marl_log *log, const marl_smooth_options *options,
                                            const marl_smoothed *smoothed, marl_calibration_record *record,
                                            marl_refined *refined, marl_error *error);

/* Two rests with equal readings of accelerometer and magnetometer, between which the board was elsewhere: the
 * attitude must come back. */
typedef struct marl_closure {
    marl_span first, again;
    double away_deg;  /* how far it went in between */
    double error_deg; /* rotation between the two attitudes */
    double sigma_deg; /* by the standard deviations of both */
} marl_closure;

enum { MARL_CLOSURES_MAX = 20 };

typedef struct marl_closures {
    size_t n;
    marl_closure at[MARL_CLOSURES_MAX];
} marl_closures;

/* The first closures, each rest with the nearest one before it that is equal (gravity's direction
 * within 0.2 degrees, the field's within 0.35); none without a magnetometer. The readings are the log's, raw
 * or corrected. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_smooth_closures(const marl_log *log, const marl_smoothed *smoothed,
                                              marl_closures *closures, marl_error *error);

/* The attitudes alone, to be freed by the caller. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_smoothed_series(const marl_smoothed *smoothed, marl_series *series,
                                              marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
