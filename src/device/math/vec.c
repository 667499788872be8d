/* SPDX-License-Identifier: MIT
 * Vectors and matrices. */
#include "device/math/vec_quat.h"
#include "marlinspike/quat.h"

marl_vec3 marl_vec3_add(marl_vec3 a, marl_vec3 b)
{
    return vec3_add(a, b);
}

marl_vec3 marl_vec3_sub(marl_vec3 a, marl_vec3 b)
{
    return vec3_sub(a, b);
}

marl_vec3 marl_vec3_scale(marl_vec3 a, float factor)
{
    return vec3_scale(a, factor);
}

float marl_vec3_dot(marl_vec3 a, marl_vec3 b)
{
    return vec3_dot(a, b);
}

marl_vec3 marl_vec3_cross(marl_vec3 a, marl_vec3 b)
{
    return vec3_cross(a, b);
}

float marl_vec3_norm(marl_vec3 a)
{
    return float_root(vec3_dot(a, a));
}

marl_vec3 marl_mat3_apply(const marl_mat3 *matrix, marl_vec3 v)
{
    const float(*m)[3] = matrix->m;
    return (marl_vec3){m[0][0] * v.x + m[0][1] * v.y + m[0][2] * v.z,
                       m[1][0] * v.x + m[1][1] * v.y + m[1][2] * v.z,
                       m[2][0] * v.x + m[2][1] * v.y + m[2][2] * v.z};
}

marl_mat3 marl_mat3_identity(void)
{
    return (marl_mat3){{{1.0f, 0.0f, 0.0f}, {0.0f, 1.0f, 0.0f}, {0.0f, 0.0f, 1.0f}}};
}
