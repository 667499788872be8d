/* SPDX-License-Identifier: MIT
 * Calls everything that the device library offers, so that the linked image shows what it costs and drags in.
 * Returns 0 when the self-test passes and every estimator gives an attitude. */
#include "marlinspike/device.h"

/* A pod that turns slowly about the vertical: readings without a sensor. */
static marl_sample made_up_sample(int32_t tick)
{
    marl_sample s = {.t_ns = (int64_t)tick * 10000000,
                     .accel = {0.1f, -0.2f, 9.8f},
                     .gyro = {0.001f, 0.0f, 0.05f},
                     .mag = {20.0f, 3.0f, -42.0f},
                     .temp = 24.0f,
                     .fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_TEMP};
    if (tick % 4 == 0) {
        s.fresh |= MARL_FRESH_MAG;
    }
    return s;
}

static marl_status run_filter(marl_filter filter, uint32_t *digest)
{
    marl_tuning tuning = marl_tuning_default(filter);
    marl_calibration calibration = marl_calibration_none();
    marl_estimator estimator;
    marl_still still;
    marl_still_limits limits = marl_still_default_limits();
    marl_quat q = marl_quat_identity();
    marl_status status = marl_estimator_init(&estimator, &tuning);
    if (status != MARL_OK || marl_still_init(&still, &limits) != MARL_OK) {
        return MARL_ERR_ARGUMENT;
    }
    for (int32_t tick = 0; tick < 200; tick++) {
        marl_sample s = made_up_sample(tick);
        marl_calibration_apply(&calibration, s.temp, &s);
        (void)marl_still_update(&still, &s);
        status = marl_estimator_update(&estimator, &s);
        if (status == MARL_OK && marl_estimator_attitude(&estimator, &q) == MARL_OK) {
            *digest = marl_digest_add(*digest, s.t_ns, q);
        }
    }
    (void)marl_still_finish(&still);
    return status;
}

static float angles(marl_quat q)
{
    float heading;
    marl_rpy rpy = marl_quat_to_rpy(marl_frame_swap_world(q));
    marl_mat3 matrix = marl_quat_to_matrix(q);
    marl_quat back = marl_quat_from_rpy(rpy.roll, rpy.pitch, rpy.yaw);
    if (marl_quat_from_matrix(&matrix, &back) != MARL_OK ||
        marl_frame_heading(back, MARL_WORLD_ENU, &heading) != MARL_OK) {
        return -1.0f;
    }
    return heading + marl_root(rpy.roll * rpy.roll);
}

int main(void)
{
    uint32_t digest = 0;
    unsigned findings;
    marl_filter named;
    int faults = marl_selftest(&findings) != MARL_OK;
    for (int i = 0; i < MARL_FILTER_COUNT; i++) {
        faults += run_filter((marl_filter)i, &digest) != MARL_OK;
    }
    faults += angles((marl_quat){0.8f, 0.6f, 0.0f, 0.0f}) < 0.0f;
    faults += marl_filter_from_name("complementary", &named) != MARL_OK;
    faults += marl_status_text(MARL_OK)[0] == '\0' || digest == 0;
    return faults;
}
