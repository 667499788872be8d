/* SPDX-License-Identifier: MIT
 * The steps of the filters that pull an integrated rate towards the vectors: straight lines of arithmetic
 * without a jump, world frame enu. Readings are turned into the world by the estimate as they come, summed,
 * and corrected by together: shaking averages out, and what happens with each sample is little. Which
 * readings are fresh is the caller's to know; all are finite and plausible. */
#ifndef MARL_FUSION_H
#define MARL_FUSION_H

#include "marlinspike/estimator.h"
#include "step.h"
#include "trust.h"

/* The noise of the rate in whose terms time constants are told, rad/s/sqrt(Hz): it sets no gain but the
 * first. */
#define FUSION_WHITE 1e-4f
/* Doubts of a fresh start, rad^2: in motion it may be so wrong; and of no estimate at all. */
#define FUSION_FRESH 0.1f
#define FUSION_LOST 2.0f
/* Half the most that one correction may turn the estimate, rad. */
#define FUSION_MOST_FIX 0.07f
/* Scale errors add up within a turn, and from turn to turn at random. */
#define FUSION_TURN 6.2831853f
/* Trusted seconds after which the references of field strength and dip follow only slowly. */
#define FUSION_FIELD_MEMORY 30.0f
#define FUSION_FIELD_FIRST 0.1f
/* A wrong tilt stays wrong for so long: 2 s of density for each second, s. */
#define FUSION_TILTED_FOR 60.0f
/* The steady part of the rate is that of so long, s. */
#define FUSION_STEADY 1.0f
/* So much of its square counts against the accelerometer where it is not, in rate slacks. */
#define FUSION_SWINGS 0.5f
/* A turn of the tilt by one correction that is no upset, rad^2. */
#define FUSION_SMALL_TURN2 1e-5f
/* The rate is integrated with each sample; the readings that correct are gathered for so long, s (the last of
 * these milliseconds is for stamps that jitter). */
#define FUSION_GATHER 0.099f
/* After a start they are gathered for this share of the time since then. */
#define FUSION_GATHER_SHARE 0.1f

#ifdef MARL_LANES
typedef struct fusion_state {
    laneq q;
    lane3 bias, turning, steady;
    lane_trust accel_trust, mag_trust;
    lane_doubt tilt, heading;
    lane per_rate, field, dip, follow;
} fusion_state;
typedef struct fusion_gathered {
    lane3 accel, mag;
    lane longer2, turning2;
} fusion_gathered;
#else
typedef marl_belief fusion_state;
typedef marl_gathered fusion_gathered;
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

static inline lane lane_size(lane x)
{
    return lane_most(x, -x);
}

/* Turns on with the rate for dt seconds. */
static inline void fusion_turn(fusion_state *s, lane3 rate, lane dt)
{
    s->turning = lane3_sub(rate, s->bias);
    s->q = step_turn(s->q, s->turning, dt);
}

static inline lane3 step_seen_from_world(const step_axes *world, lane3 v)
{
    return (lane3){lane3_dot(world->east, v), lane3_dot(world->north, v), lane3_dot(world->up, v)};
}

static inline void fusion_gather_pull(fusion_gathered *g, const step_axes *world, lane3 accel, lane3 turning)
{
    lane longer = lane3_dot(accel, accel) - MARL_GRAVITY * MARL_GRAVITY;
    g->accel = lane3_add(g->accel, step_seen_from_world(world, accel));
    g->longer2 = g->longer2 + longer * longer;
    g->turning2 = g->turning2 + lane3_dot(turning, turning);
}

static inline void fusion_gather_field(fusion_gathered *g, const step_axes *world, lane3 mag)
{
    g->mag = lane3_add(g->mag, step_seen_from_world(world, mag));
}

/* A doubt after dt seconds of integrated rate, whose variance grows by `scale` a second and its bias walks by
 * `drift`. `turning` is the rate at which the axis moves in the body: error and bias go together only while
 * they share it. */
static inline void fusion_age_doubt(lane_doubt *d, lane dt, lane scale, lane drift, lane turning)
{
    lane both = d->both * lane_most(1.0f - turning * dt, lane_constant(dt, 0.0f));
    lane noise = (FUSION_WHITE * FUSION_WHITE + scale) * dt;
    d->angle =
        lane_least(d->angle - dt * (both + both - dt * d->bias) + noise, lane_constant(dt, FUSION_LOST));
    d->both = both - dt * d->bias;
    d->bias = d->bias + drift * drift * dt;
}

