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

#ifdef __cplusplus
extern "C" {
#endif

typedef enum marl_world { MARL_WORLD_ENU = 0, MARL_WORLD_NED = 1 } marl_world;

/* "enu" or "ned". */
const char *marl_world_name(marl_world world);

/* The same attitude told in the other world frame. Its own inverse up to the sign of q. */
marl_quat marl_frame_swap_world(marl_quat q);

/* Compass heading of the body's x axis in rad, clockwise from (magnetic) north, [0, 2 pi).
 * MARL_ERR_DEGENERATE when the x axis is within 0.1 degree of the vertical. */
MARL_CHECKED marl_status marl_frame_heading(marl_quat q, marl_world world, float *heading);

#ifdef __cplusplus
}
#endif
#endif
