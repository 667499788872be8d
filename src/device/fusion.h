/* SPDX-License-Identifier: MIT
 * The steps of the filters that pull an integrated rate towards the vectors: straight lines of arithmetic without
 * a jump, world frame enu. Which readings are fresh is the caller's to know; all are finite and plausible. */
#ifndef MARL_FUSION_H
#define MARL_FUSION_H

#include "marlinspike/estimator.h"
#include "step.h"
#include "trust.h"

/* The noise of the rate in whose terms time constants are told, rad/s/sqrt(Hz): it sets no gain but the first. */
#define FUSION_WHITE 1e-4f
/* Doubts of a fresh start, rad^2: in motion it may be so wrong; and of no estimate at all. */
#define FUSION_FRESH 0.1f
#define FUSION_LOST 2.0f
/* Half the most that one reading may turn the estimate about an axis, rad. */
#define FUSION_MOST_FIX 0.07f
/* Scale errors add up within a turn, and from turn to turn at random. */
#define FUSION_TURN 6.2831853f
/* Trusted seconds after which the references of field strength and dip follow only slowly. */
#define FUSION_FIELD_MEMORY 30.0f

#ifdef MARL_LANES
typedef struct fusion_state {
    laneq q;
    lane3 bias, turning;
    lane_trust accel_trust, mag_trust;
    lane_doubt tilt, heading;
    lane field, dip;
} fusion_state;
#else
typedef marl_belief fusion_state;
#endif

typedef struct fusion_limits {
    trust_limits trust;
    lane tilt_time, heading_time;   /* s */
    lane tilt_speed, heading_speed; /* rad/s; of gradient descent */
    lane bias_time, bias_limit;     /* s, rad/s */
    lane gyro_scale;                /* 1 */
} fusion_limits;

static inline lane3 lane3_clamp(lane3 a, lane limit)
{
    return (lane3){step_clamp(a.x, limit), step_clamp(a.y, limit), step_clamp(a.z, limit)};
}

/* A doubt after dt seconds of integrated rate, whose variance grows by `scale` a second and its bias walks by `drift`.
 * `turning` is the rate at which the axis moves in the body: error and bias go together only while they share it. */
static inline void fusion_age(lane_doubt *d, lane dt, lane scale, lane drift, lane turning)
{
    lane both = d->both * lane_most(1.0f - turning * dt, lane_constant(dt, 0.0f));
    lane noise = (FUSION_WHITE * FUSION_WHITE + scale) * dt;
    d->angle = lane_least(d->angle - dt * (both + both - dt * d->bias) + noise, lane_constant(dt, FUSION_LOST));
    d->both = both - dt * d->bias;
    d->bias = d->bias + drift * drift * dt;
}

static inline lane lane_size(lane x)
{
    return lane_most(x, -x);
}

/* Turns on with the rate for dt seconds. Scale errors add to the doubt about the axis of the turn. Returns where the
 * world's axes are now. */
static inline step_axes fusion_turn(fusion_state *s, const fusion_limits *p, lane3 rate, lane dt)
{
    lane3 r = s->turning = lane3_sub(rate, s->bias);
    s->q = step_turn(s->q, r, dt);
    step_axes world = step_world(s->q);
    lane level = lane_size(lane3_dot(world.east, r)) + lane_size(lane3_dot(world.north, r));
    lane upright = lane_size(lane3_dot(world.up, r));
    lane scale = p->gyro_scale * p->gyro_scale * FUSION_TURN, drift = FUSION_WHITE / p->bias_time;
    fusion_age(&s->tilt, dt, scale * level, drift, level + upright);
    fusion_age(&s->heading, dt, scale * upright, drift, level);
    return world;
}

/* What a reading takes out of an error, and adds to the bias of what it takes out (1/s). */
typedef struct fusion_gain {
    lane share, bias;
} fusion_gain;

/* The gain that a Kalman filter of one angle and its bias would take, for readings so noisy that it settles at the time
 * constant: large after a start, then running down to it. */
static inline fusion_gain fusion_take_in(lane_doubt *d, lane time_constant, lane weight, lane age)
{
    lane noise = FUSION_WHITE * time_constant, trusted = weight * age;
    lane inverse = 1.0f / (d->angle * trusted + noise * noise);
    lane share = d->angle * trusted * inverse, kept = noise * noise * inverse;
    fusion_gain gain = {share, -d->both / d->angle};
    d->bias = d->bias - d->both * d->both * trusted * inverse;
    d->both = d->both * kept;
    d->angle = d->angle * kept;
    return gain;
}

/* Down the gradient of the squared error at a speed of its own: the share of it that lies on the `way` (rad). */
static inline lane fusion_at_speed(lane share, lane way, lane error)
{
    return lane_least(share, way / (error + 1e-6f));
}