/* Doubts after `age` seconds. Scale errors add to the doubt about the axis of the turn. */
static inline void fusion_age(fusion_state *s, const fusion_limits *p, lane age)
{
    lane3 r = s->turning;
    lane upright = lane_size(lane3_dot(step_up(s->q), r));
    lane level = lane_root(lane_most(lane3_dot(r, r) - upright * upright, lane_constant(age, 0.0f)));
    lane scale = p->gyro_scale * p->gyro_scale * FUSION_TURN, drift = FUSION_WHITE / p->bias_time;
    fusion_age_doubt(&s->tilt, age, scale * level, drift, level + upright);
    fusion_age_doubt(&s->heading, age, scale * upright, drift, level);
    s->tilt.angle = lane_most(s->tilt.angle, trust_least_doubt(&s->accel_trust, TRUST_SHAKEN));
    s->heading.angle = lane_most(s->heading.angle, trust_least_doubt(&s->mag_trust, TRUST_TURNED));
}

/* What the next readings are judged by. A rate that an unknown bias might be is no turn. */
static inline void fusion_reckon(fusion_state *s, const trust_limits *p)
{
    trust_reckon(&s->accel_trust, p->tilt, s->tilt.angle, p);
    trust_reckon(&s->mag_trust, p->heading, s->heading.angle, p);
    s->per_rate = 1.0f / (p->rate * p->rate + 4.0f * (2.0f * s->tilt.bias + s->heading.bias));
    s->follow = 1.0f / (FUSION_FIELD_FIRST +
                        lane_least(s->mag_trust.memory_s, lane_constant(p->rate, FUSION_FIELD_MEMORY)));
}

/* How far the rate is off that of the second before, squared: a bias, known or not, stays. */
static inline lane fusion_swing2(fusion_state *s, lane age)
{
    lane3 off = lane3_sub(lane3_add(s->turning, s->bias), s->steady);
    s->steady = lane3_snap(lane3_add(s->steady, lane3_scale(off, age / (age + FUSION_STEADY))));
    return lane3_dot(off, off);
}

/* Judges the mean of the accelerometer's readings, in the world. Returns half the turn of the world, rad,
 * that would bring it upright. */
static inline lane3 fusion_judge_pull(fusion_state *s, const trust_limits *p, const fusion_gathered *mean,
                                      lane age)
{
    /* what is left of readings without the body's own motion may be next to nothing */
    lane tiny = lane_constant(age, MARL_TINY_ACCEL * MARL_TINY_ACCEL);
    lane length = lane_root(lane_most(lane3_dot(mean->accel, mean->accel), tiny));
    lane k = 1.0f / lane_most(length + mean->accel.z, 0.02f * length);
    lane3 half = {k * mean->accel.y, -k * mean->accel.x, lane_constant(age, 0.0f)};
    lane slack = 2.0f * MARL_GRAVITY * p->accel; /* of the square of its length */
    lane swinging = FUSION_SWINGS * fusion_swing2(s, age) / (p->rate * p->rate);
    lane evidence = mean->longer2 / (slack * slack) + mean->turning2 * s->per_rate + swinging;
    trust_judge(&s->accel_trust, 4.0f * (half.x * half.x + half.y * half.y), evidence, age, p);
    return half;
}

/* Judges the mean of the magnetometer's readings, in the world; strength and dip are remembered as far as
 * they are believed, after a start whatever they are. Returns half the turn about up, rad, that would bring
 * it to the north. */
static inline lane fusion_judge_field(fusion_state *s, const trust_limits *p, lane3 mag, lane age)
{
    lane level2 = mag.x * mag.x + mag.y * mag.y;
    lane tiny = lane_constant(age, MARL_TINY_MAG * MARL_TINY_MAG);
    lane strength = lane_root(lane_most(level2 + mag.z * mag.z, tiny)), dip = -mag.z / strength;
    lane reach = lane_root(lane_most(level2, tiny));
    lane half = mag.x / lane_most(reach + mag.y, 0.02f * reach);
    lane stronger = (strength - s->field) / (s->field * p->field), steeper = (dip - s->dip) / p->dip;
    lane other = (stronger * stronger + steeper * steeper) * s->mag_trust.settled;
    trust_judge(&s->mag_trust, 4.0f * half * half, other, age, p);
    lane unsettled = 1.0f - s->mag_trust.settled;
    lane follow = lane_least(lane_most(s->mag_trust.weight, unsettled * unsettled) * age * s->follow,
                             lane_constant(age, 1.0f));
    s->field = s->field + follow * (strength - s->field);
    s->dip = s->dip + follow * (dip - s->dip);
    return half;
}

/* A large turn of the tilt takes away what was known of the heading, which was found in the tilt before.
 * Returns the variance that the heading's angle gains; `turn2` is the square of the turn, rad^2. */
