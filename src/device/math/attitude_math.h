/* SPDX-License-Identifier: MIT
 * Rotations as series and half angles: no trigonometry, the same bits everywhere. World frame enu. */
#ifndef MARL_ATTITUDE_MATH_H
#define MARL_ATTITUDE_MATH_H

#include "device/math/vec_quat.h"

/* Standard gravity, m/s^2. The place on Earth changes it by 0.3 %. */
#define MARL_GRAVITY 9.80665f
/* Vectors shorter than this have no direction. */
#define MARL_MIN_ACCEL 0.1f /* m/s^2 */
#define MARL_MIN_MAG 0.1f   /* uT */

/* Half the largest turn of one step, rad: beyond nearly a whole turn between two samples nothing is known of
 * it. */
#define MARL_MAX_HALF_TURN 3.0f

/* The turn by twice the vector `half`, rad. Sixth-order series: 1e-7 for a turn of one radian, and brought to
 * length one beyond. (A first-order step errs by angle^2/12: a tuning would not survive another rate.) */
static inline marl_quat quat_exp(marl_vec3 half)
{
    float x = vec3_dot(half, half);
    if (x > MARL_MAX_HALF_TURN * MARL_MAX_HALF_TURN) {
        half = vec3_scale(half, MARL_MAX_HALF_TURN / float_root(x));
        x = MARL_MAX_HALF_TURN * MARL_MAX_HALF_TURN;
    }
    float cosine = 1.0f - x * (0.5f - x * ((1.0f / 24.0f) - x * (1.0f / 720.0f)));
    float sinc = 1.0f - x * ((1.0f / 6.0f) - x * ((1.0f / 120.0f) - x * (1.0f / 5040.0f)));
    marl_quat turn = {cosine, half.x * sinc, half.y * sinc, half.z * sinc};
    return x < 0.25f ? turn : quat_unit(turn);
}

/* The angle of the vector (x, y) from the y axis towards x, (-pi, pi], rad: three halvings of the angle, then
 * the series of the arc tangent; 1e-5 rad. Not both are zero. */
static inline float angle_from_north(float x, float y)
{
    float length = float_root(x * x + y * y);
    float half = x / float_max(length + y, 1e-6f * length); /* tangent of half the angle */
    float quarter = half / (1.0f + float_root(1.0f + half * half));
    float eighth = quarter / (1.0f + float_root(1.0f + quarter * quarter));
    float s = eighth * eighth;
    float series =
        1.0f - s * ((1.0f / 3.0f) - s * (0.2f - s * ((1.0f / 7.0f) - s * ((1.0f / 9.0f) - s / 11.0f))));
    return 8.0f * eighth * series;
}

/* The shortest turn that brings the vector `up` to z; half a turn about x from straight down. */
static inline marl_quat attitude_from_up(marl_vec3 up)
{
    up = vec3_unit(up, MARL_MIN_ACCEL);
    float w = 1.0f + up.z;
    if (w < 1e-6f) {
        return (marl_quat){0.0f, 1.0f, 0.0f, 0.0f};
    }
    return quat_snap(quat_unit((marl_quat){w, up.y, -up.x, 0.0f}));
}

/* Attitude from the accelerometer ("up") and the magnetometer (north).
 * Two-vector method: "A passive system for determining the attitude of a satellite" (1964). */
static inline marl_quat attitude_from_vectors(marl_vec3 up, marl_vec3 mag)
{
    up = vec3_unit(up, MARL_MIN_ACCEL);
    marl_vec3 east = vec3_unit(vec3_cross(mag, up), MARL_MIN_MAG);
    marl_vec3 north = vec3_cross(up, east);
    return quat_snap(quat_unit(quat_from_rows(east, north, up)));
}

/* Rows of the rotation matrix R(q): the world's axes in body coordinates. */
typedef struct world_axes {
    marl_vec3 east, north, up;
} world_axes;

static inline world_axes world_axes_of(marl_quat q)
{
    float x = q.x + q.x, y = q.y + q.y, z = q.z + q.z;
    float xx = x * q.x, yy = y * q.y, zz = z * q.z, xy = x * q.y, xz = x * q.z, yz = y * q.z;
    float wx = q.w * x, wy = q.w * y, wz = q.w * z;
    return (world_axes){{1.0f - (yy + zz), xy - wz, xz + wy},
                        {xy + wz, 1.0f - (xx + zz), yz - wx},
                        {xz - wy, yz + wx, 1.0f - (xx + yy)}};
}

static inline marl_vec3 to_world(const world_axes *r, marl_vec3 body)
{
    return (marl_vec3){vec3_dot(r->east, body), vec3_dot(r->north, body), vec3_dot(r->up, body)};
}

static inline marl_vec3 to_body(const world_axes *r, marl_vec3 world)
{
    return (marl_vec3){r->east.x * world.x + r->north.x * world.y + r->up.x * world.z,
                       r->east.y * world.x + r->north.y * world.y + r->up.y * world.z,
                       r->east.z * world.x + r->north.z * world.y + r->up.z * world.z};
}

#endif
