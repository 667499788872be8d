/* SPDX-License-Identifier: MIT
 * One axis: the angle of a tray, a flap or a balancing beam, from one gyroscope axis and an angle
 * read with noise (an accelerometer's atan2, an encoder). The smallest forms of the complementary and of the
 * Kalman filter, for teaching and for very small processors: a dozen multiplications, no root, no
 * trigonometry.
 *
 *   angle' = rate - bias
 *
 * Angles in rad do not wrap here: feed continuous ones (marl_unwrap_next). Readings that are not finite are
 * left out, so are angles and rates beyond 1e6 and steps of more than 60 s. A bias stays within 10 rad/s, a
 * variance under 1e6 rad^2. */
#ifndef MARLINSPIKE_AXIS_FILTER_H
#define MARLINSPIKE_AXIS_FILTER_H

#include "marlinspike/status.h"

#ifdef __cplusplus
extern "C" {
#endif

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

#ifdef __cplusplus
}
#endif
#endif
