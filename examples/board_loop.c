/* SPDX-License-Identifier: MIT
 * The loop of a board: read the sensors, update the estimator, use the attitude. Needs the device library
 * alone. board_read stands for the board: here a hook block that turns at 6 degrees a second. */
#include "marlinspike/device.h"
#include <math.h>
#include <stdio.h>

#define DEGREES(rad) ((double)(rad)*57.29577951308232)

/* Fills one sample, as a driver would; the magnetometer is four times slower than the others. */
static void board_read(int tick, marl_sample *s)
{
    float t = 0.01f * (float)tick, rate = 0.10471976f;
    *s = (marl_sample){.t_ns = (int64_t)tick * 10000000,
                       .accel = {0.0f, 0.342f, 9.8f}, /* two degrees out of level */
                       .gyro = {0.002f, 0.0f, rate},  /* 0.1 deg/s of bias on x */
                       .mag = {23.5f * sinf(rate * t), 23.5f * cosf(rate * t), -42.7f},
                       .fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO};
    if (tick % 4 == 0) {
        s->fresh |= MARL_FRESH_MAG;
    }
}

int main(void)
{
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
    marl_estimator estimator;
    marl_sample sample;
    marl_quat q;
    float heading;

    if (marl_selftest(NULL) != MARL_OK || marl_estimator_init(&estimator, &tuning) != MARL_OK) {
        return 1;
    }
    for (int tick = 0; tick <= 3000; tick++) {
        board_read(tick, &sample);
        if (marl_estimator_update(&estimator, &sample) != MARL_OK) {
            printf("%.2f s: time stood still or went back\n", 0.01 * tick);
            continue;
        }
        if (tick % 500 == 0 && marl_estimator_attitude(&estimator, &q) == MARL_OK &&
            marl_frame_heading(q, MARL_WORLD_ENU, &heading) == MARL_OK) {
            marl_rpy angles = marl_quat_to_rpy(q);
            printf("%5.2f s: roll %5.2f, pitch %5.2f, heading %6.2f deg\n", 0.01 * tick, DEGREES(angles.roll),
                   DEGREES(angles.pitch), DEGREES(heading));
        }
    }
    return 0;
}
