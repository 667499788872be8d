/* SPDX-License-Identifier: MIT
 * Each filter as its textbook has it: the published equations written plainly, one step per sample, no
 * checks. What the library's estimators are compared with, in error and in time; never improved. World enu,
 * SI, magnetometer in uT; rates in rad/s. */
#ifndef PLAIN_H
#define PLAIN_H

#include "marlinspike/quat.h"

typedef struct plain_state {
    marl_quat q; /* body to world */
    marl_vec3 bias;
    float p[6][6];         /* Kalman: covariance of attitude error (body) and bias */
    marl_vec3 field;       /* Kalman: unit field of the world, known */
    float gain, bias_gain; /* what the one tuning sets: see each step */
} plain_state;

/* All begin with the attitude of two vectors. */
marl_quat plain_two_vectors(marl_vec3 accel, marl_vec3 mag);

/* One step of dt seconds. accel or mag NULL: not fresh, or not to be used. */
typedef void plain_step(plain_state *s, marl_vec3 gyro, const marl_vec3 *accel, const marl_vec3 *mag,
                        float dt);

/* The rate integrated, nothing else. */
plain_step plain_gyro;
/* Two vectors at every step. */
plain_step plain_vectors;
/* "Nonlinear complementary filters on the special orthogonal group" (2008), explicit form.
 * gain: proportional, 1/s; bias_gain: integral, 1/s^2. */
plain_step plain_complementary;
/* "Estimation of IMU and MARG orientation using a gradient descent algorithm" (2011).
 * gain: speed of the correction, rad/s; bias_gain: 1/s. */
plain_step plain_gradient;
/* Multiplicative error-state Kalman filter: "Kalman filtering for spacecraft attitude estimation" (1982),
 * with two unit vectors. gain: deviation of a unit vector's reading; bias_gain: walk of the bias,
 * rad/s/sqrt(s). */
plain_step plain_kalman;

/* Bias unknown by 1 degree a second, attitude by some degrees. */
void plain_kalman_init(plain_state *s, marl_vec3 field);

#endif
