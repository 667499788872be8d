/* SPDX-License-Identifier: MIT
 * The complementary filter of the textbook. */
#include "plain.h"
#include "plain_vectors.h"

void plain_complementary(plain_state *s, marl_vec3 gyro, const marl_vec3 *accel, const marl_vec3 *mag,
                         float dt)
{
    marl_vec3 e = {0.0f, 0.0f, 0.0f};
    if (accel != NULL) {
        e = plain_cross(plain_unit(*accel), plain_up(s->q));
    }
    if (mag != NULL) {
        marl_vec3 m = plain_unit(*mag), n = plain_north(s->q), u = plain_up(s->q);
        float level, upright;
        plain_field(m, s->q, &level, &upright);
        marl_vec3 w = {level * n.x + upright * u.x, level * n.y + upright * u.y, level * n.z + upright * u.z};
        marl_vec3 f = plain_cross(m, w);
        e = (marl_vec3){e.x + f.x, e.y + f.y, e.z + f.z};
    }
    marl_vec3 rate = gyro;
    if (s->bias_gain > 0.0f) {
        float k = s->bias_gain * dt;
        s->bias = (marl_vec3){s->bias.x - k * e.x, s->bias.y - k * e.y, s->bias.z - k * e.z};
        rate = (marl_vec3){gyro.x - s->bias.x, gyro.y - s->bias.y, gyro.z - s->bias.z};
    }
    rate = (marl_vec3){rate.x + s->gain * e.x, rate.y + s->gain * e.y, rate.z + s->gain * e.z};
    plain_integrate(&s->q, rate, dt);
}
