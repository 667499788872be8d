/* SPDX-License-Identifier: MIT
 * Quaternions, and the matrices and angles that stand for the same rotation. */
#include "marlinspike/quat.h"
#include "device/math/canonical.h"
#include "device/math/exact.h"

marl_quat marl_quat_identity(void)
{
    return (marl_quat){1.0f, 0.0f, 0.0f, 0.0f};
}

marl_quat marl_quat_product(marl_quat a, marl_quat b)
{
    return quat_product(a, b);
}

marl_quat marl_quat_conjugate(marl_quat q)
{
    return quat_conjugate(q);
}

marl_vec3 marl_quat_rotate(marl_quat q, marl_vec3 v)
{
    return quat_rotate(q, v);
}

marl_vec3 marl_quat_rotate_back(marl_quat q, marl_vec3 v)
{
    return quat_rotate(quat_conjugate(q), v);
}

marl_status marl_quat_normalize(marl_quat *q)
{
    float n2 = quat_norm2(*q);
    if (!(n2 > 1e-30f && n2 < 1e30f)) {
        return MARL_ERR_DEGENERATE;
    }
    *q = quat_unit(*q);
    return MARL_OK;
}

marl_quat marl_quat_canonical(marl_quat q)
{
    return quat_canonical(&q);
}

marl_mat3 marl_quat_to_matrix(marl_quat q)
{
    float xx = q.x * q.x, yy = q.y * q.y, zz = q.z * q.z;
    float xy = q.x * q.y, xz = q.x * q.z, yz = q.y * q.z;
    float wx = q.w * q.x, wy = q.w * q.y, wz = q.w * q.z;
    return (marl_mat3){{{1.0f - 2.0f * (yy + zz), 2.0f * (xy - wz), 2.0f * (xz + wy)},
                        {2.0f * (xy + wz), 1.0f - 2.0f * (xx + zz), 2.0f * (yz - wx)},
                        {2.0f * (xz - wy), 2.0f * (yz + wx), 1.0f - 2.0f * (xx + yy)}}};
}

/* Rows of unit length, square to each other, right-handed, within 1e-3; NaN fails. */
static int is_rotation(marl_vec3 r0, marl_vec3 r1, marl_vec3 r2)
{
    marl_vec3 off = vec3_sub(vec3_cross(r0, r1), r2);
    float unit0 = vec3_dot(r0, r0) - 1.0f;
    float unit1 = vec3_dot(r1, r1) - 1.0f;
    float square = vec3_dot(r0, r1);
    return unit0 * unit0 < 4e-6f && unit1 * unit1 < 4e-6f && square * square < 1e-6f &&
           vec3_dot(off, off) < 4e-6f;
}

marl_status marl_quat_from_matrix(const marl_mat3 *matrix, marl_quat *q)
{
    const float(*m)[3] = matrix->m;
    marl_vec3 r0 = {m[0][0], m[0][1], m[0][2]};
    marl_vec3 r1 = {m[1][0], m[1][1], m[1][2]};
    marl_vec3 r2 = {m[2][0], m[2][1], m[2][2]};
    if (!is_rotation(r0, r1, r2)) {
        return MARL_ERR_DEGENERATE;
    }
    *q = marl_quat_canonical(quat_unit(quat_from_rows(r0, r1, r2)));
    return MARL_OK;
}

marl_rpy marl_quat_to_rpy(marl_quat q)
{
    marl_mat3 r = marl_quat_to_matrix(q);
    float level = float_root(r.m[0][0] * r.m[0][0] + r.m[1][0] * r.m[1][0]);
    marl_rpy angles = {0.0f, atan2f(-r.m[2][0], level), 0.0f, level < 0.00175f};
    if (angles.at_pole) {
        angles.yaw = atan2f(-r.m[0][1], r.m[1][1]);
    } else {
        angles.roll = atan2f(r.m[2][1], r.m[2][2]);
        angles.yaw = atan2f(r.m[1][0], r.m[0][0]);
    }
    return angles;
}

marl_quat marl_quat_from_rpy(float roll, float pitch, float yaw)
{
    marl_quat about_x = {cosf(0.5f * roll), sinf(0.5f * roll), 0.0f, 0.0f};
    marl_quat about_y = {cosf(0.5f * pitch), 0.0f, sinf(0.5f * pitch), 0.0f};
    marl_quat about_z = {cosf(0.5f * yaw), 0.0f, 0.0f, sinf(0.5f * yaw)};
    return marl_quat_canonical(quat_product(about_z, quat_product(about_y, about_x)));
}
