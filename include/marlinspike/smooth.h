/* SPDX-License-Identifier: MIT
 * A reference from the log itself. The usual order of calls:
 *
 *   marl_smooth(&log, &options, &smoothed, &error);
 *   marl_smoothed_series(&smoothed, &series, &error);
 *   marl_smoothed_free(&smoothed); */
#ifndef MARLINSPIKE_SMOOTH_H
#define MARLINSPIKE_SMOOTH_H

#include "marlinspike/files.h"
#include "marlinspike/inspect.h"
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
 * World enu; the attitudes are the body's, at the time that the gyroscope's readings show; biases and remainders are
 * in the sensors' frame, from which a mount of the calibration turns into the body's. Needs accelerometer and
 * gyroscope; without a magnetometer the heading is relative to the start, and its standard deviation grows from
 * there. */

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

/* What a calibration left of a sensor's errors, or all of them where there is none, in the sensors' frame: reading =
 * (1 + matrix) truth + bias; matrix by rows, 1; bias in m/s^2, rad/s, uT. */
typedef struct marl_sensor_errors {
    double bias[3], bias_sigma[3]; /* of the gyroscope at the end of the log, under its mean force */
    double matrix[9], matrix_sigma[9];
    double delay, delay_sigma; /* how late its readings are against the gyroscope's, s; of the gyroscope 0 */
} marl_sensor_errors;

typedef struct marl_smoothed {
    size_t n;
    marl_smoothed_row *row;
    size_t knots;
    marl_smoothed_knot *knot;
    int heading_is_magnetic;
    marl_sensor_errors errors[MARL_SENSOR_COUNT]; /* without a magnetometer 0 and NaN for it */
    double arm[3], arm_sigma[3]; /* place of the accelerometer from the point that moves least, m */
    /* What a force adds to the rate that the gyroscope reads, rad/s per m/s^2, by rows, sensors' axes. */
    double gyro_by_force[9], gyro_by_force_sigma[9];
    double field_north, field_up;             /* uT */
    double sigma_tilt_rms, sigma_heading_rms; /* over the rows, rad */
    double still_share, disturbed_share;      /* of the log: still; field off by over 2 uT */
    double longest_gap_s;                     /* between rows; 0 when there is none over 0.1 s */
    unsigned pieces; /* smoothed each for itself: between them rows are missing for over 1,000 s */
    unsigned long rows_left_out;     /* of pieces that were not smoothed */
    int is_worse[MARL_SENSOR_COUNT]; /* an error is over twice what a calibration leaves; 0 without one */
    unsigned dead_axes;              /* marl_log_dead_axes of the log */
    int sensors_are_raw;             /* the standard deviations are those of uncalibrated sensors */
    int calibration_is_wrong; /* the log contradicts what was given or stated of calibration; it counts as raw */
    double change;            /* mean square of the last pass' turns over their variance */
    double missed; /* largest mean square over 2 s of what the gyroscope's motion misses, over its variance */
    /* Largest error of a raw sensor over its assumed standard deviation (an accelerometer's bias over three times that), beside
     * a hard iron of over 10 uT that was found. */
    double worst;
    const char *worst_of; /* which that is, in words; NULL without an error */
    double preference;    /* -2 log likelihood as calibrated less as raw */
} marl_smoothed;

/* Called now and then with the share that is done, 0 to 1. */
typedef void marl_smooth_progress(void *context, double share);

/* Zeroed: readings as they are. */
typedef struct marl_smooth_options {
    const marl_calibration_record *record; /* may be NULL */
    const char *record_path;
    marl_smooth_progress *progress; /* may be NULL */
    void *progress_context;
} marl_smooth_options;

/* Smooths a log; `options` may be NULL. All errors of the sensors are estimated: first as of uncalibrated sensors
 * (0.3 m/s^2, 5 uT, 2 % of scale, 1 % of misalignment, several deg/s, 20 ms, 0.06 deg/s per g), then, where `record` or the log itself states
 * that sensors are calibrated, as of those; the log's likelihood decides which of the two the result is. A hard iron of over
 * 10 uT that the log's turns show is taken off before. Coarse steps of a sensor (marl_log_coarse_step of
 * log->report) widen the standard deviations.
 * MARL_ERR_INSUFFICIENT under 10 s, without accelerometer or gyroscope, or when no attitude can be started;
 * MARL_ERR_INPUT when it is corrected already and a calibration is given, or of another device; MARL_ERR_SYSTEM
 * without memory (about 75 KB for each second of a log at 200 Hz). Logs with a magnetometer of over 90 minutes are
 * smoothed in windows of an hour that overlap by two minutes: the memory of an hour, however long they are, beside the
 * log and its attitudes. What lies on both sides of a gap of over 1,000 s is smoothed each for itself; a piece of under
 * 10 s is left out, and so is all but the longest without a magnetometer. */
