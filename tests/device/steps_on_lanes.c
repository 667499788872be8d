/* SPDX-License-Identifier: MIT
 * The inner steps driven from plain arrays; compiled once on floats and once on lanes. */
#include "step.h"
#include <string.h>

#ifdef MARL_LANES
#define WIDTH MARL_LANES
#else
#define WIDTH 1
#endif

void STEPS(const float in[20][8], float out[11][8]);

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

static void save_quat(float out[][8], int i, laneq q)
{
    save(&out[0][i], q.w);
    save(&out[1][i], q.x);
    save(&out[2][i], q.y);
    save(&out[3][i], q.z);
}

/* Eight problems, WIDTH at a time. */
void STEPS(const float in[20][8], float out[11][8])
{
    for (int i = 0; i < 8; i += WIDTH) {
        step_complementary_state s = {{load(&in[0][i]), load(&in[1][i]), load(&in[2][i]), load(&in[3][i])},
                                      {load(&in[4][i]), load(&in[5][i]), load(&in[6][i])}};
        step_complementary_input input = {.dt = load(&in[7][i]),
                                          .rate = {load(&in[8][i]), load(&in[9][i]), load(&in[10][i])},
                                          .accel = {load(&in[11][i]), load(&in[12][i]), load(&in[13][i])},
                                          .mag = {load(&in[14][i]), load(&in[15][i]), load(&in[16][i])},
                                          .tilt_gain = load(&in[17][i]),
                                          .heading_gain = load(&in[18][i]),
                                          .tilt_bias_gain = load(&in[19][i]),
                                          .heading_bias_gain = load(&in[19][i]),
                                          .bias_limit = load(&in[7][i])};
        step_complementary(&s, &input);
        save_quat(out, i, s.q);
        save(&out[4][i], s.bias.x);
        save(&out[5][i], s.bias.y);
        save(&out[6][i], s.bias.z);
        save_quat(out + 7, i, step_vectors(input.accel, input.mag, input.mag.x > 0.0f));
    }
}
