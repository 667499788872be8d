/* SPDX-License-Identifier: MIT
 * The list of parameters, from which the tables of numbers, of names and of texts are made: a firmware that names no
 * parameter carries the numbers alone. Each row: identifier, name, unit ("" for a switch), kind, group, default, least
 * and greatest value, filters that use it, one line about it. */
#ifndef MARL_PARAMETER_LIST_H
#define MARL_PARAMETER_LIST_H

#include "device/attitude/parameter_limits.h"

#define GYRO (1u << MARL_FILTER_GYRO)
#define VECTORS (1u << MARL_FILTER_VECTORS)
#define COMPLEMENTARY (1u << MARL_FILTER_COMPLEMENTARY)
#define GRADIENT (1u << MARL_FILTER_GRADIENT_DESCENT)
#define KALMAN (1u << MARL_FILTER_KALMAN)
#define SIMPLE (COMPLEMENTARY | GRADIENT)
#define CORRECTED (SIMPLE | KALMAN)
#define ALL (GYRO | VECTORS | CORRECTED)
#define NUMBER MARL_KIND_NUMBER
#define SWITCH MARL_KIND_SWITCH
#define PLAIN MARL_GROUP_PARAMETERS
#define WEIGHTING MARL_GROUP_WEIGHTING

/* clang-format off */
#define PARAMETER_LIST(ROW) \
    ROW(USE_MAG, "use_mag", "", SWITCH, PLAIN, 1.0f, 0.0f, 1.0f, ALL, \
        "use the magnetometer for the heading; without it the heading is relative to the start") \
    ROW(WEIGHTING, "weighting", "", SWITCH, PLAIN, 1.0f, 0.0f, 1.0f, CORRECTED, \
        "readings that disagree lose weight; off: the published filter with constant noise or gains") \
    ROW(RUN_DOWN, "run_down", "", SWITCH, PLAIN, 1.0f, 0.0f, 1.0f, SIMPLE, \
        "after a start the gains run down from those of a mean of all readings so far") \
    ROW(TILT_TIME, "tilt_time", "s", NUMBER, PLAIN, 1.0f, 0.01f, 1000.0f, COMPLEMENTARY, \
        "time constant of the tilt correction, 1 / proportional gain") \
    ROW(HEADING_TIME, "heading_time", "s", NUMBER, PLAIN, 10.0f, 0.01f, 1000.0f, COMPLEMENTARY, \
        "time constant of the heading correction") \
    ROW(DAMPING, "damping", "1", NUMBER, PLAIN, 0.91f, 0.1f, 100.0f, COMPLEMENTARY, \
        "damping ratio of both loops; integral gain = 1 / (2 damping time)^2") \
    ROW(BETA, "beta", "rad/s", NUMBER, PLAIN, 0.05f, 0.0001f, 10.0f, GRADIENT, \
        "speed of the tilt correction down the gradient") \
    ROW(ZETA, "zeta", "rad/s^2", NUMBER, PLAIN, 0.004f, 0.0f, 10.0f, GRADIENT, \
        "rate at which the tilt error changes the gyroscope bias") \
    ROW(HEADING_BETA, "heading_beta", "rad/s", NUMBER, PLAIN, 0.006f, 0.0001f, 10.0f, GRADIENT, \
        "speed of the heading correction down the gradient") \
    ROW(HEADING_ZETA, "heading_zeta", "rad/s^2", NUMBER, PLAIN, 0.0003f, 0.0f, 10.0f, GRADIENT, \
        "rate at which the heading error changes the gyroscope bias") \
    ROW(GYRO_WHITE, "gyro_white", "rad/s/sqrt(Hz)", NUMBER, PLAIN, 0.00015f, 0.0000001f, 1.0f, KALMAN, \
        "noise density of the gyroscope (angle random walk)") \
    ROW(GYRO_SCALE, "gyro_scale", "1", NUMBER, PLAIN, 0.0005f, 0.0f, 0.5f, KALMAN, \
        "scale factor uncertainty of the gyroscope; 0.002 where its bias alone is calibrated, or nothing") \
    ROW(GYRO_WALK, "gyro_walk", "rad/s/sqrt(s)", NUMBER, PLAIN, 0.00003f, 0.0f, 1.0f, KALMAN, \
        "rate random walk of the gyroscope bias") \
    ROW(BIAS_SPREAD, "bias_spread", "rad/s", NUMBER, PLAIN, 0.04f, 0.0f, 1.0f, CORRECTED, \
        "standard deviation of the gyroscope bias at the start, per axis; 0.01 where a calibration holds it") \
    ROW(ATTITUDE_SPREAD, "attitude_spread", "rad", NUMBER, PLAIN, 0.5f, 0.001f, 3.0f, KALMAN, \
        "standard deviation of the attitude at the start, per axis") \
    ROW(ACCEL_FLOOR, "accel_floor", "m/s^2", NUMBER, PLAIN, 0.002f, 0.00001f, 10.0f, KALMAN, \
        "slow noise of the accelerometer at rest") \
    ROW(ACCEL_NOISE, "accel_noise", "m/s^2", NUMBER, PLAIN, 0.5f, 0.0f, 100.0f, KALMAN, \
        "accelerations of the body, rms per axis, counted as constant noise while the weighting is off") \
    ROW(ACCEL_BIAS_SPREAD, "accel_bias_spread", "m/s^2", NUMBER, PLAIN, 0.0f, 0.0f, 10.0f, KALMAN, \
        "standard deviation of the accelerometer's bias, per axis: widens the stated sigma; 0.2 where it is not calibrated") \
    ROW(SPEED_FLOOR, "speed_floor", "m/s", NUMBER, PLAIN, 0.6f, 0.001f, 1000.0f, KALMAN, \
        "rms horizontal speed of a body that stays about where it is") \
    ROW(MAG_NOISE, "mag_noise", "uT", NUMBER, PLAIN, 0.3f, 0.001f, 1000.0f, CORRECTED, \
        "magnetometer error per reading: noise and what calibration leaves") \
    ROW(MAG_BIAS_SPREAD, "mag_bias_spread", "uT", NUMBER, PLAIN, 0.0f, 0.0f, 1000.0f, KALMAN, \
        "the same of the magnetometer; 3 where it is not calibrated") \
    ROW(DISTURBANCE_TIME, "disturbance_time", "s", NUMBER, PLAIN, 0.8f, 0.1f, 100.0f, KALMAN, \
        "correlation time of accelerations, speed and field disturbances") \
    ROW(VELOCITY_TIME, "velocity_time", "s", NUMBER, PLAIN, 10.0f, 0.5f, 1000.0f, KALMAN, \
        "time constant with which the velocity state leaks away") \
    ROW(BIAS_LIMIT, "bias_limit", "rad/s", NUMBER, PLAIN, 0.15f, 0.0f, 1.0f, CORRECTED, \
        "largest gyroscope bias per axis; 0 turns the bias estimate off") \
    ROW(GAP_LIMIT, "gap_limit", "s", NUMBER, PLAIN, 1.0f, 0.001f, 60.0f, ALL, \
        "longest gap between samples that is bridged; after a longer one the estimator restarts") \
    ROW(LEVER_X, "lever_x", "m", NUMBER, PLAIN, 0.0f, -1000.0f, 1000.0f, CORRECTED, \
        "position of the accelerometer from the centre of rotation, along body x") \
    ROW(LEVER_Y, "lever_y", "m", NUMBER, PLAIN, 0.0f, -1000.0f, 1000.0f, CORRECTED, \
        "the same along body y") \
    ROW(LEVER_Z, "lever_z", "m", NUMBER, PLAIN, 0.0f, -1000.0f, 1000.0f, CORRECTED, \
        "the same along body z") \
    ROW(MAG_DELAY, "mag_delay", "s", NUMBER, PLAIN, 0.0f, -0.2f, 0.2f, CORRECTED, \
        "how late the magnetometer's readings are against the gyroscope's; smooth finds it") \
    ROW(ACCEL_THRESHOLD, "accel_threshold", "m/s^2", NUMBER, WEIGHTING, 0.12f, 0.001f, 1000000.0f, SIMPLE, \
        "acceleration at which the accelerometer has half its weight") \
    ROW(FORCE_TIME, "force_time", "s", NUMBER, WEIGHTING, 2.5f, 0.1f, 1000.0f, SIMPLE, \
        "time over which the down-weighted force is averaged") \
    ROW(BIAS_SHARE, "bias_share", "1", NUMBER, WEIGHTING, 0.06f, 0.0f, 1.0f, SIMPLE, \
        "share of that averaged force that may change the gyroscope bias") \
    ROW(MAG_THRESHOLD, "mag_threshold", "uT", NUMBER, WEIGHTING, 1.0f, 0.001f, 1000000.0f, SIMPLE, \
        "change of the field at which the magnetometer has half its weight; 3 where it is not calibrated") \
    ROW(SPEED_TIME, "speed_time", "s", NUMBER, WEIGHTING, 60.0f, 1.0f, 10000.0f, KALMAN, \
        "how long a fast motion is remembered") \
    ROW(START_SPEED, "start_speed", "m/s", NUMBER, WEIGHTING, 0.0084f, 0.0f, 100.0f, KALMAN, \
        "speed change of a body at rest that the mean acceleration since the start may hold") \
    ROW(START_ARM, "start_arm", "m", NUMBER, WEIGHTING, 10.0f, 0.0f, 1000.0f, KALMAN, \
        "the same in motion, for each rad/s of the scatter of the rate") \
    ROW(RESET_SPEED, "reset_speed", "m/s", NUMBER, WEIGHTING, 20.0f, 0.1f, 10000.0f, KALMAN, \
        "a mean acceleration over 30 s that needs more than this shows a wrong tilt: restart")
/* clang-format on */

#endif