static inline lane fusion_upset(fusion_state *s, lane turn2)
{
    lane large = lane_most(turn2 - FUSION_SMALL_TURN2, lane_constant(turn2, 0.0f));
    s->mag_trust.memory_s = lane_snap(s->mag_trust.memory_s / (1.0f + 100.0f * large));
    return 10.0f * large;
}

/* A wrong tilt lets the upright part of the field look like a turn of the heading: so many rad^2 for each of
 * it. */
static inline lane fusion_slope2(lane dip)
{
    lane sine2 = dip * dip;
    return sine2 / lane_most(1.0f - sine2, lane_constant(dip, 0.0025f));
}

/* Takes readings of `trusted` seconds into a doubt. Returns the share of the error that goes: what a Kalman
 * filter of one angle and its bias takes, for readings so noisy that it settles at the time constant: large
 * after a start, running down to it. `more` is noise beside that, rad^2 s. */
static inline lane fusion_take_in(lane_doubt *d, lane time_constant, lane more, lane trusted)
{
    lane noise2 = FUSION_WHITE * FUSION_WHITE * time_constant * time_constant + more;
    lane inverse = 1.0f / (d->angle * trusted + noise2), kept = noise2 * inverse;
    lane share = d->angle * trusted * inverse;
    d->bias = d->bias - d->both * d->both * trusted * inverse;
    d->both = lane_snap(d->both * kept);
    d->angle = d->angle * kept;
    return share;
}

/* The share of half an error's angle that may go at once: no more than FUSION_MOST_FIX. `gradient`: down the
 * gradient of the squared error at a speed of its own; after a start it may go faster. */
static inline lane fusion_at_most(lane share, const lane_trust *t, lane speed, lane age, int gradient)
{
    lane way = lane_constant(age, 2.0f * FUSION_MOST_FIX);
    if (gradient) {
        way = lane_least(way, speed * age / (t->settled * t->settled + 0.001f));
    }
    return lane_least(share, way / (lane_root(t->misfit) + 1e-6f));
}

/* The bias that half a turn of the world, `half`, tells of: so much of it, 1/s. */
static inline lane fusion_of_bias(const lane_doubt *d, const lane_trust *t)
{
    return 2.0f * d->both / d->angle * trust_in_drift(t);
}

/* Half the turn of the world, rad, towards the mean of the accelerometer's readings, which stands for `age`
 * seconds. */
static inline lane3 fusion_tilt(fusion_state *s, const fusion_limits *p, const fusion_gathered *mean,
                                lane age, int gradient)
{
    lane3 half = fusion_judge_pull(s, &p->trust, mean, age);
    lane share =
        fusion_take_in(&s->tilt, p->tilt_time, lane_constant(age, 0.0f), s->accel_trust.weight * age);
    share = fusion_at_most(share, &s->accel_trust, p->tilt_speed, age, gradient);
    lane3 fix = lane3_scale(half, share);
    s->heading.angle = s->heading.angle + fusion_upset(s, 4.0f * (fix.x * fix.x + fix.y * fix.y));
    return fix;
}

/* Half the turn about up, rad, towards the mean of the magnetometer's readings. `tilt` is the doubt about the
 * tilt in which they were gathered, rad^2. */
static inline lane fusion_heading(fusion_state *s, const fusion_limits *p, const fusion_gathered *mean,
                                  lane tilt, lane age, int gradient)
{
    lane half = fusion_judge_field(s, &p->trust, mean->mag, age);
    lane settled = 2.0f * FUSION_WHITE * FUSION_WHITE * p->tilt_time;
    lane wrong_tilt =
        FUSION_TILTED_FOR * fusion_slope2(s->dip) * lane_most(tilt - settled, lane_constant(age, 0.0f));
    lane share = fusion_take_in(&s->heading, p->heading_time, wrong_tilt, s->mag_trust.weight * age);
    return half * fusion_at_most(share, &s->mag_trust, p->heading_speed, age, gradient);
}

/* Turns the estimate: first about the level by `tilt` (z is 0), then about the vertical alone, so that the
 * magnetometer can never move the tilt; and moves the bias by what that says of it. Half angles, rad. */
static inline void fusion_move(fusion_state *s, const fusion_limits *p, lane3 tilt, lane heading)
{
    lane by = fusion_of_bias(&s->tilt, &s->accel_trust);
    lane3 told = {by * tilt.x, by * tilt.y, fusion_of_bias(&s->heading, &s->mag_trust) * heading};
    lane3 bias = lane3_add(s->bias, laneq_rotate(laneq_conjugate(s->q), told));
    laneq turn = {lane_constant(heading, 1.0f), tilt.x - heading * tilt.y, tilt.y + heading * tilt.x,
                  heading};
    s->bias = lane3_snap(lane3_clamp(bias, p->bias_limit));
    s->q = laneq_product(turn, s->q);
}

#endif
