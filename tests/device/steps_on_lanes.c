/* SPDX-License-Identifier: MIT
 * The inner steps driven from plain arrays; compiled once on floats and once on lanes. */
#include "steps_on_lanes.h"
#include "fusion.h"
#include <string.h>

#ifdef MARL_LANES
#define WIDTH MARL_LANES
#else
#define WIDTH 1
#endif

void STEPS(const float in[20][8], float out[STEP_OUTPUTS][8]);

static lane load(const float *from)
{
    lane x;
    memcpy(&x, from, sizeof x);
    return x;
}

static void save(float *to, lane x)
{
    memcpy(to, &x, sizeof x);
}

static lane3 load3(const float in[][8], int i)
{
    return (lane3){load(&in[0][i]), load(&in[1][i]), load(&in[2][i])};
}

static int save_quat(float out[][8], int i, laneq q)
{
    save(&out[0][i], q.w);
    save(&out[1][i], q.x);
    save(&out[2][i], q.y);
    save(&out[3][i], q.z);
    return 4;
}

static fusion_limits limits(lane like)
{
    const lane one = lane_constant(like, 1.0f);
    return (fusion_limits){.trust = {.accel = 0.1f * one,
                                     .rate = 0.01f * one,
                                     .tilt = 0.02f * one,
                                     .field = 0.05f * one,
                                     .dip = 0.05f * one,
                                     .heading = 0.1f * one,
                                     .linger = one,
                                     .hold = 60.0f * one},
                           .tilt_time = 2.0f * one,
                           .heading_time = 10.0f * one,
                           .tilt_speed = 0.1f * one,
                           .heading_speed = 0.1f * one,
                           .bias_time = 60.0f * one,
                           .bias_limit = 0.05f * one,
                           .gyro_scale = 0.002f * one};
}

/* Eight problems, WIDTH at a time. */
void STEPS(const float in[20][8], float out[STEP_OUTPUTS][8])
{
    for (int i = 0; i < 8; i += WIDTH) {
        const lane dt = load(&in[7][i]);
        const fusion_limits p = limits(dt);
        const lane3 rate = load3(&in[8], i), accel = load3(&in[11], i), mag = load3(&in[14], i);
        fusion_state s = {.q = {load(&in[0][i]), load(&in[1][i]), load(&in[2][i]), load(&in[3][i])},
                          .bias = load3(&in[4], i),
                          .tilt = {.angle = load(&in[17][i]), .bias = load(&in[19][i])},
                          .heading = {.angle = load(&in[18][i]), .bias = load(&in[19][i])},
                          .field = load(&in[14][i]) * 0.0f + 48.0f};
        for (int gradient = 0; gradient < 2; gradient++) {
            fusion_turn(&s, rate, dt);
            fusion_gathered sum = {.longer2 = lane_constant(dt, 0.0f), .turning2 = lane_constant(dt, 0.0f)};
            step_axes world = step_world(s.q);
            fusion_gather_pull(&sum, &world, accel, s.turning);
            fusion_gather_field(&sum, &world, mag);
            fusion_age(&s, &p, dt);
            fusion_reckon(&s, &p.trust);
            lane doubt = s.tilt.angle;
            lane3 tilt = fusion_tilt(&s, &p, &sum, dt, gradient);
            fusion_move(&s, &p, tilt, fusion_heading(&s, &p, &sum, doubt, dt, gradient));
            s.q = laneq_touch_up(s.q);
        }
        int k = save_quat(out, i, s.q);
        const lane rest[] = {s.bias.x,           s.bias.y,       s.bias.z,
                             s.tilt.angle,       s.tilt.both,    s.tilt.bias,
                             s.heading.angle,    s.heading.both, s.accel_trust.weight,
                             s.mag_trust.unrest, s.field,        s.dip};
        for (size_t j = 0; j < sizeof rest / sizeof rest[0]; j++) {
            save(&out[k++][i], rest[j]);
        }
        k += save_quat(out + k, i, step_vectors(accel, mag));
        (void)save_quat(out + k, i, step_tilt_only(accel));
    }
}
