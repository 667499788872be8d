/* SPDX-License-Identifier: MIT
 * The inner steps give the same bits on one float and on eight lanes. */
#include "check_main.h"
#include "random_values.h"
#include "steps_on_lanes.h"

void steps_on_1(const float in[20][8], float out[STEP_OUTPUTS][8]);
void steps_on_8(const float in[20][8], float out[STEP_OUTPUTS][8]);

static void fill(dice *d, float in[20][8])
{
    for (int i = 0; i < 8; i++) {
        marl_quat q = dice_attitude(d);
        marl_vec3 v[4] = {dice_vector(d, 0.05), dice_vector(d, 5), dice_vector(d, 15), dice_vector(d, 60)};
        const float row[20] = {q.w,    q.x,    q.y,    q.z,    v[0].x, v[0].y, v[0].z, 0.01f, v[1].x, v[1].y,
                               v[1].z, v[2].x, v[2].y, v[2].z, v[3].x, v[3].y, v[3].z, 0.1f,  0.2f,   0.01f};
        for (int k = 0; k < 20; k++) {
            in[k][i] = row[k];
        }
    }
}

START_TEST(same_bits_on_lanes)
{
    dice d = {11};
    float in[20][8], one[STEP_OUTPUTS][8], eight[STEP_OUTPUTS][8];
    for (int round = 0; round < 20000; round++) {
        fill(&d, in);
        steps_on_1((const float(*)[8])in, one);
        steps_on_8((const float(*)[8])in, eight);
        for (int k = 0; k < STEP_OUTPUTS; k++) {
            for (int i = 0; i < 8; i++) {
                if (bits_of(one[k][i]) != bits_of(eight[k][i]) || !isfinite(one[k][i])) {
                    ck_abort_msg("round %d output %d lane %d: %a, %a", round, k, i, (double)one[k][i],
                                 (double)eight[k][i]);
                }
            }
        }
    }
}
END_TEST

MARL_SUITE("lanes", same_bits_on_lanes)
