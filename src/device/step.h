/* SPDX-License-Identifier: MIT
 * The inner steps of the estimators: straight lines of arithmetic without a jump, world frame enu.
 * Readings that may not be used come with gain zero; all inputs are finite and plausible. */
#ifndef MARL_STEP_H
#define MARL_STEP_H

#include "lane_quat.h"

/* Vectors shorter than this have no direction. */
#define MARL_TINY_ACCEL 0.1f /* m/s^2 */
#define MARL_TINY_MAG 0.1f   /* uT */

/* q after turning for dt s at the body rate. Fourth-order series of the exact step (the first order
 * errs by angle^2/12, so that a tuning would not survive another rate); 2e-8 at half a radian. */
static inline laneq step_turn(laneq q, lane3 rate, lane dt)
{
    lane3 half = lane3_scale(rate, 0.5f * dt);
    lane x = lane3_dot(half, half);
    lane cosine = 1.0f - x * (0.5f - x * (1.0f / 24.0f));
    lane sinc = 1.0f - x * ((1.0f / 6.0f) - x * (1.0f / 120.0f));
    laneq turn = {cosine, half.x * sinc, half.y * sinc, half.z * sinc};
    return laneq_snap(laneq_unit(laneq_product(q, turn)));
}

/* The shortest turn that brings the unit vector `up` to z; half a turn about x from straight down. */
static inline laneq step_tilt_only(lane3 up)
{
    lane w = 1.0f + up.z;
    lane_mask down = w < 1e-6f;
    laneq arc = {w, up.y, -up.x, 0.0f * w};
    laneq over = {0.0f * w, 0.0f * w + 1.0f, 0.0f * w, 0.0f * w};
    return laneq_unit(laneq_select(down, over, arc));
}

/* Attitude from the accelerometer ("up") and, where use_mag, the magnetometer (north): tilt and
 * tilt-compensated heading. Two-vector method: "A passive system for determining the attitude of a
 * satellite" (1964). */
static inline laneq step_vectors(lane3 accel, lane3 mag, lane_mask use_mag)
{
    lane3 up = lane3_unit(accel, MARL_TINY_ACCEL);
    lane3 east = lane3_unit(lane3_cross(mag, up), MARL_TINY_MAG);
    lane3 north = lane3_cross(up, east);
    laneq full = laneq_unit(laneq_from_rows(east, north, up));
    return laneq_snap(laneq_select(use_mag, full, step_tilt_only(up)));
}

typedef struct step_complementary_state {
    laneq q;
    lane3 bias; /* rad/s */
} step_complementary_state;

typedef struct step_complementary_input {
    lane dt;                /* s */
    lane3 rate;             /* rad/s, raw */
    lane3 accel, mag;       /* m/s^2, uT */
    lane tilt_gain;         /* share of the tilt error taken out by this step, 0 to 1 */
    lane heading_gain;      /* share of the heading error taken out by this step, 0 to 1 */
    lane tilt_bias_gain;    /* bias moved by this step per tilt error, 1/s */
    lane heading_bias_gain; /* bias moved by this step per heading error, 1/s */
    lane bias_limit;        /* rad/s per axis */
} step_complementary_input;

/* Tangent of half the angle between two unit vectors, from their sine and cosine; bounded, so that
 * an attitude that is upside down comes back fast and an opposite one still moves. */
static inline lane step_half_tangent(lane sine, lane cosine)
{
    lane t = sine / lane_most(1.0f + cosine, 0.0f * cosine + 0.02f);
    return lane_most(lane_least(t, 0.0f * t + 4.0f), 0.0f * t - 4.0f);
}

static inline lane step_clamp(lane x, lane limit)
{
    return lane_most(lane_least(x, limit), -limit);
}

/* Integrates, then takes a share of the tilt error (about horizontal axes) and of the heading error
 * (about the vertical) out of the attitude, and moves the bias against them. */
static inline void step_complementary(step_complementary_state *s, const step_complementary_input *in)
{
    laneq q = step_turn(s->q, lane3_sub(in->rate, s->bias), in->dt);

    lane3 up = lane3_unit(laneq_rotate(q, in->accel), MARL_TINY_ACCEL);
    lane tilt_x = step_half_tangent(up.y, up.z);
    lane tilt_y = step_half_tangent(-up.x, up.z);

    lane3 level = laneq_rotate(q, in->mag);
    level.z = 0.0f * level.z;
    level = lane3_unit(level, MARL_TINY_MAG);
    lane turn_z = step_half_tangent(level.x, level.y);

    laneq fix = {0.0f * tilt_x + 1.0f, tilt_x * in->tilt_gain, tilt_y * in->tilt_gain, 0.0f * tilt_x};
    laneq turn = {0.0f * turn_z + 1.0f, 0.0f * turn_z, 0.0f * turn_z, turn_z * in->heading_gain};
    s->q = laneq_snap(laneq_unit(laneq_product(turn, laneq_product(fix, q))));

    lane3 error = {2.0f * tilt_x * in->tilt_bias_gain, 2.0f * tilt_y * in->tilt_bias_gain,
                   2.0f * turn_z * in->heading_bias_gain};
    lane3 move = laneq_rotate(laneq_conjugate(q), error);
    lane3 bias = lane3_sub(s->bias, move);
    s->bias = lane3_snap((lane3){step_clamp(bias.x, in->bias_limit), step_clamp(bias.y, in->bias_limit),
                                 step_clamp(bias.z, in->bias_limit)});
}

#endif
