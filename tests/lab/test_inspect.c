/* SPDX-License-Identifier: MIT
 * Rates, gaps and rest; and the gyroscope's bias from rest with a true standard error. */
#include "check_main.h"
#include "lab/simulate/simulator.h"
#include "marlinspike/calibrate.h"
#include "marlinspike/files.h"
#include "memory_log.h"
#include "random_values.h"

START_TEST(rates_jitter_and_gaps_as_they_were_made)
{
    dice d = {51};
    enum { N = 4000 };
    marl_log log = {.path = strdup("made.csv"), .n = N, .row = calloc(N, sizeof(marl_log_row))};
    log.info.columns = MARL_COLUMNS_GYRO | 1u << MARL_COLUMN_ACCEL_X;
    int64_t t = 5000000000;
    double jitter = 0;
    for (int i = 0; i < N; i++) {
        double late = i % 2 ? 0.0002 : 0; /* every second stamp is 0.2 ms late: steps of 5.2 and 4.8 ms */
        int64_t gap = i == 1000 ? 100000000 : i == 3000 ? 250000000 : 0;
        t += 5000000 + gap;
        log.row[i].sample = (marl_sample){.t_ns = t + (int64_t)(late * 1e9), .fresh = MARL_FRESH_GYRO};
        log.row[i].sample.gyro = (marl_vec3){(float)(1 + 0.1 * dice_normal(&d)), 2, 3};
        log.row[i].sample.fresh = (uint8_t)(MARL_FRESH_GYRO | (i % 4 == 0 ? MARL_FRESH_ACCEL : 0));
        jitter = 0.2;
    }
    marl_inspection in;
    marl_error error = {0};
    ck_assert_int_eq(marl_inspect(&log, &in, &error), MARL_OK);
    const marl_sensor_summary *gyro = &in.sensor[MARL_GYRO], *accel = &in.sensor[MARL_ACCEL];
    ck_assert(gyro->rate_hz > 190 && gyro->rate_hz < 210);
    ck_assert_double_le(gyro->jitter_ms, 2 * jitter * 1.01);
    ck_assert_double_ge(gyro->jitter_ms, jitter);
    ck_assert_uint_eq(gyro->gaps, 2);
    ck_assert_double_eq_tol(gyro->longest_gap_s, 0.2548, 0.001);
    ck_assert_int_eq(gyro->longest_gap_ns, log.row[2999].sample.t_ns);
    ck_assert_double_eq_tol(gyro->mean[0], 1, 5 * 0.1 / sqrt(N));
    ck_assert_double_eq_tol(gyro->deviation[0], 0.1, 0.01);
    ck_assert_double_eq(gyro->deviation[1], 0);
    ck_assert_uint_eq(accel->axes, 1);
    ck_assert_double_eq_tol(accel->rate_hz, 50, 0.1);
    ck_assert_uint_eq(in.sensor[MARL_MAG].axes, 0);
    ck_assert_double_eq_tol(in.duration_s, 20.345, 0.01);
    marl_inspection_free(&in);
    marl_log_free(&log);
}
END_TEST

/* A tumble through a gyroscope of 60 deg/s: as many readings at the ends as the truth lies beyond. */
START_TEST(clipped_readings_are_counted)
{
    marl_sheet sheet = marl_sheet_grommet(), narrow = sheet;
    narrow.gyro.full_scale = 60 * 0.017453292519943295;
    marl_log wide = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 60, 4);
    marl_log log = memory_log_simulated(MARL_SCENE_TUMBLE, &narrow, 100, 60, 4);
    marl_inspection in;
    size_t beyond[3] = {0, 0, 0};
    ck_assert_int_eq(marl_inspect(&log, &in, NULL), MARL_OK);
    for (size_t i = 0; i < wide.n; i++) {
        const marl_vec3 *v = &wide.row[i].sample.gyro;
        beyond[0] += fabs((double)v->x) >= narrow.gyro.full_scale;
        beyond[1] += fabs((double)v->y) >= narrow.gyro.full_scale;
        beyond[2] += fabs((double)v->z) >= narrow.gyro.full_scale;
    }
    ck_assert_uint_gt(beyond[0], 1000);
    for (int k = 0; k < 3; k++) { /* lone ones at the edge are not reported */
        ck_assert_uint_le(in.sensor[MARL_GYRO].clipped[k], beyond[k] + 2);
        ck_assert_uint_ge(in.sensor[MARL_GYRO].clipped[k] + 40, beyond[k]);
        ck_assert_uint_eq(in.sensor[MARL_ACCEL].clipped[k], 0);
        ck_assert_uint_eq(in.sensor[MARL_GYRO].stuck[k], 0);
    }
    marl_inspection_free(&in);
    ck_assert_int_eq(marl_inspect(&wide, &in, NULL), MARL_OK);
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        for (int k = 0; k < 3; k++) {
            ck_assert_uint_eq(in.sensor[i].clipped[k] + in.sensor[i].stuck[k], 0);
        }
    }
    marl_inspection_free(&in);
    marl_log_free(&log);
    marl_log_free(&wide);
}
END_TEST