/* The evidence of an accelerometer reading. Returns its direction. */
static inline lane3 fusion_judge_pull(fusion_state *s, const trust_limits *p, lane3 accel, lane age)
{
    lane strength2 = lane3_dot(accel, accel);
    lane inverse = 1.0f / lane_root(lane_most(strength2, lane_constant(age, MARL_TINY_ACCEL * MARL_TINY_ACCEL)));
    lane length = (strength2 * inverse - MARL_GRAVITY) / p->accel;
    lane unsure = 4.0f * (2.0f * s->tilt.bias + s->heading.bias);
    lane evidence = length * length + trust_ratio(lane3_dot(s->turning, s->turning), p->rate, unsure) +
                    trust_ratio(s->accel_trust.misfit, p->tilt, s->tilt.angle);
    trust_judge(&s->accel_trust, evidence, s->tilt.angle, age, p);
    return lane3_scale(accel, inverse);
}

static inline void fusion_move_bias(fusion_state *s, const fusion_limits *p, lane3 axis, lane by)
{
    s->bias = lane3_snap(lane3_clamp(lane3_sub(s->bias, lane3_scale(axis, by)), p->bias_limit));
}

/* The tilt towards an accelerometer reading that stands for `age` seconds. Leaves q longer than one. */
static inline void fusion_tilt(fusion_state *s, const fusion_limits *p, lane3 up, lane3 accel, lane age, int gradient)
{
    lane3 seen = fusion_judge_pull(s, &p->trust, accel, age);
    lane k = 1.0f / lane_most(1.0f + lane3_dot(seen, up), lane_constant(age, 0.02f));
    lane3 half = lane3_scale(lane3_cross(seen, up), k);
    lane misfit = 4.0f * lane3_dot(half, half);
    s->accel_trust.misfit = misfit;
    fusion_gain gain = fusion_take_in(&s->tilt, p->tilt_time, s->accel_trust.weight, age);
    if (gradient) {
        gain.share = fusion_at_speed(gain.share, p->tilt_speed * age, lane_root(misfit));
    }
    lane3 fix = lane3_clamp(lane3_scale(half, gain.share), lane_constant(age, FUSION_MOST_FIX));
    s->q = laneq_turned(s->q, fix);
    fusion_move_bias(s, p, fix, 2.0f * gain.bias);
}

/* The evidence of a magnetometer reading; its strength and dip are remembered as far as they are believed. */
static inline void fusion_judge_field(fusion_state *s, const trust_limits *p, lane3 mag, lane3 up, lane age)
{
    lane strength2 = lane3_dot(mag, mag);
    lane inverse = 1.0f / lane_root(lane_most(strength2, lane_constant(age, MARL_TINY_MAG * MARL_TINY_MAG)));
    lane strength = strength2 * inverse, dip = -lane3_dot(up, mag) * inverse;
    lane stronger = (strength / s->field - 1.0f) / p->field, steeper = (dip - s->dip) / p->dip;
    lane evidence = stronger * stronger + steeper * steeper +
                    trust_ratio(s->mag_trust.misfit, p->heading, s->heading.angle);
    trust_judge(&s->mag_trust, evidence, s->heading.angle, age, p);
    lane trusted = s->mag_trust.weight * age;
    lane follow = trusted / (lane_least(s->mag_trust.memory_s, lane_constant(age, FUSION_FIELD_MEMORY)) + trusted);
    s->field = s->field + follow * (strength - s->field);
    s->dip = s->dip + follow * (dip - s->dip);
}

/* The heading towards a magnetometer reading: about the vertical alone, so that it can never move the tilt. Leaves q
 * longer than one. */
static inline void fusion_heading(fusion_state *s, const fusion_limits *p, const step_axes *world, lane3 mag, lane age,
                                  int gradient)
{
    fusion_judge_field(s, &p->trust, mag, world->up, age);
    lane east = lane3_dot(world->east, mag), north = lane3_dot(world->north, mag);
    lane reach = lane_root(lane_most(east * east + north * north, lane_constant(age, MARL_TINY_MAG * MARL_TINY_MAG)));
    lane half = east / lane_most(reach + north, 0.02f * reach);
    lane error = 2.0f * lane_size(half);
    s->mag_trust.misfit = error * error;
    fusion_gain gain = fusion_take_in(&s->heading, p->heading_time, s->mag_trust.weight, age);
    if (gradient) {
        gain.share = fusion_at_speed(gain.share, p->heading_speed * age, error);
    }
    lane fix = step_clamp(half * gain.share, lane_constant(age, FUSION_MOST_FIX));
    laneq q = s->q;
    s->q = (laneq){q.w - fix * q.z, q.x - fix * q.y, q.y + fix * q.x, q.z + fix * q.w};
    fusion_move_bias(s, p, world->up, 2.0f * fix * gain.bias);
}

#endif
