/* SPDX-License-Identifier: MIT
 * The weight of a reading, by evidence; without a jump, on the lane type. */
#ifndef MARL_TRUST_LANES_H
#define MARL_TRUST_LANES_H

#include "lane_quat.h"
#include "marlinspike/trust.h"

/* Squares stay below this, so that the fourth power is finite. */
#define TRUST_MOST_UNREST 1e9f
/* Trusted time is not counted further, s: a float would stop counting by itself. */
#define TRUST_MOST_MEMORY 1e5f
/* Weight of a sensor that is let in again because it was left out for too long, or because the estimate may be off by
 * a radian. */
#define TRUST_LET_IN 0.1f

#ifdef MARL_LANES
typedef struct lane_trust {
    lane weight, unrest, misfit, memory_s, out_s;
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

static inline lane lane_constant(lane like, float value)
{
    return 0.0f * like + value;
}

/* A square against that of its slack, widened by the variance of what it is told from. */
static inline lane trust_ratio(lane square, lane slack, lane variance)
{
    return square / (slack * slack + variance);
}

/* Adds the evidence of one reading that stands for `age` seconds; `variance` is the doubt about the angle that it would
 * correct. */
static inline void trust_judge(lane_trust *t, lane evidence, lane variance, lane age, const trust_limits *limits)
{
    lane zero = lane_constant(age, 0.0f), one = lane_constant(age, 1.0f);
    lane left = lane_most(one - age / limits->linger, zero);
    lane bounded = lane_least(evidence, lane_constant(age, TRUST_MOST_UNREST));
    t->unrest = lane_snap(lane_most(bounded, t->unrest * left));
    lane weight = 1.0f / (1.0f + t->unrest * t->unrest);
    t->out_s = lane_select(weight >= 0.5f, zero, t->out_s + age);
    lane lost = lane_select(t->out_s > limits->hold, one, lane_least(variance, one));
    t->weight = lane_most(weight, TRUST_LET_IN * lost);
    t->memory_s = lane_least(t->memory_s + t->weight * age, lane_constant(age, TRUST_MOST_MEMORY));
}

#endif
