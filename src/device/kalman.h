/* SPDX-License-Identifier: MIT
 * The multiplicative error-state Kalman filter. Its error is a small turn in the world (true = turn x
 * estimate) and the bias in the body, so that the accelerometer sees the turns about east and north as they
 * are, and the magnetometer the one about up. Source: "Kalman filtering for spacecraft attitude estimation"
 * (1982), with the attitude error told in the world. */
#ifndef MARL_KALMAN_H
#define MARL_KALMAN_H

#include "fusion.h"

/* The covariance of a fresh start; `north`: its heading is magnetic. */
void kalman_begin(marl_estimator *e, int north);
/* The heading was set anew by the magnetometer. */
void kalman_begin_heading(marl_estimator *e);

/* Turns on with the rate (rad/s, raw) for dt seconds. */
void kalman_turn(marl_estimator *e, marl_vec3 rate, float dt);

/* Takes in a reading that stands for `age` seconds. */
void kalman_tilt(marl_estimator *e, const fusion_limits *p, marl_vec3 accel, float age);
void kalman_heading(marl_estimator *e, const fusion_limits *p, marl_vec3 mag, float age);

#endif
