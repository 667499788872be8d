/* SPDX-License-Identifier: MIT
 * The steps of the filters that pull an integrated rate towards the vectors: straight lines of arithmetic without
 * a jump, world frame enu. Which readings are fresh is the caller's to know; all are finite and plausible. */
#ifndef MARL_FUSION_H
#define MARL_FUSION_H

#include "marlinspike/estimator.h"
#include "step.h"
#include "trust.h"

/* Trusted seconds before the bias is moved at full strength: what a start knows of it. */
#define FUSION_BIAS_AFTER_TILT 0.5f
#define FUSION_BIAS_AFTER_HEADING 2.0f
/* Trusted seconds after which the references of field strength and dip follow only slowly. */
#define FUSION_FIELD_MEMORY 30.0f

#ifdef MARL_LANES
typedef struct fusion_state {
    laneq q;
    lane3 bias, turning;
    lane_trust tilt, heading;
    lane field, dip, bias_doubt;
} fusion_state;
#else
typedef marl_belief fusion_state;
#endif

typedef struct fusion_limits {
    trust_limits trust;
    lane tilt_time, heading_time;   /* s; of the complementary filter */
    lane tilt_speed, heading_speed; /* rad/s; of gradient descent */
    lane bias_time, bias_limit;     /* s, rad/s */
    lane bias_spread, gyro_scale;   /* rad/s, 1 */
} fusion_limits;

/* What a step takes out of an error. */
typedef struct fusion_gain {
    lane share; /* of the error, 0 to 1 */
    lane bias;  /* of what was taken out, to the bias, 1/s */
} fusion_gain;

/* Growth of a doubt in dt seconds. */
static inline lane fusion_doubt(const fusion_state *s, const fusion_limits *p, lane dt)
{
    lane3 r = s->turning;
    lane turning = lane_most(r.x, -r.x) + lane_most(r.y, -r.y) + lane_most(r.z, -r.z);
    return (s->bias_doubt + p->gyro_scale * turning) * dt;
}

/* Turns on with the rate for dt seconds. */
static inline void fusion_turn(fusion_state *s, const fusion_limits *p, lane3 rate, lane dt)
{
    lane most = lane_constant(dt, TRUST_LOST);
    s->turning = lane3_sub(rate, s->bias);
    s->q = step_turn(s->q, s->turning, dt);
    lane known = s->tilt.memory_s;
    s->bias_doubt = p->bias_spread / (1.0f + known * known) + 1e-4f;
    lane growth = fusion_doubt(s, p, dt);
    s->tilt.doubt = lane_least(s->tilt.doubt + growth, most);
    s->heading.doubt = lane_least(s->heading.doubt + growth, most);
}

/* A time constant that begins short and grows to `full` with the trusted time: the weights of a straight line fitted
 * to all readings so far. */
static inline lane fusion_time(lane full, lane memory_s)
{
    return lane_least(full, 0.25f * memory_s);
}

/* Both filters run their gain down from a start and learn the bias from what they take out. */
static inline fusion_gain fusion_gain_of(lane share, const lane_trust *t, lane bias_time, float after)
{
    lane settling = lane_least(bias_time, (t->memory_s + after) * (1.0f / 1.5f));
    return (fusion_gain){share, t->weight / settling};
}

/* A share of the error for each time constant. */
static inline lane fusion_share_by_time(lane full, const lane_trust *t, lane age)
{
    lane trusted = t->weight * age;
    return trusted / (trusted + fusion_time(full, t->memory_s));
}

/* The way of a fixed speed down the gradient of the squared error, never beyond its end. */
static inline lane fusion_share_by_speed(lane speed, const lane_trust *t, lane age, lane half)
{
    lane trusted = t->weight * age, one = lane_constant(age, 1.0f);
    lane way = trusted * speed * (1.0f + 1.0f / (t->memory_s + 0.02f));
    return lane_least(way / (2.0f * half + 1e-6f), one);
}

static inline void fusion_move_bias(fusion_state *s, const fusion_limits *p, lane3 by)
{
    lane3 b = lane3_sub(s->bias, by);
    lane limit = p->bias_limit;
    s->bias = lane3_snap((lane3){step_clamp(b.x, limit), step_clamp(b.y, limit), step_clamp(b.z, limit)});
}

