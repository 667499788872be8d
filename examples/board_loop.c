/* SPDX-License-Identifier: MIT
 * The loop of a board: read the sensors, step the pipeline, use the attitude. Needs the device library alone.
 * board_read and use stand for the board: here a hook block that turns at 6 degrees a second. */
#include "marlinspike/device.h"
#include <math.h>
#include <stdio.h>

#define DEGREES(rad) ((double)(rad)*57.29577951308232)

/* Fills one sample, as a driver would; the magnetometer is four times slower than the others. 0 at the end.
 */
static int board_read(marl_sample *s)
{
    static int tick = -1;
    tick++;
    float t = 0.01f * (float)tick, rate = 0.10471976f;
    *s = (marl_sample){.t_ns = (int64_t)tick * 10000000,
                       .accel = {0.0f, 0.342f, 9.8f}, /* two degrees out of level */
                       .gyro = {0.002f, 0.0f, rate},  /* 0.1 deg/s of bias on x */
                       .mag = {23.5f * sinf(rate * t), 23.5f * cosf(rate * t), -42.7f},
                       .fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO};
    if (tick % 4 == 0) {
        s->fresh |= MARL_FRESH_MAG;
    }
    return tick <= 3000;
}

static void use(int64_t t_ns, marl_quat q)
{
    float heading;
    if (t_ns % 5000000000 == 0 && marl_frame_heading(q, MARL_WORLD_ENU, &heading) == MARL_OK) {
        marl_rpy angles = marl_quat_to_rpy(q);
        printf("%5.2f s: roll %5.2f, pitch %5.2f, heading %6.2f deg\n", 1e-9 * (double)t_ns,
               DEGREES(angles.roll), DEGREES(angles.pitch), DEGREES(heading));
    }
}

int main(void)
{
    marl_pipeline_config config = marl_pipeline_default(MARL_FILTER_COMPLEMENTARY);
    marl_pipeline pipeline;
    marl_sample sample;
    marl_quat q;

    if (marl_selftest(NULL) != MARL_OK || marl_pipeline_init(&pipeline, &config) != MARL_OK) {
        return 1; /* this build does not compute the agreed bits */
    }
    while (board_read(&sample)) {
        if (marl_pipeline_step(&pipeline, &sample, &q) == MARL_OK) {
            use(sample.t_ns, q);
        }
    }
    return 0;
}
