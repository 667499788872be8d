/* SPDX-License-Identifier: MIT
 * The baselines: the rate alone, the vectors alone; and the start of all. */
#include "plain.h"
#include "plain_vectors.h"

void plain_gyro(plain_state *s, marl_vec3 gyro, const marl_vec3 *accel, const marl_vec3 *mag, float dt)
{
    (void)accel;
    (void)mag;
    plain_integrate(&s->q, gyro, dt);
}

marl_quat plain_two_vectors(marl_vec3 accel, marl_vec3 mag)
{
    marl_vec3 up = plain_unit(accel);
    marl_vec3 east = plain_unit(plain_cross(mag, up));
    marl_vec3 north = plain_cross(up, east);
    float trace = east.x + north.y + up.z;
    marl_quat q;
    if (trace > 0.0f) {
        float k = 2.0f * sqrtf(trace + 1.0f);
        q = (marl_quat){0.25f * k, (up.y - north.z) / k, (east.z - up.x) / k, (north.x - east.y) / k};
    } else if (east.x > north.y && east.x > up.z) {
        float k = 2.0f * sqrtf(1.0f + east.x - north.y - up.z);
        q = (marl_quat){(up.y - north.z) / k, 0.25f * k, (east.y + north.x) / k, (east.z + up.x) / k};
    } else if (north.y > up.z) {
        float k = 2.0f * sqrtf(1.0f + north.y - east.x - up.z);
        q = (marl_quat){(east.z - up.x) / k, (east.y + north.x) / k, 0.25f * k, (north.z + up.y) / k};
    } else {
        float k = 2.0f * sqrtf(1.0f + up.z - east.x - north.y);
        q = (marl_quat){(north.x - east.y) / k, (east.z + up.x) / k, (north.z + up.y) / k, 0.25f * k};
    }
    return q;
}

void plain_vectors(plain_state *s, marl_vec3 gyro, const marl_vec3 *accel, const marl_vec3 *mag, float dt)
{
    static const marl_vec3 none = {0.0f, 1.0f, 0.0f};
    (void)gyro;
    (void)dt;
    s->q = plain_two_vectors(*accel, mag != NULL ? *mag : none);
}
