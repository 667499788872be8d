/* SPDX-License-Identifier: MIT
 * Vector and quaternion arithmetic, written once on the lane type. */
#ifndef MARL_LANE_QUAT_H
#define MARL_LANE_QUAT_H

#include "lane.h"

static inline lane3 lane3_add(lane3 a, lane3 b)
{
    return (lane3){a.x + b.x, a.y + b.y, a.z + b.z};
}

static inline lane3 lane3_sub(lane3 a, lane3 b)
{
    return (lane3){a.x - b.x, a.y - b.y, a.z - b.z};
}

static inline lane3 lane3_scale(lane3 a, lane k)
{
    return (lane3){a.x * k, a.y * k, a.z * k};
}

static inline lane lane3_dot(lane3 a, lane3 b)
{
    return a.x * b.x + a.y * b.y + a.z * b.z;
}

static inline lane3 lane3_cross(lane3 a, lane3 b)
{
    return (lane3){a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}

static inline lane3 lane3_snap(lane3 a)
{
    return (lane3){lane_snap(a.x), lane_snap(a.y), lane_snap(a.z)};
}

/* To length one; a vector shorter than `tiny` becomes zero. */
static inline lane3 lane3_unit(lane3 a, float tiny)
{
    lane n2 = lane3_dot(a, a);
    lane_mask long_enough = n2 > tiny * tiny;
    lane inverse = 1.0f / lane_root(lane_select(long_enough, n2, 0.0f * n2 + 1.0f));
    return lane3_scale(a, lane_select(long_enough, inverse, 0.0f * n2));
}

static inline laneq laneq_product(laneq a, laneq b)
{
    return (laneq){
        a.w * b.w - a.x * b.x - a.y * b.y - a.z * b.z, a.w * b.x + a.x * b.w + a.y * b.z - a.z * b.y,
        a.w * b.y - a.x * b.z + a.y * b.w + a.z * b.x, a.w * b.z + a.x * b.y - a.y * b.x + a.z * b.w};
}

static inline laneq laneq_conjugate(laneq q)
{
    return (laneq){q.w, -q.x, -q.y, -q.z};
}

static inline laneq laneq_scale(laneq q, lane k)
{
    return (laneq){q.w * k, q.x * k, q.y * k, q.z * k};
}

static inline lane laneq_norm2(laneq q)
{
    return q.w * q.w + q.x * q.x + q.y * q.y + q.z * q.z;
}

/* q is not zero. */
static inline laneq laneq_unit(laneq q)
{
    return laneq_scale(q, 1.0f / lane_root(laneq_norm2(q)));
}

/* Brings a q whose squared length is within 2 % of 1 back to 1 within 3e-6, rounding errors away: without
 * root or division, which would stand in the chain from update to update. */
static inline laneq laneq_touch_up(laneq q)
{
    lane n2 = laneq_norm2(q);
    return laneq_scale(q, 1.875f - n2 * (1.25f - 0.375f * n2));
}

/* q (1, v): turned by 2 atan |v| about v in the body, and longer by the root of 1 + v^2. */
static inline laneq laneq_turned(laneq q, lane3 v)
{
    return (laneq){q.w - q.x * v.x - q.y * v.y - q.z * v.z, q.x + q.w * v.x + q.y * v.z - q.z * v.y,
                   q.y + q.w * v.y - q.x * v.z + q.z * v.x, q.z + q.w * v.z + q.x * v.y - q.y * v.x};
}

static inline laneq laneq_snap(laneq q)
{
    return (laneq){lane_snap(q.w), lane_snap(q.x), lane_snap(q.y), lane_snap(q.z)};
}

/* To length one where not `near` it already. */
#ifdef MARL_LANES
static inline laneq laneq_unit_beyond(laneq q, lane_mask near)
{
    return laneq_scale(q, lane_select(near, 0.0f * q.w + 1.0f, 1.0f / lane_root(laneq_norm2(q))));
}
#else
static inline laneq laneq_unit_beyond(laneq q, lane_mask near)
{
    return near ? q : laneq_unit(q);
}
#endif

static inline laneq laneq_select(lane_mask condition, laneq yes, laneq no)
{
    return (laneq){lane_select(condition, yes.w, no.w), lane_select(condition, yes.x, no.x),
                   lane_select(condition, yes.y, no.y), lane_select(condition, yes.z, no.z)};
}

/* q v q* for unit q: v + 2 w (u x v) + 2 u x (u x v) with u the vector part. */
static inline lane3 laneq_rotate(laneq q, lane3 v)
{
    lane3 u = {q.x, q.y, q.z};
    lane3 t = lane3_scale(lane3_cross(u, v), (lane)(0.0f * q.w + 2.0f));
    return lane3_add(lane3_add(v, lane3_scale(t, q.w)), lane3_cross(u, t));
}

/* The unnormalised quaternion of the rotation matrix with the given rows, by the largest of its
 * four candidates; without a jump. Method: "Quaternion from rotation matrix" (1978). */
static inline laneq laneq_from_rows(lane3 r0, lane3 r1, lane3 r2)
{
    lane a = 1.0f + r0.x + r1.y + r2.z;
    lane b = 1.0f + r0.x - r1.y - r2.z;
    lane c = 1.0f - r0.x + r1.y - r2.z;
    lane d = 1.0f - r0.x - r1.y + r2.z;
    laneq by_w = {a, r2.y - r1.z, r0.z - r2.x, r1.x - r0.y};
    laneq by_x = {r2.y - r1.z, b, r0.y + r1.x, r0.z + r2.x};
    laneq by_y = {r0.z - r2.x, r0.y + r1.x, c, r1.z + r2.y};
    laneq by_z = {r1.x - r0.y, r0.z + r2.x, r1.z + r2.y, d};
    laneq wx = laneq_select(a > b, by_w, by_x);
    laneq yz = laneq_select(c > d, by_y, by_z);
    return laneq_select(lane_most(a, b) > lane_most(c, d), wx, yz);
}

#endif
