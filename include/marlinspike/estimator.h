/* SPDX-License-Identifier: MIT
 * From raw samples to attitudes. The usual order of calls:
 *
 *   marl_pipeline_config config = marl_pipeline_default(MARL_FILTER_KALMAN);
 *   marl_pipeline_init(&pipeline, &config);         once, and again for other settings
 *   marl_pipeline_step(&pipeline, &sample, &q);     for every sample
 *   marl_estimator_bias(&pipeline.estimator);       and the other getters, at any time
 *
 * The estimators can be used alone on corrected samples, too. */
#ifndef MARLINSPIKE_ESTIMATOR_H
#define MARLINSPIKE_ESTIMATOR_H

#include "marlinspike/sample.h"
#include "marlinspike/tuning.h"

#ifdef __cplusplus
extern "C" {
#endif

/* ---- pipeline ---- */

/* Everything between a raw sample and an attitude, as a firmware calls it and as the desk replays it: check,
 * temperature, correction, stillness, mount, estimator, counts, digest. What it decides:
 *   - A sensor that is not in config.sensors does not exist: its readings are ignored, and without a
 *     magnetometer the heading is relative from the first attitude on.
 *   - A raw reading that is not finite or implausible (sample.h) counts as invalid, is not corrected and
 *     takes part in nothing; the estimator restarts after too many of them (marl_estimator_update).
 *   - The temperature of a sample holds until the next one; before the first, biases are those at T0.
 *   - A sample whose time stands still or goes back gives no attitude; its temperature is used. */

typedef struct marl_pipeline marl_pipeline;   /* defined at the end, so that the caller can own it */
typedef struct marl_estimator marl_estimator; /* the same */

/* Which filters a firmware links: a function that gives the functions of a filter, or NULL for one that it does not
 * have. The calls without `_with` take any filter, and link them all; a firmware with one filter names it:
 *
 *   marl_pipeline_init_with(&pipeline, &config, marl_choose_kalman);
 *
 * and its linker (-ffunction-sections -fdata-sections -Wl,--gc-sections) leaves the others out. A firmware with two of
 * them writes a choice of its own from these. */
typedef struct marl_filter_functions marl_filter_functions; /* private */
typedef const marl_filter_functions *(*marl_filter_choice)(marl_filter filter);

const marl_filter_functions *marl_choose_any(marl_filter filter);
const marl_filter_functions *marl_choose_gyro(marl_filter filter);
const marl_filter_functions *marl_choose_vectors(marl_filter filter);
const marl_filter_functions *
marl_choose_constant_gains(marl_filter filter); /* complementary, gradient-descent */
const marl_filter_functions *marl_choose_kalman(marl_filter filter);

/* Beside MARL_FRESH_...: of the gyroscope the bias alone is calibrated. */
#define MARL_GYRO_SCALE_OPEN 0x80u

typedef struct marl_pipeline_config {
    marl_tuning tuning;
    marl_calibration calibration;
    uint8_t sensors;     /* MARL_FRESH_...: which of accel, gyro and mag there are */
    uint8_t corrected;   /* MARL_FRESH_...: which of them come corrected by a calibration already; with
                            MARL_GYRO_SCALE_OPEN the gyroscope's bias alone */
    uint8_t watch_still; /* keep `still` up to date: costs about as much as a simple filter */
    uint8_t no_digest;   /* leave `digest` at 0: it costs about as much as a simple filter, too */
} marl_pipeline_config;

/* Default tuning of this filter, no calibration, all three sensors, stillness not watched. */
marl_pipeline_config marl_pipeline_default(marl_filter filter);

/* Starts anew with nothing known. What is calibrated, by `calibration` or since it comes corrected, decides what is
 * assumed, where the tuning has the default: of a calibrated gyroscope bias_spread is MARL_BIAS_SPREAD_CALIBRATED;
 * of an accelerometer or magnetometer that is not calibrated the spread of its bias is MARL_ACCEL_BIAS_SPREAD_RAW or
 * MARL_MAG_BIAS_SPREAD_RAW, and of such a magnetometer mag_threshold MARL_MAG_THRESHOLD_RAW; of a gyroscope whose bias
 * alone is calibrated, or nothing (its matrix is the identity), gyro_scale is MARL_GYRO_SCALE_RAW.
 * MARL_ERR_ARGUMENT when tuning or calibration do not pass their checks, or the choice does not have the filter. */
MARL_CHECKED marl_status marl_pipeline_init_with(marl_pipeline *pipeline, const marl_pipeline_config *config,
                                                 marl_filter_choice choice);
/* With marl_choose_any. */
MARL_CHECKED marl_status marl_pipeline_init(marl_pipeline *pipeline, const marl_pipeline_config *config);

/* The same with other settings while running: the last temperature and the stillness stay known. */
MARL_CHECKED marl_status marl_pipeline_configure(marl_pipeline *pipeline, const marl_pipeline_config *config);

/* Another tuning while running; the rest of *config is as before. While the filter and its use of the magnetometer stay
 * the same, all state is kept; else what marl_estimator_retune keeps. Counts and digest go on. MARL_ERR_ARGUMENT, and
 * nothing is changed, when the tuning does not pass its check. */
MARL_CHECKED marl_status marl_pipeline_retune(marl_pipeline *pipeline, const marl_pipeline_config *config);

/* Another calibration while running, and what is assumed because of it; the rest of *config is as before. The attitude
 * is kept, known within 0.1 rad, turned where the mount is another one; so is the gyroscope's bias where its correction
 * stays the same, else it is zero. Counts and digest go on. MARL_ERR_ARGUMENT, and nothing is changed, when tuning or
 * calibration do not pass their checks. */
MARL_CHECKED marl_status marl_pipeline_recalibrate(marl_pipeline *pipeline,
                                                   const marl_pipeline_config *config);

/* Forgets attitude and state: the next readings start it as the first ones did. Settings, temperature, counts and digest
 * stay. */
void marl_pipeline_restart(marl_pipeline *pipeline);

/* The first half of a step, for whoever needs no attitude: `pipeline->sample` is then corrected, in the
 * sensors' frame. Returns the MARL_FRESH_... flags of raw readings that were invalid. */
uint8_t marl_pipeline_correct(marl_pipeline *pipeline, const marl_sample *raw);

/* Takes one raw sample; any mixture of fresh readings. MARL_OK: *q is the attitude at its time, body to
 * world, unit, canonical. MARL_ERR_TIME: the sample was left out, as its time stood still or went back.
 * MARL_ERR_NOT_READY: no attitude yet. In both cases *q is the identity. */
MARL_CHECKED marl_status marl_pipeline_step(marl_pipeline *pipeline, const marl_sample *raw, marl_quat *q);

/* Weights of accelerometer and magnetometer in the last correction, for the sensors of the last sample: 0 to
 * 1, 0 for an invalid reading, negative where there was no reading or the filter does not correct. */
void marl_pipeline_weights(const marl_pipeline *pipeline, float weight[2]);

/* The estimators, behind one small face: init, update with each sample, read the attitude.
 *
 *   gyro              integration of the angular rate alone
 *   vectors           attitude from two vectors at every sample: up from the accelerometer, north from the
 *                     magnetometer. "A passive system for determining the attitude of a satellite" (1964)
 *   complementary     constant gains. "Nonlinear complementary filters on the special orthogonal group"
 *                     (2008)
 *   gradient-descent  constant gains. "Estimation of IMU and MARG orientation using a gradient descent
 *                     algorithm" (2011)
 *   kalman            error-state Kalman filter with eight states: attitude error, gyroscope bias, horizontal
 *                     velocity. "A new approach to linear filtering and prediction problems" (1960), "Kalman
 *                     filtering for spacecraft attitude estimation" (1982)
 *
 * The last three integrate the rate with every sample, turn accelerometer and magnetometer readings into the
 * world by the estimate, and correct ten times a second by the mean of these readings. The magnetometer
 * corrects about the vertical only and never moves the tilt. Equations: docs/methods/estimators.md.
 *
 * All start with the attitude of the first good accelerometer reading (and magnetometer reading, when the
 * tuning uses it; they wait for one at most a second). Without magnetometer the heading is relative: zero is
 * where the body pointed at the start.
 *
 * Same samples, same bits: only + - * / and a correctly rounded root lie between sample and attitude. No
 * input makes the state non-finite. */

typedef struct marl_estimator_counts {
    uint32_t updates;       /* samples that advanced the time of the attitude */
    uint32_t invalid_accel; /* readings left out: not finite, implausible, or without direction */
    uint32_t invalid_gyro;
    uint32_t invalid_mag;
    uint32_t used_accel; /* readings that went into corrections */
    uint32_t used_mag;
    uint32_t downweighted_accel; /* of these, with a weight under one half */
    uint32_t downweighted_mag;
    uint32_t invalid_time; /* samples whose time stood still or went back */
    uint32_t limited_bias; /* corrections in which the bias stood at the tuning's limit: it is larger */
    uint32_t restarts;     /* after gaps longer than gap_limit, clocks set back, and attitudes found wrong */
} marl_estimator_counts;

/* MARL_ERR_ARGUMENT when the tuning does not pass marl_tuning_check or the choice does not have its filter; *estimator is
 * then unusable. */
MARL_CHECKED marl_status marl_estimator_init_with(marl_estimator *estimator, const marl_tuning *tuning,
                                                  marl_filter_choice choice);
/* With marl_choose_any. */
MARL_CHECKED marl_status marl_estimator_init(marl_estimator *estimator, const marl_tuning *tuning);

/* Processes one sample: raw or corrected, any mixture of fresh readings. MARL_ERR_TIME when its time stood
 * still or went back: the whole sample is left out and the attitude stays that of the sample before. MARL_OK
 * otherwise: the attitude, when there is one (marl_estimator_attitude), is that of this sample's time.
 *
 * An invalid reading (not finite, implausible, without direction) is left out, and the attitude stays valid;
 * marl_estimator_invalid lists the readings. When more than the tuning's gap_limit has passed, or ten samples
 * in a row show that the clock was set back, the estimator restarts from this sample. All of it is counted
 * (marl_estimator_count). */
MARL_CHECKED marl_status marl_estimator_update(marl_estimator *estimator, const marl_sample *sample);

/* Sets the attitude, in the tuning's world: a start from outside, before the first sample or later. It counts
 * as known within 0.1 rad per axis; the bias stays. The heading counts as magnetic where the tuning uses the
 * magnetometer. MARL_ERR_ARGUMENT when q cannot be brought to length one. */
MARL_CHECKED marl_status marl_estimator_set_attitude(marl_estimator *estimator, marl_quat q);

/* Another tuning while running, from the next sample on. While filter and use of the magnetometer stay the same all
 * state is kept, and the attitude does not move at that moment. Else attitude, zero, bias and counts are kept, the
 * attitude as known within 0.1 rad, and the rest is new. MARL_ERR_ARGUMENT, and nothing is changed, when the tuning does
 * not pass marl_tuning_check. */
MARL_CHECKED marl_status marl_estimator_retune(marl_estimator *estimator, const marl_tuning *tuning);

/* Tare: the present attitude is reported as level, facing the world's x axis, from now on.
 * MARL_ERR_NOT_READY before the start. */
MARL_CHECKED marl_status marl_estimator_set_zero(marl_estimator *estimator);

/* The attitude after the last update: unit, canonical, in the tuning's world.
 * MARL_ERR_NOT_READY before the start; *q is then the identity. */
MARL_CHECKED marl_status marl_estimator_attitude(const marl_estimator *estimator, marl_quat *q);

/* 1 when the heading comes from a magnetometer, 0 when it is relative to the start. */
int marl_estimator_heading_is_magnetic(const marl_estimator *estimator);

/* Standard deviations (1 sigma) of the attitude, rad, from the covariance and what accel_bias_spread and
 * mag_bias_spread add to it: of the tilt (both axes together) and of the heading (relative heading: since the start).
 * MARL_ERR_NOT_READY before the start,
 * MARL_ERR_ARGUMENT for a filter without covariance (all but kalman); both are then 0. */
MARL_CHECKED marl_status marl_estimator_sigma(const marl_estimator *estimator, float *tilt, float *heading);

/* Gyroscope bias estimate in the body, rad/s; zero for gyro and vectors. */
marl_vec3 marl_estimator_bias(const marl_estimator *estimator);
/* Its standard deviations (1 sigma) per axis, rad/s. Errors as marl_estimator_sigma. */
MARL_CHECKED marl_status marl_estimator_bias_sigma(const marl_estimator *estimator, marl_vec3 *sigma);

/* Readings of the last sample that were left out as invalid: MARL_FRESH_... of the sensors. */
uint8_t marl_estimator_invalid(const marl_estimator *estimator);

/* Weights of the last correction, 0 to 1: how much of its undisturbed influence a sensor had. kalman: one
 * half at an unexplained acceleration of 0.1 m/s^2 rms and at a change of the field of 1 uT. 1 for filters
 * without weighting. */
void marl_estimator_weights(const marl_estimator *estimator, float *accel, float *mag);

/* kalman: the unexplained mean square of the horizontal speed over the last half minute, (m/s)^2; 0 for
 * others. */
float marl_estimator_speed_evidence(const marl_estimator *estimator);

/* The tuning that it was initialised with. */
const marl_tuning *marl_estimator_tuning(const marl_estimator *estimator);

/* Readings left out, used and down-weighted so far. */
marl_estimator_counts marl_estimator_count(const marl_estimator *estimator);

/* ---- selftest of the estimators ---- */

/* marl_selftest (status.h) with the filters of a choice: only those that are linked are run. */
MARL_CHECKED marl_status marl_selftest_with(unsigned *findings, marl_filter_choice choice);

/* ---- axis filter ---- */

/* One axis: the angle of a tray, a flap or a balancing beam, from one gyroscope axis and an angle
 * read with noise (an accelerometer's atan2, an encoder). The smallest forms of the complementary and of the
 * Kalman filter, for teaching and for very small processors: a dozen multiplications, no root, no
 * trigonometry.
 *
 *   angle' = rate - bias
 *
 * Angles in rad do not wrap here: feed continuous ones (marl_unwrap_next). Readings that are not finite are
 * left out, so are angles and rates beyond 1e6 and steps of more than 60 s. A bias stays within 10 rad/s, a
 * variance under 1e6 rad^2. */

/* The angle follows the reading with angle_time (s); the bias is learned with bias_time (s). */
typedef struct marl_axis_filter_complementary {
    float angle_time, bias_time;
    float angle, bias; /* rad, rad/s */
    int started;
} marl_axis_filter_complementary;

/* Times that are not positive count as 1 ms. */
void marl_axis_filter_complementary_init(marl_axis_filter_complementary *axis_filter, float angle_time,
                                         float bias_time);
/* dt s after the last: the mean rate (rad/s) since and the angle read (rad). Returns the angle. */
float marl_axis_filter_complementary_update(marl_axis_filter_complementary *axis_filter, float rate,
                                            float angle, float dt);

/* Two states, angle and bias, with their covariance. Source: "A new approach to linear filtering and
 * prediction problems" (1960). */
typedef struct marl_axis_filter_kalman {
    float rate_white;  /* noise of the rate, rad/s/sqrt(Hz) */
    float bias_walk;   /* of the bias, rad/s/sqrt(s) */
    float angle_white; /* noise of the angle read, rad/sqrt(Hz) */
    float angle, bias; /* rad, rad/s */
    float p_angle, p_both, p_bias;
    int started;
} marl_axis_filter_kalman;

/* Noises that are not positive count as 1e-9. The bias is unknown by 0.05 rad/s at the start. */
void marl_axis_filter_kalman_init(marl_axis_filter_kalman *axis_filter, float rate_white, float bias_walk,
                                  float angle_white);
/* As above. The deviation of the angle is the root of p_angle. */
float marl_axis_filter_kalman_update(marl_axis_filter_kalman *axis_filter, float rate, float angle, float dt);

/* ---- private: state that the caller owns and only the calls above touch ---- */

/* World is enu, whatever world the tuning gives out. */

/* Readings since the last correction, turned into the world and summed. */
typedef struct marl_accumulator {
    marl_vec3 force, field;  /* m/s^2, uT */
    uint32_t forces, fields; /* how many */
    float age, wait;         /* s since the last correction, and s after which the next is due */
    float field_age;         /* s between the last correction by a field and the last correction */
} marl_accumulator;

/* The undisturbed magnetic field. */
typedef struct marl_field_reference {
    float strength, vertical; /* uT; vertical is positive up */
    float memory;             /* s of readings that it rests on, at most 30 */
    uint8_t known;
} marl_field_reference;

/* Motion of the body from lever arm and speed. */
typedef struct marl_body_motion {
    marl_vec3 rate, angular_accel; /* low-passed rate, rad/s, and its derivative, rad/s^2 */
    float speed, speed_lowpass;    /* along body x, m/s */
    float speed_age;               /* s since the last speed reading */
    uint8_t known, has_speed, begun;
} marl_body_motion;

enum { MARL_KALMAN_STATES = 8 };

/* Error state: turn about east, north, up (rad), gyroscope bias (body, rad/s), horizontal velocity (m/s). */
typedef struct marl_kalman {
    float p[MARL_KALMAN_STATES][MARL_KALMAN_STATES]; /* covariance, lower triangle */
    float velocity[2];                               /* leaky, east and north, m/s */
    float accel_evidence, speed_evidence; /* unexplained mean squares A, (m/s^2)^2, and V, (m/s)^2 */
    float rate_variance;                  /* W, (rad/s)^2, of rate_fast about rate_slow */
    marl_vec3 rate_fast, rate_slow;       /* low-passed rate, rad/s */
    float mean_force[2];                  /* horizontal world force, low-pass of 0.6 s, m/s^2 */
    float force_variance;                 /* S, (m/s^2)^2, of the force about it */
    marl_vec3 recent_force;               /* world force, low-pass of 1 s */
    float long_force[2];                  /* horizontal world force, low-pass of 30 s */
    marl_vec3 last_force;                 /* of the last correction */
    float force_age;                      /* s that these two rest on */
    float force_change;      /* mean square of its change from one correction to the next, (m/s^2)^2 */
    float innovation;        /* of the last heading measurement, rad */
    float innovation_weight; /* 0 to 1: how far its field was the undisturbed one */
    float heading_error;     /* its low-pass of 3 s, rad */
    float settling;          /* s for which the heading may still turn fast */
    uint8_t corrections;     /* since the last pass against denormals */
} marl_kalman;

struct marl_estimator {
    marl_tuning tuning;
    marl_filter_choice choice;
    const marl_filter_functions *functions; /* of tuning.filter */
    marl_estimator_counts counts;
    marl_quat q;          /* body to enu; from here on cleared by a restart */
    marl_vec3 bias;       /* of the gyroscope, body, rad/s */
    marl_vec3 rate;       /* last good gyroscope reading, rad/s */
    marl_vec3 accel, mag; /* last good readings */
    marl_accumulator sum;
    marl_field_reference field;
    marl_body_motion motion;
    marl_kalman kalman;             /* kalman only */
    float mean_force[2];            /* complementary, gradient-descent: horizontal world force, low-passed */
    float lasting_force[2];         /* the same from zero at a start, not moved with corrections */
    float weight_accel, weight_mag; /* of the last correction */
    float since_start;              /* s */
    float gyro_age;                 /* s since the last good gyroscope reading */
    float garbage;                  /* recent time with invalid readings, s */
    marl_quat tare;                 /* rotation from the body frame to the reported one, conjugated */
    int64_t t_ns;                   /* of the last accepted sample */
    int64_t invalid_ns;             /* of the last sample left out for its time */
    int64_t wait_from_ns;           /* start of the wait for a magnetometer */
    uint8_t invalid_in_row;         /* samples in a row left out for their time that agree with each other */
    uint8_t seen;                   /* MARL_FRESH_...: which of rate, accel and mag are known */
    uint8_t invalid;                /* MARL_FRESH_...: readings of the last sample that were left out */
    uint8_t unnormalized;           /* products since q was last brought to length one */
    uint8_t timed;                  /* t_ns is set */
    uint8_t waiting;                /* wait_from_ns is set */
    uint8_t spoiled;                /* by invalid readings: starts again when they are over */
    uint8_t started;                /* q is an attitude */
    uint8_t has_tare;
    uint8_t heading_known; /* the heading is magnetic, not relative */
};

/* A pipeline: members may be read, only the calls change them. */
struct marl_pipeline {
    marl_corrector corrector;
    marl_estimator estimator;
    marl_still still;   /* of corrected readings before the mount; with watch_still */
    marl_sample sample; /* the last one, corrected, in the body frame; invalid readings are not fresh */
    uint8_t sensors;    /* as configured */
    uint8_t watches_still, no_digest;
    uint32_t attitudes; /* how many were given out */
    uint32_t digest;    /* of all of them (marl_digest_add): equal digests, equal bits */
};

#ifdef __cplusplus
}
#endif
#endif
