/* SPDX-License-Identifier: MIT
 * States and covariance of the Kalman filter. */
#ifndef MARL_KALMAN_COVARIANCE_H
#define MARL_KALMAN_COVARIANCE_H

#include "device/attitude/estimator_parts.h"

/* Turn of the world about east, north and up; gyroscope bias in the body; horizontal velocity. */
enum { ANGLE = 0, BIAS = 3, SPEED = 6, STATES = MARL_KALMAN_STATES };

/* State i is known within sigma, and not correlated with the others. */
void marlp_kalman_set_variance(marl_kalman *k, int i, float sigma);

/* (3.2) P <- Phi P Phi': s = R T, gt = g T, leak = 1 - T / velocity_time. */
void marlp_kalman_predict_covariance(marl_kalman *kalman, const float s[3][3], float gt, float leak);

/* (3.6) Measurement update of the error state x and of P by one number: z = x_i + noise of the variance r. */
void marlp_kalman_update_scalar(marl_kalman *k, float x[STATES], int i, float z, float r);

/* The heading as measured: the angle of the field from north, its slope with the tilt about north, variance.
 */
typedef struct heading_measurement {
    float angle, slope, variance, limit; /* rad, 1, rad^2, rad */
} heading_measurement;

/* The same by the heading, which changes the heading and the bias along up (body) alone. */
void marlp_kalman_update_heading(marl_kalman *k, float x[STATES], marl_vec3 up, const heading_measurement *m);

/* Variances within their limits, no denormals; after every correction. */
void marlp_kalman_tidy_covariance(marl_kalman *k);

#endif