/* The evidence of an accelerometer reading. Returns its direction. */
static inline lane3 fusion_judge_pull(fusion_state *s, const trust_limits *p, lane3 accel, lane age)
{
    lane strength2 = lane3_dot(accel, accel);
    lane inverse = 1.0f / lane_root(lane_most(strength2, lane_constant(age, MARL_TINY_ACCEL * MARL_TINY_ACCEL)));
    lane length = (strength2 * inverse - MARL_GRAVITY) / p->accel;
    lane evidence = length * length + trust_ratio(lane3_dot(s->turning, s->turning), p->rate, s->bias_doubt) +
                    trust_ratio(s->tilt.misfit, p->tilt, s->tilt.doubt);
    trust_judge(&s->tilt, evidence, age, p);
    return lane3_scale(accel, inverse);
}

/* The tilt towards an accelerometer reading that stands for `age` seconds. */
static inline void fusion_tilt(fusion_state *s, const fusion_limits *p, lane3 accel, lane age, int gradient)
{
    lane3 seen = fusion_judge_pull(s, &p->trust, accel, age), up = step_up(s->q);
    lane k = 1.0f / lane_most(1.0f + lane3_dot(seen, up), lane_constant(age, 0.02f));
    lane3 half = lane3_scale(lane3_cross(seen, up), k);
    lane half2 = lane3_dot(half, half);
    lane share = gradient ? fusion_share_by_speed(p->tilt_speed, &s->tilt, age, lane_root(half2))
                          : fusion_share_by_time(p->tilt_time, &s->tilt, age);
    fusion_gain gain = fusion_gain_of(share, &s->tilt, p->bias_time, FUSION_BIAS_AFTER_TILT);
    s->tilt.misfit = 4.0f * half2;
    trust_take_in(&s->tilt, share, p->trust.tilt, age);
    lane3 fix = lane3_scale(half, gain.share);
    laneq turn = {lane_constant(age, 1.0f), fix.x, fix.y, fix.z};
    s->q = laneq_snap(laneq_unit(laneq_product(s->q, turn)));
    fusion_move_bias(s, p, lane3_scale(fix, 2.0f * gain.bias));
}

/* The evidence of a magnetometer reading; its strength and dip are remembered as far as they are believed. */
static inline void fusion_judge_field(fusion_state *s, const trust_limits *p, lane3 mag, lane3 up, lane age)
{
    lane strength2 = lane3_dot(mag, mag);
    lane inverse = 1.0f / lane_root(lane_most(strength2, lane_constant(age, MARL_TINY_MAG * MARL_TINY_MAG)));
    lane strength = strength2 * inverse, dip = -lane3_dot(up, mag) * inverse;
    lane stronger = (strength / s->field - 1.0f) / p->field, steeper = (dip - s->dip) / p->dip;
    lane evidence = stronger * stronger + steeper * steeper +
                    trust_ratio(s->heading.misfit, p->heading, s->heading.doubt);
    trust_judge(&s->heading, evidence, age, p);
    lane trusted = s->heading.weight * age;
    lane follow = trusted / (trusted + lane_least(s->heading.memory_s, lane_constant(age, FUSION_FIELD_MEMORY)));
    s->field = s->field + follow * (strength - s->field);
    s->dip = s->dip + follow * (dip - s->dip);
}

/* The heading towards a magnetometer reading: about the vertical alone, so that it can never move the tilt. */
static inline void fusion_heading(fusion_state *s, const fusion_limits *p, lane3 mag, lane age, int gradient)
{
    lane3 up = step_up(s->q), level = laneq_rotate(s->q, mag);
    fusion_judge_field(s, &p->trust, mag, up, age);
    lane reach2 = level.x * level.x + level.y * level.y;
    lane reach = lane_root(lane_most(reach2, lane_constant(age, MARL_TINY_MAG * MARL_TINY_MAG)));
    lane half = level.x / lane_most(reach + level.y, 0.02f * reach);
    lane share = gradient ? fusion_share_by_speed(p->heading_speed, &s->heading, age, lane_most(half, -half))
                          : fusion_share_by_time(p->heading_time, &s->heading, age);
    fusion_gain gain = fusion_gain_of(share, &s->heading, p->bias_time, FUSION_BIAS_AFTER_HEADING);
    s->heading.misfit = 4.0f * half * half;
    trust_take_in(&s->heading, share, p->trust.heading, age);
    lane fix = half * gain.share;
    laneq turn = {lane_constant(age, 1.0f), lane_constant(age, 0.0f), lane_constant(age, 0.0f), fix};
    s->q = laneq_snap(laneq_unit(laneq_product(turn, s->q)));
    fusion_move_bias(s, p, lane3_scale(up, 2.0f * fix * gain.bias));
}

#endif
