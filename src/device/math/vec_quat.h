/* SPDX-License-Identifier: MIT
 * Vector and quaternion arithmetic for the inside of the library: inline, because it runs for every sample.
 */
#ifndef MARL_VEC_QUAT_H
#define MARL_VEC_QUAT_H

#include "device/math/float_math.h"
#include "marlinspike/quat.h"

static inline marl_vec3 vec3_add(marl_vec3 a, marl_vec3 b)
{
    return (marl_vec3){a.x + b.x, a.y + b.y, a.z + b.z};
}

static inline marl_vec3 vec3_sub(marl_vec3 a, marl_vec3 b)
{
    return (marl_vec3){a.x - b.x, a.y - b.y, a.z - b.z};
}

static inline marl_vec3 vec3_scale(marl_vec3 a, float k)
{
    return (marl_vec3){a.x * k, a.y * k, a.z * k};
}

static inline float vec3_dot(marl_vec3 a, marl_vec3 b)
{
    return a.x * b.x + a.y * b.y + a.z * b.z;
}

static inline marl_vec3 vec3_cross(marl_vec3 a, marl_vec3 b)
{
    return (marl_vec3){a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}

static inline marl_vec3 vec3_snap(marl_vec3 a)
{
    return (marl_vec3){float_snap(a.x), float_snap(a.y), float_snap(a.z)};
}

/* Each component within +-limit. */
static inline marl_vec3 vec3_clamp(marl_vec3 a, float limit)
{
    return (marl_vec3){float_clamp(a.x, limit), float_clamp(a.y, limit), float_clamp(a.z, limit)};
}

/* a + k (b - a): first-order low-pass with the share k. */
static inline marl_vec3 vec3_follow(marl_vec3 a, marl_vec3 b, float k)
{
    return vec3_snap(vec3_add(a, vec3_scale(vec3_sub(b, a), k)));
}

/* To length one; a vector shorter than `tiny` becomes zero. */
static inline marl_vec3 vec3_unit(marl_vec3 a, float tiny)
{
    float n2 = vec3_dot(a, a);
    return vec3_scale(a, n2 > tiny * tiny ? 1.0f / float_root(n2) : 0.0f);
}

static inline marl_quat quat_product(marl_quat a, marl_quat b)
{
    return (marl_quat){
        a.w * b.w - a.x * b.x - a.y * b.y - a.z * b.z, a.w * b.x + a.x * b.w + a.y * b.z - a.z * b.y,
        a.w * b.y - a.x * b.z + a.y * b.w + a.z * b.x, a.w * b.z + a.x * b.y - a.y * b.x + a.z * b.w};
}

static inline marl_quat quat_conjugate(marl_quat q)
{
    return (marl_quat){q.w, -q.x, -q.y, -q.z};
}

static inline marl_quat quat_scale(marl_quat q, float k)
{
    return (marl_quat){q.w * k, q.x * k, q.y * k, q.z * k};
}

static inline float quat_norm2(marl_quat q)
{
    return q.w * q.w + q.x * q.x + q.y * q.y + q.z * q.z;
}

/* q is not zero. */
static inline marl_quat quat_unit(marl_quat q)
{
    return quat_scale(q, 1.0f / float_root(quat_norm2(q)));
}

/* Brings a q whose squared length is within 2 % of 1 back to 1 within 3e-6, rounding errors away: without
 * root or division, which would stand in the chain from update to update. */
static inline marl_quat quat_renormalize(marl_quat q)
{
    float n2 = quat_norm2(q);
    return quat_scale(q, 1.875f - n2 * (1.25f - 0.375f * n2));
}

static inline marl_quat quat_snap(marl_quat q)
{
    return (marl_quat){float_snap(q.w), float_snap(q.x), float_snap(q.y), float_snap(q.z)};
}

/* q v q* for unit q: v + 2 w (u x v) + 2 u x (u x v) with u the vector part. */
static inline marl_vec3 quat_rotate(marl_quat q, marl_vec3 v)
{
    marl_vec3 u = {q.x, q.y, q.z};
    marl_vec3 t = vec3_scale(vec3_cross(u, v), 2.0f);
    return vec3_add(vec3_add(v, vec3_scale(t, q.w)), vec3_cross(u, t));
}

/* The unnormalised quaternion of the rotation matrix with the given rows, by the largest of its
 * four candidates. Method: "Quaternion from rotation matrix" (1978). */
static inline marl_quat quat_from_rows(marl_vec3 r0, marl_vec3 r1, marl_vec3 r2)
{
    float a = 1.0f + r0.x + r1.y + r2.z, b = 1.0f + r0.x - r1.y - r2.z;
    float c = 1.0f - r0.x + r1.y - r2.z, d = 1.0f - r0.x - r1.y + r2.z;
    marl_quat by_w = {a, r2.y - r1.z, r0.z - r2.x, r1.x - r0.y};
    marl_quat by_x = {r2.y - r1.z, b, r0.y + r1.x, r0.z + r2.x};
    marl_quat by_y = {r0.z - r2.x, r0.y + r1.x, c, r1.z + r2.y};
    marl_quat by_z = {r1.x - r0.y, r0.z + r2.x, r1.z + r2.y, d};
    if (float_max(a, b) > float_max(c, d)) {
        return a > b ? by_w : by_x;
    }
    return c > d ? by_y : by_z;
}

#endif
