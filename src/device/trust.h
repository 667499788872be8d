/* SPDX-License-Identifier: MIT
 * The weight of a reading, by evidence; without a jump, on the lane type. */
#ifndef MARL_TRUST_LANES_H
#define MARL_TRUST_LANES_H

#include "lane_quat.h"
#include "marlinspike/trust.h"

/* No evidence is stronger, so that its fourth power is finite. */
#define TRUST_MOST_UNREST 1e4f
/* Of stronger evidence only so much lingers, so that it is gone within three of the tuning's linger times. */
#define TRUST_LINGERS 10.0f
/* After a start the past is worth little for so long, trusted seconds. */
#define TRUST_SETTLING 0.5f
/* Shaken readings of the accelerometer are independent so soon; what turns the magnetometer lasts, s. */
#define TRUST_SHAKEN 0.5f
#define TRUST_TURNED 2.0f
/* The scatter is the mean of so long, s. */
#define TRUST_MEAN 0.5f
/* Trusted time is not counted further, s: a float would stop counting by itself. */
#define TRUST_MOST_MEMORY 1e5f
/* Weight of a sensor that is let in again because it was left out for too long, or because the estimate may
 * be off by a radian. */
#define TRUST_LET_IN 0.1f

#ifdef MARL_LANES
typedef struct lane_trust {
    lane weight, unrest, misfit, scatter, per_angle, settled, let_in, memory_s, heard_s, out_s;
} lane_trust;
typedef struct lane_doubt {
    lane angle, both, bias;
} lane_doubt;
#else
typedef marl_trust lane_trust;
typedef marl_doubt lane_doubt;
#endif

/* The parameters of the tuning that judge: slacks. */
typedef struct trust_limits {
    lane accel, rate, tilt;   /* m/s^2, rad/s, rad */
    lane field, dip, heading; /* share of the strength, sine of the dip, rad */
    lane linger, hold;        /* s */
} trust_limits;

/* The weight of readings that stand for `age` seconds, by their misfit, rad^2, and the evidence beside it. */
static inline void trust_judge(lane_trust *t, lane misfit, lane evidence, lane age,
                               const trust_limits *limits)
{
    t->misfit = misfit;
    lane all = lane_root(evidence + misfit * t->per_angle * t->settled);
    lane left = lane_least(t->unrest, lane_constant(age, TRUST_LINGERS)) *
                (1.0f - lane_least(age / limits->linger, lane_constant(age, 1.0f)));
    t->scatter =
        t->scatter + lane_least(age * (1.0f / TRUST_MEAN), lane_constant(age, 1.0f)) * (misfit - t->scatter);
    t->unrest = lane_least(lane_most(all, left), lane_constant(age, TRUST_MOST_UNREST));
    lane square = t->unrest * t->unrest;
    lane weight = 1.0f / (1.0f + square * square);
    t->out_s = lane_select(weight >= 0.5f, lane_constant(age, 0.0f), t->out_s + age);
    t->weight = lane_most(weight, t->let_in);
    t->memory_s = lane_least(t->memory_s + t->weight * age, lane_constant(age, TRUST_MOST_MEMORY));
    t->heard_s = lane_least(t->heard_s + age, lane_constant(age, TRUST_MOST_MEMORY));
}

/* What the next readings are judged by, `variance` being the doubt about the angle that they would correct.
 */
static inline void trust_reckon(lane_trust *t, lane slack, lane variance, const trust_limits *limits)
{
    lane one = lane_constant(slack, 1.0f);
    t->per_angle = 1.0f / (slack * slack + variance);
    t->let_in = TRUST_LET_IN * lane_select(t->out_s > limits->hold, one, lane_least(variance, one));
    lane known = t->memory_s / (t->memory_s + TRUST_SETTLING);
    t->settled = known * known;
    t->unrest = lane_snap(t->unrest);
    t->scatter = lane_snap(t->scatter);
}

/* A reading that disagrees by much more than its slack says nothing about the bias. */
static inline lane trust_in_drift(const lane_trust *t)
{
    return 1.0f / (1.0f + t->misfit * t->per_angle);
}

/* After a start an estimate cannot be surer of itself than the readings bear out: least variance of its
 * angle. Readings that scatter count as independent when they are `apart` seconds from each other. */
static inline lane trust_least_doubt(const lane_trust *t, float apart)
{
    lane unsettled = lane_most(1.0f - 3.0f * t->settled, lane_constant(t->settled, 0.0f));
    lane one = lane_constant(t->settled, 1.0f);
    return unsettled * t->scatter * lane_least(one, apart / (t->heard_s + 1e-3f));
}

#endif
