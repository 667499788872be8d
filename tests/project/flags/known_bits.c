/* SPDX-License-Identifier: MIT
 * The bits of this build: digests of every filter over the known samples, raw and through a calibration with
 * temperature curves and a mount, with and without weighting; and what the boot self-test says of it. */
#include "known_answers.h"
#include "marlinspike/estimator.h"
#include <stdio.h>

static marl_calibration calibration(void)
{
    marl_calibration c = marl_calibration_none();
    c.accel = c.mag =
        (marl_correction){.present = 1,
                          .matrix = {{{1.01f, 0.02f, -0.03f}, {0.04f, 0.98f, 0.01f}, {-0.02f, 0.03f, 1.03f}}},
                          .bias = {0.1f, -0.2f, 0.3f},
                          .has_curve = 1,
                          .curve = {20.0f, -10.0f, 60.0f, {0.01f, 0.02f, -0.01f}, {0.0001f, 0.0f, 0.0002f}}};
    c.gyro = c.accel;
    c.gyro.bias = (marl_vec3){0.01f, -0.02f, 0.03f};
    c.has_mount = 1;
    c.mount = (marl_quat){0.9f, 0.3f, -0.1f, 0.3f};
    (void)!marl_quat_normalize(&c.mount);
    return c;
}

static uint32_t digest_of(marl_filter filter, int corrected, int weighting)
{
    marl_pipeline pipeline;
    marl_pipeline_config config = marl_pipeline_default(filter);
    config.tuning.value[MARL_PARAMETER_WEIGHTING] = weighting ? 1.0f : 0.0f;
    config.tuning.value[MARL_PARAMETER_LEVER_X] = corrected ? 0.2f : 0.0f;
    config.calibration = corrected ? calibration() : config.calibration;
    if (marl_pipeline_init(&pipeline, &config) != MARL_OK) {
        return 0;
    }
    for (int32_t i = 0; i < KNOWN_SAMPLES; i++) {
        marl_sample s = known_sample(i);
        marl_quat q;
        s.temp = 15.0f + (float)(i % 32) / 4.0f;
        s.speed = (float)(i % 64) / 16.0f;
        s.fresh = (uint8_t)(s.fresh | (i % 8 == 0 ? MARL_FRESH_TEMP : 0) |
                            (corrected && i % 16 == 0 ? MARL_FRESH_SPEED : 0));
        (void)!marl_pipeline_step(&pipeline, &s, &q);
    }
    return pipeline.digest;
}

int main(void)
{
    unsigned findings;
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        for (int k = 0; k < 4; k++) {
            printf("%08x ", (unsigned)digest_of((marl_filter)f, k & 1, k & 2));
        }
    }
    (void)!marl_selftest(&findings);
    printf("%u\n", findings);
    return 0;
}
