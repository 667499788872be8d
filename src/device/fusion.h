/* SPDX-License-Identifier: MIT
 * The steps of the filters that pull an integrated rate towards the vectors: straight lines of arithmetic
 * without a jump, world frame enu. Which readings are fresh is the caller's to know; all are finite and
 * plausible. */
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
/* Half the most that one reading may turn the estimate about an axis, rad. */
#define FUSION_MOST_FIX 0.07f
/* Scale errors add up within a turn, and from turn to turn at random. */
#define FUSION_TURN 6.2831853f
/* Trusted seconds after which the references of field strength and dip follow only slowly. */
#define FUSION_FIELD_MEMORY 30.0f
#define FUSION_FIELD_FIRST 0.1f
/* A wrong tilt stays wrong for so long: 2 s of density for each second, s. */
#define FUSION_TILTED_FOR 60.0f
/* A turn of the tilt by one reading that is no upset, rad^2. */
#define FUSION_SMALL_TURN2 1e-5f
/* Doubts and gains change slowly: they are reckoned as often as this, s. */
#define FUSION_RECKON 0.04f

#ifdef MARL_LANES
typedef struct fusion_state {
    laneq q;
    lane3 bias, turning;
    lane_trust accel_trust, mag_trust;
    lane_doubt tilt, heading;
    lane per_rate, field, dip, follow;
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

/* A doubt after dt seconds of integrated rate, whose variance grows by `scale` a second and its bias walks by
 * `drift`. `turning` is the rate at which the axis moves in the body: error and bias go together only while
 * they share it. */
static inline void fusion_age(lane_doubt *d, lane dt, lane scale, lane drift, lane turning)
{
    lane both = d->both * lane_most(1.0f - turning * dt, lane_constant(dt, 0.0f));
    lane noise = (FUSION_WHITE * FUSION_WHITE + scale) * dt;
    d->angle =
        lane_least(d->angle - dt * (both + both - dt * d->bias) + noise, lane_constant(dt, FUSION_LOST));
    d->both = both - dt * d->bias;
    d->bias = d->bias + drift * drift * dt;
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

static inline void fusion_move_bias(fusion_state *s, const fusion_limits *p, lane3 axis, lane by)
{
    s->bias = lane3_clamp(lane3_sub(s->bias, lane3_scale(axis, by)), p->bias_limit);
}

/* The share of an error that a trusted time takes out. */
static inline lane fusion_share(const lane_doubt *d, lane trusted)
{
    lane part = d->gain * trusted;
    return part / (1.0f + part);
}

/* Down the gradient of the squared error at a speed of its own: the share of it that lies on the way. After a
 * start it may go faster. */
static inline lane fusion_at_speed(lane share, lane speed, lane age, const lane_trust *t, lane error)
{
    lane way = speed * age / (t->settled * t->settled + 0.001f);
    return lane_least(share, way / (error + 1e-6f));
}

/* Judges an accelerometer reading. Returns its direction. */
static inline lane3 fusion_judge_pull(fusion_state *s, const trust_limits *p, lane3 accel, lane age)
{
    /* what is left of a reading without the body's own motion may be next to nothing */
    lane tiny = lane_constant(age, MARL_TINY_ACCEL * MARL_TINY_ACCEL);
    lane inverse = 1.0f / lane_root(lane_most(lane3_dot(accel, accel), tiny));
    lane3 seen = lane3_scale(accel, inverse);
    lane longer = (lane3_dot(accel, seen) - MARL_GRAVITY) / p->accel;
    lane evidence = longer * longer + lane3_dot(s->turning, s->turning) * s->per_rate;
    (void)trust_judge(&s->accel_trust, evidence, age, p);
    return seen;
}

/* A large turn of the tilt takes away what was known of the heading, which was found in the tilt before.
 * Returns the variance that the heading's angle gains; `turn2` is the square of the turn, rad^2. */
static inline lane fusion_upset(fusion_state *s, lane turn2)
{
    lane large = lane_most(turn2 - FUSION_SMALL_TURN2, 0.0f * turn2);
    s->mag_trust.memory_s = lane_snap(s->mag_trust.memory_s / (1.0f + 100.0f * large));
    return 10.0f * large;
}

/* The tilt towards an accelerometer reading that stands for `age` seconds. Leaves q longer than one. */
static inline void fusion_tilt(fusion_state *s, const fusion_limits *p, lane3 accel, lane age, int gradient)
{
    lane3 up = step_up(s->q), seen = fusion_judge_pull(s, &p->trust, accel, age);
    lane k = 1.0f / lane_most(1.0f + lane3_dot(seen, up), lane_constant(age, 0.02f));
    lane3 half = lane3_scale(lane3_cross(seen, up), k);
    lane misfit = 4.0f * lane3_dot(half, half);
    lane share = fusion_share(&s->tilt, s->accel_trust.weight * age);
    if (gradient) {
        share = fusion_at_speed(share, p->tilt_speed, age, &s->accel_trust, lane_root(misfit));
    }
    lane3 fix = lane3_clamp(lane3_scale(half, share), lane_constant(age, FUSION_MOST_FIX));
    s->accel_trust.misfit = misfit;
    s->q = laneq_turned(s->q, fix);
    s->heading.angle = s->heading.angle + fusion_upset(s, 4.0f * lane3_dot(fix, fix));
    fusion_move_bias(s, p, fix, 2.0f * s->tilt.to_bias * trust_in_drift(&s->accel_trust));
}

/* Judges a magnetometer reading; its strength and dip are remembered as far as they are believed, after a
 * start whatever they are. */
static inline void fusion_judge_field(fusion_state *s, const trust_limits *p, lane3 mag, lane3 up, lane age)
{
    lane inverse = 1.0f / lane_root(lane3_dot(mag, mag));
    lane strength = lane3_dot(mag, mag) * inverse, dip = -lane3_dot(up, mag) * inverse;
    lane stronger = (strength - s->field) / (s->field * p->field), steeper = (dip - s->dip) / p->dip;
    lane other = (stronger * stronger + steeper * steeper) * s->mag_trust.settled;
    lane weight = trust_judge(&s->mag_trust, other, age, p);
    lane unsettled = 1.0f - s->mag_trust.settled;
    lane follow =
        lane_least(lane_most(weight, unsettled * unsettled) * age * s->follow, lane_constant(age, 1.0f));
    s->field = s->field + follow * (strength - s->field);
    s->dip = s->dip + follow * (dip - s->dip);
}

/* The heading towards a magnetometer reading, about the vertical alone, so that it can never move the tilt.
 * `world` is where the axes were before the tilt was corrected. Leaves q longer than one. */
static inline void fusion_heading(fusion_state *s, const fusion_limits *p, const step_axes *world, lane3 mag,
                                  lane age, int gradient)
{
    fusion_judge_field(s, &p->trust, mag, world->up, age);
    lane east = lane3_dot(world->east, mag), north = lane3_dot(world->north, mag);
    lane reach =
        lane_root(lane_most(east * east + north * north, lane_constant(age, MARL_TINY_MAG * MARL_TINY_MAG)));
    lane half = east / lane_most(reach + north, 0.02f * reach);
    lane share = fusion_share(&s->heading, s->mag_trust.weight * age);
    if (gradient) {
        share = fusion_at_speed(share, p->heading_speed, age, &s->mag_trust, 2.0f * lane_size(half));
    }
    lane fix = step_clamp(half * share, lane_constant(age, FUSION_MOST_FIX));
    laneq q = s->q;
    s->mag_trust.misfit = 4.0f * half * half;
    s->q = (laneq){q.w - fix * q.z, q.x - fix * q.y, q.y + fix * q.x, q.z + fix * q.w};
    fusion_move_bias(s, p, world->up, 2.0f * fix * s->heading.to_bias * trust_in_drift(&s->mag_trust));
}

/* A wrong tilt lets the upright part of the field look like a turn of the heading: so many rad^2 for each of
 * it. */
static inline lane fusion_slope2(lane dip)
{
    lane sine2 = dip * dip;
    return sine2 / lane_most(1.0f - sine2, lane_constant(dip, 0.0025f));
}

/* What readings of `trusted` seconds leave of a doubt, and the gain for the next: what a Kalman filter of one
 * angle and its bias takes, for readings so noisy that it settles at the time constant: large after a start,
 * running down to it. `more` is noise beside that, rad^2 s. */
static inline void fusion_take_in(lane_doubt *d, lane time_constant, lane more, lane trusted)
{
    lane noise2 = FUSION_WHITE * FUSION_WHITE * time_constant * time_constant + more;
    lane inverse = 1.0f / (d->angle * trusted + noise2), kept = noise2 * inverse;
    d->bias = d->bias - d->both * d->both * trusted * inverse;
    d->both = lane_snap(d->both * kept);
    d->angle = d->angle * kept;
    d->gain = d->angle / noise2;
    d->to_bias = -d->both / d->angle;
}

/* What the rates and the field are judged by. */
static inline void fusion_reckon_limits(fusion_state *s, const trust_limits *p)
{
    trust_reckon(&s->accel_trust, p->tilt, s->tilt.angle, p);
    trust_reckon(&s->mag_trust, p->heading, s->heading.angle, p);
    s->per_rate = 1.0f / (p->rate * p->rate + 4.0f * (2.0f * s->tilt.bias + s->heading.bias));
    s->follow = 1.0f / (FUSION_FIELD_FIRST +
                        lane_least(s->mag_trust.memory_s, lane_constant(p->rate, FUSION_FIELD_MEMORY)));
}

/* Reckons doubts and gains for the `age` seconds since it was last done. Scale errors add to the doubt about
 * the axis of the turn. */
static inline void fusion_reckon(fusion_state *s, const fusion_limits *p, lane age)
{
    lane3 r = s->turning;
    lane upright = lane_size(lane3_dot(step_up(s->q), r));
    lane level = lane_root(lane_most(lane3_dot(r, r) - upright * upright, lane_constant(age, 0.0f)));
    lane scale = p->gyro_scale * p->gyro_scale * FUSION_TURN, drift = FUSION_WHITE / p->bias_time;
    fusion_age(&s->tilt, age, scale * level, drift, level + upright);
    fusion_age(&s->heading, age, scale * upright, drift, level);
    s->q = laneq_snap(s->q);
    s->bias = lane3_snap(s->bias);
    s->tilt.angle = lane_most(s->tilt.angle, trust_least_doubt(&s->accel_trust, TRUST_SHAKEN));
    s->heading.angle = lane_most(s->heading.angle, trust_least_doubt(&s->mag_trust, TRUST_TURNED));
    lane settled = 2.0f * FUSION_WHITE * FUSION_WHITE * p->tilt_time;
    lane wrong_tilt =
        FUSION_TILTED_FOR * fusion_slope2(s->dip) * lane_most(s->tilt.angle - settled, 0.0f * age);
    fusion_take_in(&s->tilt, p->tilt_time, 0.0f * age, s->accel_trust.trusted_s);
    fusion_take_in(&s->heading, p->heading_time, wrong_tilt, s->mag_trust.trusted_s);
    fusion_reckon_limits(s, &p->trust);
}

#endif
