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

/* The covariance after `age` more seconds of integrated rate. */
void kalman_age(marl_estimator *e, float age);

/* Take in the mean of the readings gathered, which stands for `age` seconds. */
void kalman_tilt(marl_estimator *e, const fusion_limits *p, const marl_gathered *mean, float age);
void kalman_heading(marl_estimator *e, const fusion_limits *p, const marl_gathered *mean, float age);

#endif
