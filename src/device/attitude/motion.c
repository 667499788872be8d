/* SPDX-License-Identifier: MIT
 * Centripetal and tangential acceleration from lever arm and speed. */
#include "device/attitude/estimator_parts.h"

/* Rate and speed are low-passed with these time constants, s, before they are differentiated: at the end of a
 * long lever the noise of the rate would else outweigh gravity, and a pendulum's swings last seconds. */
#define RATE_LOWPASS 0.15f
#define SPEED_LOWPASS 0.3f
/* A speed without a new reading for this long is unknown, s. */
#define SPEED_TIMEOUT 1.0f

static marl_vec3 lever_of(const marl_estimator *e)
{
    return (marl_vec3){PARAMETER(e, LEVER_X), PARAMETER(e, LEVER_Y), PARAMETER(e, LEVER_Z)};
}

void marlp_motion_start(marl_estimator *e)
{
    marl_vec3 lever = lever_of(e);
    e->motion.known = (uint8_t)(lever.x != 0.0f || lever.y != 0.0f || lever.z != 0.0f || e->motion.has_speed);
}

void marlp_motion_follow(marl_estimator *e, const marl_sample *s, float dt)
{
    marl_body_motion *m = &e->motion;
    marl_vec3 rate = e->rate; /* with its bias: a bias that is being learned is no angular acceleration */
    m->rate = m->begun ? vec3_follow(m->rate, rate, dt / (RATE_LOWPASS + dt)) : rate;
    m->angular_accel = vec3_scale(vec3_sub(rate, m->rate), 1.0f / RATE_LOWPASS);
    m->begun = 1;
    m->speed_age += dt;
    if (s->fresh & MARL_FRESH_SPEED) {
        m->speed_lowpass = m->has_speed ? m->speed_lowpass : s->speed;
        m->speed = s->speed;
        m->speed_age = 0.0f;
        m->has_speed = 1;
    }
    m->has_speed = m->has_speed && m->speed_age <= SPEED_TIMEOUT;
    m->speed_lowpass =
        float_snap(m->speed_lowpass + dt / (SPEED_LOWPASS + dt) * (m->speed - m->speed_lowpass));
    marlp_motion_start(e);
}

/* (2.5) lever arm r: w x (w x r) + dw/dt x r; speed v along body x: dv/dt + w x v. */
marl_vec3 marlp_motion_subtract(const marl_estimator *e)
{
    const marl_body_motion *m = &e->motion;
    marl_vec3 rate = vec3_sub(e->rate, e->bias), lever = lever_of(e);
    marl_vec3 velocity = vec3_cross(rate, lever);
    velocity.x += m->has_speed ? m->speed : 0.0f;
    marl_vec3 own = vec3_add(vec3_cross(rate, velocity), vec3_cross(m->angular_accel, lever));
    own.x += m->has_speed ? (m->speed - m->speed_lowpass) * (1.0f / SPEED_LOWPASS) : 0.0f;
    return vec3_sub(e->accel, own);
}
