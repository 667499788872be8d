/* SPDX-License-Identifier: MIT
 * Calls everything that the device library offers, so that the linked image shows what it costs and drags in,
 * and checks on this very processor that the self-test passes and the estimators give the known bits. */
#include "known_answers.h"
#include "known_board.h"
#include "known_renewal.h"
#include "marlinspike/device.h"
#include <stddef.h>

static int gives_known_bits(marl_filter filter)
{
    const marl_tuning tuning = known_tuning(filter);
    marl_estimator estimator;
    marl_quat q;
    uint32_t digest = 0;
    if (marl_estimator_init(&estimator, &tuning) != MARL_OK) {
        return 0;
    }
    for (int32_t i = 0; i < KNOWN_SAMPLES; i++) {
        marl_sample s = known_sample(i);
        if (marl_estimator_update(&estimator, &s) != MARL_OK ||
            marl_estimator_attitude(&estimator, &q) != MARL_OK) {
            return 0;
        }
        digest = marl_digest_add(digest, s.t_ns, q);
    }
    return digest == known_digest[filter];
}

/* A board at rest is seen to be still. */
static int sees_rest(void)
{
    marl_pipeline_config config = marl_pipeline_default(MARL_FILTER_COMPLEMENTARY);
    marl_pipeline pipeline;
    marl_quat q;
    config.sensors = MARL_FRESH_ACCEL | MARL_FRESH_GYRO;
    config.watch_still = 1;
    if (marl_pipeline_init(&pipeline, &config) != MARL_OK) {
        return 0;
    }
    for (int32_t i = 0; i < 300; i++) {
        const marl_sample s = {
            .t_ns = (int64_t)i * 10000000, .accel = {0.0f, 0.0f, 9.8f}, .temp = 24.0f, .fresh = 15};
        if (marl_pipeline_step(&pipeline, &s, &q) != MARL_OK) {
            return 0;
        }
    }
    return marl_still_finish(&pipeline.still) == MARL_STILL_QUIET && pipeline.still.still &&
           pipeline.attitudes == 300;
}

/* Chip, board, packets, messages and store, all in one station. */
/* Calibrations that it makes itself. */
static int renews_as_known(void)
{
    marl_renewal job;
    int good = 1;
    for (int kind = MARL_RENEW_STILL; kind <= MARL_RENEW_TUMBLE; kind++) {
        good = good && known_renewal_digest(&job, (marl_renewal_kind)kind) == known_renewal[kind];
    }
    return good;
}

static int streams_known_bytes(void)
{
    known_board board;
    marl_app app;
    uint32_t crc;
    return known_board_runs(&board, &app, &crc) && crc == known_stream;
}

/* What firmware may use beside the station. */
static int writes_lines(void)
{
    char line[MARL_CSV_LINE_MAX];
    marl_sample s = {.t_ns = 1500000000, .temp = 24.5f, .fresh = MARL_FRESH_TEMP};
    marl_clock32 clock = {0, 0};
    return marl_csv_line_header(line, s.fresh, 0) == 16 &&
           marl_csv_line_row(line, s.fresh, 0, &s, NULL) == 19 && marl_clock32_ns(&clock, 5) == 5000;
}

/* What a program makes of an attitude. */
static int reports_angles(void)
{
    float heading, model[16];
    const marl_quat q = {0.8f, 0.6f, 0.0f, 0.0f};
    marl_rpy rpy = marl_quat_to_rpy(marl_frame_swap_world(q));
    marl_mat3 matrix = marl_quat_to_matrix(q);
    marl_quat back = marl_quat_from_rpy(rpy.roll, rpy.pitch, rpy.yaw);
    marl_unwrap unwrap = {0};
    marl_frame_to_matrix4(q, MARL_HANDED_Z_UP, model);
    marl_vec3 left = marl_frame_without_gravity(q, MARL_WORLD_ENU, (marl_vec3){0.0f, 9.0f, 3.0f});
    return marl_quat_from_matrix(&matrix, &back) == MARL_OK &&
           marl_frame_heading(back, MARL_WORLD_ENU, &heading) == MARL_OK && heading >= 0.0f &&
           marl_unwrap_next(&unwrap, 0.5f) == 0.5f && model[15] == 1.0f && left.z < 1.0f &&
           marl_frame_tilt(q, MARL_WORLD_ENU) > 1.2f;
}

/* A tray on a hinge. */
static int holds_a_axis_filter(void)
{
    marl_axis_filter_complementary simple;
    marl_axis_filter_kalman kalman;
    marl_axis_filter_complementary_init(&simple, 2.0f, 10.0f);
    marl_axis_filter_kalman_init(&kalman, 1e-4f, 1e-5f, 1e-3f);
    return marl_axis_filter_complementary_update(&simple, 0.0f, 0.5f, 0.01f) == 0.5f &&
           marl_axis_filter_kalman_update(&kalman, 0.0f, 0.5f, 0.01f) > 0.4f;
}

/* Each bit is a fault; 0 is what is wanted. */
int main(void)
{
    marl_filter named;
    int faults = marl_selftest(NULL) == MARL_OK ? 0 : 1;
    for (int i = 0; i < MARL_FILTER_COUNT; i++) {
        faults |= gives_known_bits((marl_filter)i) ? 0 : 2 << i;
    }
    faults |= reports_angles() && holds_a_axis_filter() ? 0 : 64;
    faults |= sees_rest() && renews_as_known() && streams_known_bytes() && writes_lines() ? 0 : 128;
    faults |= marl_filter_from_name("complementary", &named) == MARL_OK && marl_status_text(MARL_OK)[0] != 0
                  ? 0
                  : 128;
    return faults;
}