START_TEST(a_stuck_axis_differs_from_a_quiet_one)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_LIFT, &sheet, 100, 60, 4);
    marl_inspection in;
    for (size_t i = 2000; i < 4500; i++) {
        log.row[i].sample.accel.y = 0.25f;
    }
    for (size_t i = 0; i < log.n;
         i++) { /* a sensor that says the same all the time is none that is stuck in one axis */
        log.row[i].sample.mag = (marl_vec3){1, 2, 3};
    }
    ck_assert_int_eq(marl_inspect(&log, &in, NULL), MARL_OK);
    ck_assert_uint_eq(in.sensor[MARL_ACCEL].stuck[1], 2500);
    ck_assert_uint_eq(in.sensor[MARL_ACCEL].stuck[0] + in.sensor[MARL_ACCEL].stuck[2], 0);
    ck_assert_uint_eq(in.sensor[MARL_MAG].stuck[0] + in.sensor[MARL_MAG].clipped[0], 0);
    marl_inspection_free(&in);
    marl_log_free(&log);
}
END_TEST

START_TEST(rest_is_found_at_both_ends_of_the_lift)
{
    marl_sheet sheet = marl_sheet_grommet();
    const double rates[] = {50, 100, 500};
    for (int r = 0; r < 3; r++) {
        marl_log log = memory_log_simulated(MARL_SCENE_LIFT, &sheet, rates[r], 120, 3);
        marl_spans still;
        marl_error error = {0};
        ck_assert_int_eq(marl_inspect_still(&log, &still, &error), MARL_OK);
        ck_assert_uint_eq(still.n, 2);
        ck_assert_double_eq_tol((double)still.span[0].to_ns * 1e-9, 10.0, 1.01);
        ck_assert_double_eq_tol((double)still.span[1].from_ns * 1e-9, 105.0, 1.51);
        ck_assert_int_eq(still.span[1].to_ns, log.row[log.n - 1].sample.t_ns);
        size_t at = 0;
        ck_assert_int_eq(marl_spans_hold(&still, 5000000000, &at), 1);
        ck_assert_int_eq(marl_spans_hold(&still, 50000000000, &at), 0);
        ck_assert_int_eq(marl_spans_hold(&still, 110000000000, &at), 1);
        marl_spans_free(&still);
        marl_log_free(&log);
    }
}
END_TEST

/* Over many recordings the error divided by its standard error has mean square one: with three axes and n
 * runs its deviation is sqrt(2 / 3 n); the larger-of-two rule and few blocks push it below, never far above.
 */
START_TEST(bias_error_has_the_stated_size)
{
    enum { RUNS = 150 };
    marl_sheet sheet = marl_sheet_grommet();
    sheet.gyro.flicker = sheet.gyro.walk = 0; /* so that the bias is one number */
    double squares = 0;
    for (uint64_t seed = 1; seed <= RUNS; seed++) {
        marl_log log = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 30, seed);
        marl_simulator truth;
        marl_still_result rest;
        marl_error error = {0};
        ck_assert_int_eq(lab_simulator_init(&truth, MARL_SCENE_STILL, &sheet, 100, seed), MARL_OK);
        for (size_t i = 0; i < log.n; i++) { /* without the sensors that would bound a turn: noise alone */
            log.row[i].sample.fresh &= MARL_FRESH_GYRO | MARL_FRESH_TEMP;
        }
        ck_assert_msg(marl_calibrate_still(&log, &rest, &error) == MARL_OK, "%s", error.text);
        ck_assert_int_eq(rest.outcome.accepted, 1);
        for (int k = 0; k < 3; k++) {
            double e = (rest.outcome.fit.bias[k] - truth.gyro.bias[k]) / rest.outcome.fit.bias_sigma[k];
            squares += e * e / (3.0 * RUNS);
            ck_assert_double_eq_tol(rest.deviation[k], truth.gyro.sigma, 0.1 * truth.gyro.sigma);
            ck_assert(isnan(rest.outcome.fit.matrix_sigma[k][k]));
        }
        ck_assert_double_eq_tol(rest.outcome.fit.temperature_degC, 24, 1e-6);
        marl_log_free(&log);
    }
    ck_assert_double_gt(squares, 0.6);
    ck_assert_double_lt(squares, 1 + 4 * sqrt(2.0 / (3.0 * RUNS)));
}
END_TEST

