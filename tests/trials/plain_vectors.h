/* SPDX-License-Identifier: MIT
 * Vector arithmetic of the plain filters. */
#ifndef PLAIN_VECTORS_H
#define PLAIN_VECTORS_H

#include "marlinspike/quat.h"
#include <math.h>
#include <stddef.h>

static inline marl_vec3 plain_cross(marl_vec3 a, marl_vec3 b)
{
    return (marl_vec3){a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}

static inline marl_vec3 plain_unit(marl_vec3 a)
{
    float k = 1.0f / sqrtf(a.x * a.x + a.y * a.y + a.z * a.z);
    return (marl_vec3){a.x * k, a.y * k, a.z * k};
}

static inline void plain_normalize(marl_quat *q)
{
    float k = 1.0f / sqrtf(q->w * q->w + q->x * q->x + q->y * q->y + q->z * q->z);
    *q = (marl_quat){q->w * k, q->x * k, q->y * k, q->z * k};
}

/* dq/dt = q (0, rate) / 2, first order */
static inline void plain_integrate(marl_quat *q, marl_vec3 rate, float dt)
{
    float x = 0.5f * dt * rate.x, y = 0.5f * dt * rate.y, z = 0.5f * dt * rate.z;
    marl_quat a = *q;
    q->w = a.w - a.x * x - a.y * y - a.z * z;
    q->x = a.x + a.w * x + a.y * z - a.z * y;
    q->y = a.y + a.w * y + a.z * x - a.x * z;
    q->z = a.z + a.w * z + a.x * y - a.y * x;
    plain_normalize(q);
}

/* The world's unit vectors seen from the body: the rows of the rotation matrix. */
static inline marl_vec3 plain_up(marl_quat q)
{
    return (marl_vec3){2.0f * (q.x * q.z - q.w * q.y), 2.0f * (q.y * q.z + q.w * q.x),
                       1.0f - 2.0f * (q.x * q.x + q.y * q.y)};
}

static inline marl_vec3 plain_north(marl_quat q)
{
    return (marl_vec3){2.0f * (q.x * q.y + q.w * q.z), 1.0f - 2.0f * (q.x * q.x + q.z * q.z),
                       2.0f * (q.y * q.z - q.w * q.x)};
}

static inline marl_vec3 plain_east(marl_quat q)
{
    return (marl_vec3){1.0f - 2.0f * (q.y * q.y + q.z * q.z), 2.0f * (q.x * q.y - q.w * q.z),
                       2.0f * (q.x * q.z + q.w * q.y)};
}

/* Horizontal (towards north) and vertical part of the field, the magnetometer turned into the world. */
static inline void plain_field(marl_vec3 m, marl_quat q, float *level, float *upright)
{
    marl_vec3 e = plain_east(q), n = plain_north(q), u = plain_up(q);
    float x = m.x * e.x + m.y * e.y + m.z * e.z;
    float y = m.x * n.x + m.y * n.y + m.z * n.z;
    *level = sqrtf(x * x + y * y);
    *upright = m.x * u.x + m.y * u.y + m.z * u.z;
}

#endif
