/* SPDX-License-Identifier: MIT
 * The estimators, behind one small face: init, update with each sample, read the attitude.
 *
 * `gyro` integrates the rate. `vectors` takes "up" from the accelerometer and north from the
 * magnetometer at every sample, remembering nothing. The others integrate the rate, pull the tilt
 * towards the accelerometer and the heading towards the magnetometer as far as these are trusted
 * (trust.h), and estimate the gyroscope's bias; the magnetometer corrects about the vertical only and
 * can never move the tilt:
 *
 *   complementary     takes a share of each error, by time constants. "Nonlinear complementary filters
 *                     on the special orthogonal group" (2008), with gains that run down from a start as
 *                     those of a Kalman filter of one angle and its bias
 *   gradient-descent  the same, at no more than a speed of its own. "Estimation of IMU and MARG
 *                     orientation using a gradient descent algorithm" (2011)
 *   kalman            multiplicative error state: attitude error and bias with their covariance.
 *                     "Kalman filtering for spacecraft attitude estimation" (1982)
 *
 * The rate is integrated with each sample. The readings that correct are gathered, turned into the world, for
 * 100 ms, and their mean corrects; weights and doubts are those of the last correction.
 *
 * All begin with the attitude of the first good accelerometer reading (and magnetometer reading,
 * when the tuning uses it; they wait for one at most a second). Without magnetometer the heading is
 * relative: zero is where the body pointed at the start.
 *
 * Same samples, same bits: only + - * / and a correctly rounded root lie between sample and
 * attitude. No input can make the state non-finite. */
#ifndef MARLINSPIKE_ESTIMATOR_H
#define MARLINSPIKE_ESTIMATOR_H

#include "marlinspike/sample.h"
#include "marlinspike/trust.h"
#include "marlinspike/tuning.h"

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_estimator_counts {
    uint32_t updates;        /* samples that moved the attitude's time on */
    uint32_t rejected_accel; /* readings left out: not finite, implausible, or no direction */
    uint32_t rejected_gyro;
    uint32_t rejected_mag;
    uint32_t doubted_accel; /* readings whose mean counted less than half */
    uint32_t doubted_mag;
    uint32_t rejected_time; /* samples whose time stood still or went back */
    uint32_t gaps;          /* new starts: gaps longer than may be bridged, clocks set back, lost attitudes */
} marl_estimator_counts;

/* What an estimator believes. */
typedef struct marl_belief {
    marl_quat q;       /* body to enu, whatever world the tuning asks for */
    marl_vec3 bias;    /* of the gyroscope, rad/s */
    marl_vec3 turning; /* rate without bias, rad/s, body */
    marl_vec3 steady;  /* rate with its bias, smoothed over a second, rad/s */
    marl_trust accel_trust, mag_trust;
    marl_doubt tilt, heading; /* of each axis of the tilt, and of the heading */
    float per_rate;           /* evidence against the accelerometer for each (rad/s)^2 */
    float field;              /* strength of the magnetic field while it was trusted, uT */
    float dip;                /* sine of its dip, positive down */
    float follow;             /* how fast these two follow a trusted reading, 1/s */
} marl_belief;

/* The body's own motion, as far as lever arm and speed tell it. */
typedef struct marl_pull {
    marl_vec3 rate, spin;      /* rate with its bias, rad/s, smoothed, and its change, rad/s^2 */
    float speed, smooth_speed; /* along body x, m/s */
    float speed_age;           /* s since the speed was last read */
    uint8_t known;             /* a lever arm or a speed tells of it */
    uint8_t has_speed, begun;
} marl_pull;

/* Readings since the last correction, turned into enu by the estimate and summed. */
typedef struct marl_gathered {
    marl_vec3 accel, mag; /* m/s^2, uT */
    float longer2;  /* squares of the accelerometer's squared length beyond that of gravity, (m/s^2)^4 */
    float turning2; /* squares of the rate, (rad/s)^2 */
    uint32_t accels, mags; /* how many */
} marl_gathered;

