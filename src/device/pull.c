/* SPDX-License-Identifier: MIT
 * Centripetal and tangential acceleration, as lever arm and speed tell them. */
#include "pull.h"

/* Rate and speed are smoothed over so long, s, before they are differentiated: at the end of a long lever the
 * noise of the rate would else outweigh gravity. */
#define SMOOTH 1.0f
/* A speed that has not been told for so long is unknown, s. */
#define STALE 1.0f

static int has_lever(const marl_estimator *e)
{
    const float *lever = &e->tuning.value[MARL_PARAMETER_LEVER_X];
    return lever[0] != 0.0f || lever[1] != 0.0f || lever[2] != 0.0f;
}

void pull_begin(marl_estimator *e)
{
    e->pull.known = (uint8_t)(has_lever(e) || e->pull.has_speed);
}

void pull_follow(marl_estimator *e, const marl_sample *s, float dt)
{
    marl_pull *p = &e->pull;
    marl_vec3 rate = e->rate; /* with its bias, of which an estimate that moves would make a spin */
    float follow = dt / (SMOOTH + dt);
    p->rate = p->begun ? lane3_snap(lane3_add(p->rate, lane3_scale(lane3_sub(rate, p->rate), follow))) : rate;
    p->spin = lane3_scale(lane3_sub(rate, p->rate), 1.0f / SMOOTH);
    p->begun = 1;
    p->speed_age += dt;
    if (s->fresh & MARL_FRESH_SPEED) {
        p->smooth_speed = p->has_speed ? p->smooth_speed : s->speed;
        p->speed = s->speed;
        p->speed_age = 0.0f;
        p->has_speed = 1;
    }
    p->has_speed = p->has_speed && p->speed_age <= STALE;
    p->smooth_speed = lane_snap(p->smooth_speed + follow * (p->speed - p->smooth_speed));
    pull_begin(e);
}

marl_vec3 pull_without(const marl_estimator *e)
{
    const marl_pull *p = &e->pull;
    const float *value = e->tuning.value;
    marl_vec3 turning = lane3_sub(e->rate, e->belief.bias);
    marl_vec3 lever = {value[MARL_PARAMETER_LEVER_X], value[MARL_PARAMETER_LEVER_Y],
                       value[MARL_PARAMETER_LEVER_Z]};
    marl_vec3 along =
        lane3_add(lane3_cross(turning, lever), (marl_vec3){p->has_speed ? p->speed : 0.0f, 0.0f, 0.0f});
    marl_vec3 own = lane3_add(lane3_cross(turning, along), lane3_cross(p->spin, lever));
    own.x += p->has_speed ? (p->speed - p->smooth_speed) * (1.0f / SMOOTH) : 0.0f;
    return lane3_sub(e->accel, own);
}
