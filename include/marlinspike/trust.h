/* SPDX-License-Identifier: MIT
 * How far accelerometer and magnetometer are believed. The readings of 100 ms get a weight from 0 to 1, by
 * evidence:
 *
 *   accelerometer  their lengths against gravity and the rates of turning (a steady turn pulls sideways and
 *                  hardly changes the length), mean squares both, how far the rate is off that of the second
 *                  before (a swing; an unknown bias stays), and the angle between their mean and the
 *                  estimate's "up"
 *   magnetometer   strength and dip of their mean against what they were while it was believed, and the angle
 *                  between it and the estimate's north
 *
 * Each piece of evidence is a ratio to its slack, a parameter of the tuning; `unrest` is the root of the sum
 * of their squares. It lingers, fading by 1/e in each of the tuning's linger times; of what was larger than
 * ten, ten lingers, so that any sensor counts half again within three of them.
 * weight = 1 / (1 + unrest^4): all of it well inside the slacks, half at one of them, a hundredth at three.
 *
 * Disagreement with the estimate counts for less the less the estimate knows: its doubt grows with time and
 * turning, and shrinks as readings are taken in. So a sensor cannot be shut out by an estimate that is wrong.
 * A sensor that has been left out for the tuning's hold_limit is let in again, at a tenth. */
#ifndef MARLINSPIKE_TRUST_H
#define MARLINSPIKE_TRUST_H

#ifdef __cplusplus
extern "C" {
#endif

/* Of one sensor. */
typedef struct marl_trust {
    float weight;    /* of the last readings, 0 to 1 */
    float unrest;    /* evidence against it, lingering: 1 = a slack */
    float misfit;    /* square of the angle between their mean and the estimate, rad^2 */
    float scatter;   /* its mean over half a second */
    float per_angle; /* evidence for each rad^2 of it: one over the squares of slack and doubt */
    float settled;   /* share at which the past counts as evidence: little after a start */
    float let_in;    /* no weight is less: how much the estimate needs a reading */
    float memory_s;  /* time, by weight, of the readings since the start */
    float heard_s;   /* time of all readings since the start */
    float out_s;     /* time since its weight was last a half */
} marl_trust;

/* Covariance of an angle of the estimate and the gyroscope's bias about its axis. */
typedef struct marl_doubt {
    float angle; /* rad^2 */
    float both;  /* rad^2/s */
    float bias;  /* (rad/s)^2 */
} marl_doubt;

#ifdef __cplusplus
}
#endif
#endif
