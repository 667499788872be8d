/* SPDX-License-Identifier: MIT
 * A second simulator for the tests, written from the equations and sharing nothing with the library's own: its attitude is
 * integrated by Runge and Kutta, its sensors average over the time between two readings, its slow noise is a sum of
 * Ornstein-Uhlenbeck processes, its readings are counts, its time stamps tenths of a millisecond. */
#ifndef SECOND_WORLD_H
#define SECOND_WORLD_H

#include "marlinspike/lab.h"
#include "random_values.h"

enum { SECOND_SLOW = 6 };

/* A reading is scale (what there is) + bias + noise, in counts. */
typedef struct second_sensor {
    double scale[3][3], bias[3];
    double white, slow, count; /* deviations of a reading and of each slow process; the least step */
    double state[3][SECOND_SLOW], keep[SECOND_SLOW]; /* what is left of a state at the next reading */
} second_sensor;

typedef struct second_world {
    dice dice;
    double rate_hz;
    int mag_every;   /* rows */
    double field[3]; /* in the world: x east, y north, z up; uT */
    second_sensor sensor[MARL_SENSOR_COUNT];
    double q[4]; /* body to world */
    double t_s;
    marl_log log; /* with the truth; grows */
} second_world;

/* A part before its calibration, lying flat: 0.1 m/s^2, 1 deg/s and 15 uT of bias, 1 % of scale and half a percent between
 * the axes, drawn from the seed; so are rate (60 to 180 Hz), field and dip. */
void second_world_init(second_world *w, uint64_t seed);
void second_world_rest(second_world *w, double seconds);
/* About an axis of the body, from rest to rest. */
void second_world_turn(second_world *w, const double axis[3], double angle_rad, double seconds);
/* Turned and moved to and fro; rms of an axis, rad/s and m/s^2. */
void second_world_hand(second_world *w, double seconds, double rate, double accel);
/* What corrects the sensor: matrix (reading - bias). */
void second_world_matrix(const second_sensor *s, double matrix[3][3]);
/* The same as a calibration of all three. */
marl_calibration_record second_world_calibration(const second_world *w);

#endif