MARL_CHECKED marl_status marl_smooth(const marl_log *log, const marl_smooth_options *options,
                                     marl_smoothed *smoothed, marl_error *error);
void marl_smoothed_free(marl_smoothed *smoothed);

/* Why the result must not be trusted; NULL where nothing speaks against it. */
MARL_CHECKED const char *marl_smoothed_distrust(const marl_smoothed *smoothed);

/* A constant field of the board itself. */
typedef struct marl_hard_iron {
    double bias[3], sigma[3]; /* with standard errors, uT, sensors' axes */
    int is_large;             /* over 10 uT and five standard errors */
} marl_hard_iron;

/* The hard iron by the turns of a log alone: how readings of the field turn against the gyroscope's (section 2 of
 * docs/methods/smoother.md). No attitude is needed, and no calibration. MARL_ERR_INSUFFICIENT without gyroscope or
 * magnetometer, or under 10 s; MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_hard_iron_find(const marl_log *log, marl_hard_iron *found, marl_error *error);

/* Warns of a large one ("hard-iron"), where the magnetometer's axes are those of the gyroscope, against which it is found.
 * MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_hard_iron_warn(marl_warnings *warnings, const marl_log *log,
                                             const marl_axes *axes, marl_error *error);

/* 1 where the heading rests on what is assumed of the hard iron (some 5 uT) because the log hardly turns: with a larger one
 * it is off by more than its standard deviation. A calibration of the magnetometer cures it. */
int marl_smoothed_hides_iron(const marl_smoothed *smoothed);

/* 1 where the log shows the lever arm: over five standard deviations along an axis. *is_long: and it is of a metre or more,
 * so that a filter should know it (MARL_PARAMETER_LEVER_X and so on; ./run bench lever). */
int marl_smoothed_shows_arm(const marl_smoothed *smoothed, int *is_long);

/* The delays of accelerometer and magnetometer, which the attitudes take into account. Assumed before were 20 ms (one standard
 * deviation): so uncertain are those that the log's turns do not show. Not found: the accelerometer's with a lever arm of a
 * metre or more, and the magnetometer's without one. */
marl_sensor_delays marl_smoothed_delays(const marl_smoothed *smoothed);

/* 1 where the log shows that the gyroscope reads forces, too: an element over five standard errors and 0.02 deg/s per g. Its
 * bias then changes with how the board lies; the attitudes take it into account. */
int marl_smoothed_shows_force(const marl_smoothed *smoothed);

/* How far the gyroscope's bias moved in the log, its largest value less its smallest, with standard errors, rad/s. 1 where one
 * axis moved by over five of them and over 0.02 deg/s, as of a part that warms up. */
int marl_smoothed_bias_moved(const marl_smoothed *smoothed, double moved[3], double sigma[3]);

/* What became of an error when a calibration was refined. */
typedef enum marl_refinement {
    MARL_REFINE_NOT_SIGNIFICANT = 0, /* within three standard errors */
    MARL_REFINE_HALVES_DIFFER = 1,   /* the two halves of the log do not agree on it */
    MARL_REFINE_ADDED = 2,
    /* of the gyroscope's matrix: others are not known, and a part would count as all */
    MARL_REFINE_OTHERS_OPEN = 3
} marl_refinement;

typedef struct marl_refined_sensor {
    marl_refinement bias[3], matrix[9];
} marl_refined_sensor;

typedef struct marl_refined {
    marl_refined_sensor sensor[MARL_SENSOR_COUNT];
    int any;
} marl_refined;

/* Adds to `record` every error that is over three standard errors on the whole log, and the same on each of its halves
 * within three standard errors of their difference (of the gyroscope's bias, which changes: within half of it). A
 * sensor that is not calibrated counts as perfect; the standard errors then also say how wrong what is left out may be.
 * A matrix of the gyroscope, where there was none, is added only where all of it is known to 0.6 %: filters allow for
 * the scale of a gyroscope whose bias alone is calibrated. The standard error of a gyroscope's bias holds 0.003 deg/s by
 * which it is another one on another log. `smoothed` is of the whole log, with the same options (may
 * be NULL), whose record is this one or NULL. MARL_ERR_INSUFFICIENT when it is not trusted; other errors as marl_smooth. */
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
