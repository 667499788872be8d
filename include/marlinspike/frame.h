/* SPDX-License-Identifier: MIT
 * World frames, and the angles that people read off an attitude.
 *
 *        enu                          ned
 *     z up  y north              x north
 *      |  /                        |   y east
 *      | /                         |  /
 *      +---- x east                +-/
 *                                  |
 *                                  z down
 */
#ifndef MARLINSPIKE_FRAME_H
#define MARLINSPIKE_FRAME_H

#include "marlinspike/quat.h"
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define MARL_STANDARD_GRAVITY 9.80665 /* m/s^2 */

typedef enum marl_world { MARL_WORLD_ENU = 0, MARL_WORLD_NED = 1 } marl_world;

/* "enu" or "ned". */
const char *marl_world_name(marl_world world);

/* The same attitude expressed in the other world frame. Its own inverse up to the sign of q. */
marl_quat marl_frame_swap_world(marl_quat q);

/* Compass heading of the body's x axis in rad, clockwise from (magnetic) north, [0, 2 pi).
 * MARL_ERR_DEGENERATE when the x axis is within 0.1 degree of the vertical. */
MARL_CHECKED marl_status marl_frame_heading(marl_quat q, marl_world world, float *heading);

/* Angle between the body's z axis and the world's up, rad: 0 = level, pi = upside down. */
float marl_frame_tilt(marl_quat q, marl_world world);

/* Angles that go on beyond half a turn: each call takes an angle (rad, as roll, yaw or heading wrap it) and
 * returns the one that differs from it by whole turns and from the one before by less than half a turn. Begin
 * with {0}. After more than half a turn between two calls the count of turns is wrong. An angle that is not
 * finite returns the one before. */
typedef struct marl_unwrap {
    float before;  /* as it came */
    int32_t turns; /* whole turns so far */
    int started;
} marl_unwrap;

float marl_unwrap_next(marl_unwrap *unwrap, float angle);

/* Which way a 3-D program points its axes. */
typedef enum marl_handed {
    MARL_HANDED_Z_UP, /* x east, y north, z up: as enu */
    MARL_HANDED_Y_UP  /* x east, y up, z south: right-handed with y up, as most scene graphs */
} marl_handed;

/* The 4x4 model matrix, column by column (column vectors, m[12] to m[14] the translation, which is 0), that
 * turns a body with x forward, y left, z up into the scene. q in enu. */
void marl_frame_to_matrix4(marl_quat q, marl_handed handed, float m[16]);

/* Acceleration of the body in the world, m/s^2: the accelerometer's reading turned there, without gravity
 * (9.80665). Errors of the tilt leave 0.17 m/s^2 for each degree. */
marl_vec3 marl_frame_without_gravity(marl_quat q, marl_world world, marl_vec3 accel);

#ifdef __cplusplus
}
#endif
#endif