/* Noise that wanders: white noise alone would promise far too much. */
START_TEST(wandering_noise_widens_the_standard_error)
{
    dice d = {52};
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 60, 1);
    double wander = 0;
    for (size_t i = 0; i < log.n; i++) {
        wander += 1e-5 * dice_normal(&d);
        log.row[i].sample.gyro.x += (float)wander;
    }
    marl_still_result rest;
    marl_error error = {0};
    ck_assert_int_eq(marl_calibrate_still(&log, &rest, &error), MARL_OK);
    ck_assert_double_gt(rest.outcome.fit.bias_sigma[0], 3 * rest.deviation[0] / sqrt((double)log.n));
    marl_log_free(&log);
}
END_TEST

/* Rest reaches to the last row at any rate, and a knock at the very end is seen. */
START_TEST(the_open_window_at_the_end_is_decided)
{
    const double rates[] = {10, 25, 100};
    marl_sheet sheet = marl_sheet_grommet();
    for (int r = 0; r < 3; r++) {
        marl_still_result rest;
        marl_error error = {0};
        marl_log log = memory_log_simulated(MARL_SCENE_STILL, &sheet, rates[r], 30.3, 1);
        ck_assert_msg(marl_calibrate_still(&log, &rest, &error) == MARL_OK, "%s", error.text);
        ck_assert_double_eq(rest.moved_s, 0);
        log.row[log.n - 2].sample.gyro.y += 1.0f;
        if (rates[r] > 20) { /* at 10 Hz there are too few readings in the last window */
            ck_assert_int_eq(marl_calibrate_still(&log, &rest, &error), MARL_OK);
            ck_assert_double_gt(rest.moved_s, 0);
        }
        marl_log_free(&log);
    }
}
END_TEST

static marl_still_result refused(marl_log *log, const char *message, const char *next)
{
    marl_still_result rest;
    marl_error error = {0};
    ck_assert_int_eq(marl_calibrate_still(log, &rest, &error), MARL_ERR_INSUFFICIENT);
    ck_assert_int_eq(rest.outcome.accepted, 0);
    ck_assert_msg(strstr(error.text, message) != NULL, "%s", error.text);
    ck_assert_msg(strstr(rest.outcome.next, next) != NULL, "%s", rest.outcome.next);
    marl_log_free(log);
    return rest;
}

START_TEST(refused_with_what_to_record_next)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_LIFT, &sheet, 100, 120, 1);
    marl_still_result rest = refused(&log, "the board moved for", "do not touch");
    ck_assert_double_gt(rest.moved_s, 90);
    log = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 3, 1);
    refused(&log, "s at rest, 5 s are needed", "at least 5 s");
    log = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 30, 1);
    for (size_t i = 0; i < log.n; i++) {
        log.row[i].sample.gyro.y = 0.25f / 128;
    }
    refused(&log, "gyro_y never changes", "check the wiring");
    log = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 30, 1);
    log.info.columns = MARL_COLUMNS_ACCEL;
    refused(&log, "needs gyro_x, gyro_y, gyro_z", "record a log with");
}
END_TEST

START_TEST(a_short_knock_is_left_out)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 60, 2),
             calm = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 60, 2);
    for (size_t i = 3000; i < 3020; i++) {
        log.row[i].sample.gyro.z += 0.5f;
    }
    marl_still_result knocked, rest;
    marl_error error = {0};
    ck_assert_int_eq(marl_calibrate_still(&log, &knocked, &error), MARL_OK);
    ck_assert_int_eq(marl_calibrate_still(&calm, &rest, &error), MARL_OK);
    ck_assert(knocked.moved_s > 0 && knocked.moved.from_ns <= 30000000000 &&
              knocked.moved.to_ns >= 30200000000);
    ck_assert(rest.moved_s == 0);
    ck_assert_double_lt(fabs(knocked.outcome.fit.bias[2] - rest.outcome.fit.bias[2]),
                        3 * rest.outcome.fit.bias_sigma[2]);
    marl_log_free(&log);
    marl_log_free(&calm);
}
END_TEST

MARL_SUITE("inspect", rates_jitter_and_gaps_as_they_were_made, clipped_readings_are_counted,
           a_stuck_axis_differs_from_a_quiet_one, rest_is_found_at_both_ends_of_the_lift,
           CAMPAIGN(bias_error_has_the_stated_size), the_open_window_at_the_end_is_decided,
           wandering_noise_widens_the_standard_error, refused_with_what_to_record_next,
           a_short_knock_is_left_out)
