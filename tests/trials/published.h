/* SPDX-License-Identifier: MIT
 * The three filters as published, with constant gains or noise and nothing else: double precision,
 * trigonometry, dense matrices, one equation a line. The library's filters with "weighting": "off" and
 * "run_down" off are held against these, step for step. Same front end: rate integrated with every sample,
 * readings turned into the world by the estimate, corrected by their mean ten times a second. World enu, SI,
 * uT. */
#ifndef PUBLISHED_H
#define PUBLISHED_H

enum { PUBLISHED_STATES = 8 };

typedef struct published {
    double q[4];    /* body to world, w first */
    double bias[3]; /* rad/s */
    double rate[3]; /* last reading */
    double force[3], field[3], age, field_age, since_start;
    int forces, fields, started;
    /* complementary: 1/s, 1/s^2; gradient descent: rad/s, rad/s^2 */
    double gain, integral, heading_gain, heading_integral;
    /* kalman */
    double gyro_noise, gyro_scale, gyro_walk, accel_sigma, speed_sigma, mag_sigma, disturbance_time,
        velocity_time;
    double p[PUBLISHED_STATES][PUBLISHED_STATES], velocity[2];
} published;

typedef void published_correction(published *s);
/* "Nonlinear complementary filters on the special orthogonal group" (2008), tilt and heading apart. */
published_correction published_complementary;
/* "Estimation of IMU and MARG orientation using a gradient descent algorithm" (2011), tilt and heading apart,
 * each with its own normalised gradient. */
published_correction published_gradient;
/* Error-state Kalman filter with a leaky velocity as pseudo-measurement. */
published_correction published_kalman;

/* Attitude known; standard deviations of attitude, rad, and bias, rad/s, for the Kalman filter. */
void published_start(published *s, const double q[4], double attitude, double bias);
/* One sample dt seconds after the one before; mag NULL: not fresh. */
void published_step(published *s, published_correction *correct, const double gyro[3], const double accel[3],
                    const double *mag, double dt);

#endif
