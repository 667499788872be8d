/* SPDX-License-Identifier: MIT
 * A second-order low-pass section, x'' + 2 d w x' + w^2 x = w^2 u, stepped exactly: its response to an input
 * that is straight between samples, and to white noise. */
#ifndef LAB_LOWPASS2_H
#define LAB_LOWPASS2_H

#include "lab/simulate/sensor_model.h"

/* frequency in Hz, damping > 0; 0.7071 is the flattest. */
lab_lowpass2 lab_lowpass2_make(double frequency, double damping, double step);

/* Moves state = (x, x') on by a step in which the input goes straight from `before` to `after`; returns x. */
double lab_lowpass2_follow(const lab_lowpass2 *lowpass2, double state[2], double before, double after);

/* The same for white noise of unit two-sided density: a and b are normal numbers. */
double lab_lowpass2_noise(const lab_lowpass2 *lowpass2, double state[2], double a, double b);

#endif
