/* SPDX-License-Identifier: MIT
 * The inner steps of the estimators: straight lines of arithmetic without a jump, world frame enu.
 * Readings that may not be used come with gain zero; all inputs are finite and plausible. */
#ifndef MARL_STEP_H
#define MARL_STEP_H

#include "lane_quat.h"

/* Vectors shorter than this have no direction. */
#define MARL_TINY_ACCEL 0.1f /* m/s^2 */
#define MARL_TINY_MAG 0.1f   /* uT */
/* Standard gravity, m/s^2. The place on Earth changes it by 0.3 %, well inside any slack. */
#define MARL_GRAVITY 9.80665f

/* q after turning for dt s at the body rate. Sixth-order series of the exact step (the first order errs by
 * angle^2/12, so that a tuning would not survive another rate): 1e-7 at a radian, and brought to length one
 * beyond. */
static inline laneq step_turn(laneq q, lane3 rate, lane dt)
{
    lane3 half = lane3_scale(rate, 0.5f * dt);
    lane x = lane3_dot(half, half);
    lane cosine = 1.0f - x * (0.5f - x * ((1.0f / 24.0f) - x * (1.0f / 720.0f)));
    lane sinc = 1.0f - x * ((1.0f / 6.0f) - x * ((1.0f / 120.0f) - x * (1.0f / 5040.0f)));
    laneq turn = {cosine, half.x * sinc, half.y * sinc, half.z * sinc};
    return laneq_product(q, laneq_unit_beyond(turn, x < 0.25f));
}

/* The shortest turn that brings the vector `accel` to z; half a turn about x from straight down. */
static inline laneq step_tilt_only(lane3 accel)
{
    lane3 up = lane3_unit(accel, MARL_TINY_ACCEL);
    lane w = 1.0f + up.z;
    lane_mask down = w < 1e-6f;
    laneq arc = {w, up.y, -up.x, 0.0f * w};
    laneq over = {0.0f * w, 0.0f * w + 1.0f, 0.0f * w, 0.0f * w};
    return laneq_snap(laneq_unit(laneq_select(down, over, arc)));
}

/* Attitude from the accelerometer ("up") and the magnetometer (north): tilt and tilt-compensated heading.
 * Two-vector method: "A passive system for determining the attitude of a satellite" (1964). */
static inline laneq step_vectors(lane3 accel, lane3 mag)
{
    lane3 up = lane3_unit(accel, MARL_TINY_ACCEL);
    lane3 east = lane3_unit(lane3_cross(mag, up), MARL_TINY_MAG);
    lane3 north = lane3_cross(up, east);
    return laneq_snap(laneq_unit(laneq_from_rows(east, north, up)));
}

/* The world's axes seen from the body. */
static inline lane3 step_up(laneq q)
{
    return (lane3){2.0f * (q.x * q.z - q.w * q.y), 2.0f * (q.y * q.z + q.w * q.x),
                   q.w * q.w - q.x * q.x - q.y * q.y + q.z * q.z};
}

typedef struct step_axes {
    lane3 east, north, up;
} step_axes;

static inline step_axes step_world(laneq q)
{
    lane x = q.x + q.x, y = q.y + q.y, z = q.z + q.z;
    lane xx = x * q.x, yy = y * q.y, zz = z * q.z, xy = x * q.y, xz = x * q.z, yz = y * q.z;
    lane wx = q.w * x, wy = q.w * y, wz = q.w * z;
    return (step_axes){{1.0f - (yy + zz), xy - wz, xz + wy},
                       {xy + wz, 1.0f - (xx + zz), yz - wx},
                       {xz - wy, yz + wx, 1.0f - (xx + yy)}};
}

static inline lane step_clamp(lane x, lane limit)
{
    return lane_most(lane_least(x, limit), -limit);
}

#endif
