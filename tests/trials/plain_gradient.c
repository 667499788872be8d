/* SPDX-License-Identifier: MIT
 * The gradient-descent filter of the textbook: a step of fixed speed down the gradient of the misfit between
 * the world's up and field, seen from the body, and the readings. */
#include "plain.h"
#include "plain_vectors.h"

/* Adds the gradient of half the squared misfit between `from` (world, y is 0) and `to` (body, unit). */
static void add_gradient(marl_quat q, float north, float up, marl_vec3 to, float g[4])
{
    float fx = 2.0f * north * (q.x * q.y + q.w * q.z) + 2.0f * up * (q.x * q.z - q.w * q.y) - to.x;
    float fy = 2.0f * north * (0.5f - q.x * q.x - q.z * q.z) + 2.0f * up * (q.w * q.x + q.y * q.z) - to.y;
    float fz = 2.0f * north * (q.y * q.z - q.w * q.x) + 2.0f * up * (0.5f - q.x * q.x - q.y * q.y) - to.z;
    g[0] += (north * q.z - up * q.y) * fx + up * q.x * fy - north * q.x * fz;
    g[1] += (north * q.y + up * q.z) * fx + (-2.0f * north * q.x + up * q.w) * fy -
            (north * q.w + 2.0f * up * q.x) * fz;
    g[2] += (north * q.x - up * q.w) * fx + up * q.z * fy + (north * q.z - 2.0f * up * q.y) * fz;
    g[3] += (north * q.w + up * q.x) * fx + (-2.0f * north * q.z + up * q.y) * fy + north * q.y * fz;
}

void plain_gradient(plain_state *s, marl_vec3 gyro, const marl_vec3 *accel, const marl_vec3 *mag, float dt)
{
    marl_quat q = s->q;
    float g[4] = {0};
    if (accel != NULL) {
        add_gradient(q, 0.0f, 1.0f, plain_unit(*accel), g);
    }
    if (mag != NULL) {
        marl_vec3 m = plain_unit(*mag);
        float level, upright;
        plain_field(m, q, &level, &upright);
        add_gradient(q, level, upright, m, g);
    }
    float k = sqrtf(g[0] * g[0] + g[1] * g[1] + g[2] * g[2] + g[3] * g[3]);
    k = k > 0.0f ? 1.0f / k : 0.0f;
    marl_quat d = {g[0] * k, g[1] * k, g[2] * k, g[3] * k};
    marl_vec3 rate = gyro;
    if (s->bias_gain > 0.0f) { /* 2 q* d is the angular error */
        float b = 2.0f * s->bias_gain * dt;
        s->bias.x += b * (q.w * d.x - q.x * d.w - q.y * d.z + q.z * d.y);
        s->bias.y += b * (q.w * d.y + q.x * d.z - q.y * d.w - q.z * d.x);
        s->bias.z += b * (q.w * d.z - q.x * d.y + q.y * d.x - q.z * d.w);
        rate = (marl_vec3){gyro.x - s->bias.x, gyro.y - s->bias.y, gyro.z - s->bias.z};
    }
    float x = 0.5f * rate.x, y = 0.5f * rate.y, z = 0.5f * rate.z;
    s->q.w += dt * (-q.x * x - q.y * y - q.z * z - s->gain * d.w);
    s->q.x += dt * (q.w * x + q.y * z - q.z * y - s->gain * d.x);
    s->q.y += dt * (q.w * y + q.z * x - q.x * z - s->gain * d.y);
    s->q.z += dt * (q.w * z + q.x * y - q.y * x - s->gain * d.z);
    plain_normalize(&s->q);
}