typedef struct marl_estimator {
    marl_tuning tuning;
    marl_estimator_counts counts;
    marl_belief belief;
    marl_vec3 rate;       /* last good angular rate, rad/s */
    marl_vec3 accel, mag; /* last good readings */
    marl_gathered gathered;
    marl_pull pull;
    marl_quat zero;  /* body as it is to body as it is told */
    float accel_age; /* time since the last correction by each sensor, s */
    float mag_age;
    float gather_age;       /* time since readings are gathered for the next correction, s */
    float gather_for;       /* how long they are gathered */
    float covariance[6][6]; /* kalman: of the missing turn in the world, rad, and of the bias, rad/s */
    int64_t t_ns;           /* of the last accepted sample */
    int64_t refused_ns;     /* of the last sample refused for its time */
    int64_t wait_from_ns;   /* when the wait for a magnetometer began */
    uint8_t refused_in_row; /* samples refused for their time that agree with each other */
    uint8_t seen;           /* MARL_FRESH_...: which of rate, accel and mag are known */
    uint8_t turns;          /* since q was last brought to length one */
    uint8_t timed;          /* t_ns is set */
    uint8_t waiting;        /* wait_from_ns is set */
    uint8_t started;        /* q is an attitude */
    uint8_t has_zero;       /* zero is not the identity */
    uint8_t heading_known;  /* q's heading is magnetic, not relative */
} marl_estimator;

/* MARL_ERR_ARGUMENT when the tuning does not pass marl_tuning_check; *estimator is then unusable. */
MARL_CHECKED marl_status marl_estimator_init(marl_estimator *estimator, const marl_tuning *tuning);

/* Takes one sample: raw or corrected, any mixture of fresh readings. Returns
 *   MARL_OK              everything fresh was used,
 *   MARL_ERR_NOT_FINITE, MARL_ERR_IMPLAUSIBLE, MARL_ERR_DEGENERATE
 *                        a reading was left out, the rest used,
 *   MARL_ERR_TIME        the sample was left out whole,
 *   MARL_ERR_GAP         more than the tuning's gap_limit has passed, or the clock was set back (ten samples
 * in a row from the past that agree with each other): started anew, MARL_ERR_NOT_READY   not
 * started yet. What was left out is counted in `counts`. Calling on after any of these is right. */
MARL_CHECKED marl_status marl_estimator_update(marl_estimator *estimator, const marl_sample *sample);

/* Says what the attitude is, in the tuning's world: a start from outside, before the first sample or later.
 * It is believed within some degrees; the bias stays. The heading counts as magnetic where the tuning uses
 * the magnetometer. MARL_ERR_ARGUMENT when q cannot be brought to length one. */
MARL_CHECKED marl_status marl_estimator_set_attitude(marl_estimator *estimator, marl_quat q);

/* The attitude of now becomes the one that is given out as level, facing the world's x axis: attitudes are
 * told from it from now on. MARL_ERR_NOT_READY before the start. */
MARL_CHECKED marl_status marl_estimator_set_zero(marl_estimator *estimator);

/* How sure it is: deviations of the tilt about each axis and of the heading, rad, as the filter reckons them.
 * 0 for `gyro` and `vectors`, which reckon none. */
void marl_estimator_doubt(const marl_estimator *estimator, float *tilt, float *heading);

/* The attitude after the last update: unit, canonical, in the tuning's world.
 * MARL_ERR_NOT_READY before the start; *q is then the identity. */
MARL_CHECKED marl_status marl_estimator_attitude(const marl_estimator *estimator, marl_quat *q);

/* 1 when the heading comes from a magnetometer, 0 when it is relative to the start. */
int marl_estimator_heading_is_magnetic(const marl_estimator *estimator);

#ifdef __cplusplus
}
#endif
#endif
