/* SPDX-License-Identifier: MIT
 * World frames and compass heading. */
#include "marlinspike/frame.h"
#include "lane_quat.h"

const char *marl_world_name(marl_world world)
{
    return world == MARL_WORLD_NED ? "ned" : "enu";
}

/* The two worlds differ by half a turn about the line between east and north. */
marl_quat marl_frame_swap_world(marl_quat q)
{
    const marl_quat half_turn = {0.0f, 0.70710678f, 0.70710678f, 0.0f};
    return marl_quat_canonical(laneq_unit(laneq_product(half_turn, q)));
}

marl_status marl_frame_heading(marl_quat q, marl_world world, float *heading)
{
    const float two_pi = 6.28318531f;
    marl_vec3 nose = laneq_rotate(q, (marl_vec3){1.0f, 0.0f, 0.0f});
    float east = world == MARL_WORLD_NED ? nose.y : nose.x;
    float north = world == MARL_WORLD_NED ? nose.x : nose.y;
    *heading = 0.0f;
    if (!(east * east + north * north > 0.00175f * 0.00175f)) {
        return MARL_ERR_DEGENERATE;
    }
    float angle = atan2f(east, north);
    if (angle < 0.0f) {
        angle += two_pi;
    }
    *heading = angle < two_pi ? angle : 0.0f;
    return MARL_OK;
}
