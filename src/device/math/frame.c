/* SPDX-License-Identifier: MIT
 * World frames and compass heading. */
#include "device/math/vec_quat.h"
#include "marlinspike/quat.h"

const char *marl_world_name(marl_world world)
{
    return world == MARL_WORLD_NED ? "ned" : "enu";
}

/* The two worlds differ by half a turn about the line between east and north. */
marl_quat marl_frame_swap_world(marl_quat q)
{
    const marl_quat half_turn = {0.0f, 0.70710678f, 0.70710678f, 0.0f};
    return marl_quat_canonical(quat_unit(quat_product(half_turn, q)));
}

marl_status marl_frame_heading(marl_quat q, marl_world world, float *heading)
{
    const float two_pi = 6.28318531f;
    marl_vec3 nose = quat_rotate(q, (marl_vec3){1.0f, 0.0f, 0.0f});
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

float marl_frame_tilt(marl_quat q, marl_world world)
{
    marl_vec3 z = quat_rotate(q, (marl_vec3){0.0f, 0.0f, 1.0f});
    return atan2f(float_root(z.x * z.x + z.y * z.y), world == MARL_WORLD_NED ? -z.z : z.z);
}

float marl_unwrap_next(marl_unwrap *unwrap, float angle)
{
    const float two_pi = 6.28318531f, pi = 3.14159265f;
    if (!isfinite(angle)) {
        return unwrap->before + two_pi * (float)unwrap->turns;
    }
    float step = unwrap->started ? angle - unwrap->before : 0.0f;
    unwrap->turns += step > pi ? -1 : step < -pi ? 1 : 0;
    unwrap->before = angle;
    unwrap->started = 1;
    return angle + two_pi * (float)unwrap->turns;
}

void marl_frame_to_matrix4(marl_quat q, marl_handed handed, float m[16])
{
    marl_mat3 r = marl_quat_to_matrix(q);
    for (int column = 0; column < 3; column++) {
        const float east = r.m[0][column], north = r.m[1][column], up = r.m[2][column];
        m[4 * column] = east;
        m[4 * column + 1] = handed == MARL_HANDED_Y_UP ? up : north;
        m[4 * column + 2] = handed == MARL_HANDED_Y_UP ? -north : up;
        m[4 * column + 3] = 0.0f;
        m[12 + column] = 0.0f;
    }
    m[15] = 1.0f;
}

marl_vec3 marl_frame_without_gravity(marl_quat q, marl_world world, marl_vec3 accel)
{
    marl_vec3 force = quat_rotate(q, accel);
    force.z += world == MARL_WORLD_NED ? 9.80665f : -9.80665f;
    return force;
}
