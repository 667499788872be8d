/* SPDX-License-Identifier: MIT
 * Replay: the same bits each time, the right refusals, and estimates that hold on the lift. */
#include "accuracy_scenes.h"
#include "check_main.h"
#include "marlinspike/calibrate.h"
#include "marlinspike/files.h"
#include "marlinspike/replay.h"
#include "memory_log.h"
#include "random_values.h"
#include <stdio.h>

static marl_pipeline run(const marl_log *log, marl_filter filter, const marl_calibration_record *record,
                         marl_series *series)
{
    marl_pipeline pipeline;
    marl_error error = {0};
    marl_tuning tuning = marl_tuning_default(filter);
    marl_status status =
        marl_replay_init(&pipeline, &tuning, record, "cal.json", &log->info, log->path, &error);
    ck_assert_msg(status == MARL_OK, "%s", error.text);
    *series = (marl_series){0, calloc(log->n, sizeof(marl_attitude))};
    for (size_t i = 0; i < log->n; i++) {
        marl_attitude *at = &series->at[series->n];
        at->t_ns = log->row[i].sample.t_ns;
        series->n += marl_pipeline_step(&pipeline, &log->row[i].sample, &at->q) == MARL_OK;
    }
    return pipeline;
}

START_TEST(same_log_same_bits)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_LIFT, &sheet, 100, 30, 4);
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        marl_series a, b;
        marl_pipeline first = run(&log, (marl_filter)f, NULL, &a),
                      second = run(&log, (marl_filter)f, NULL, &b);
        ck_assert_uint_eq(first.digest, second.digest);
        ck_assert_uint_eq(a.n, log.n);
        ck_assert_mem_eq(a.at, b.at, a.n * sizeof *a.at);
        marl_series_free(&a);
        marl_series_free(&b);
    }
    marl_log_free(&log);
}
END_TEST

/* The digest is of the attitudes, and not needed for them. */
START_TEST(without_a_digest_the_attitudes_are_the_same)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_LIFT, &sheet, 100, 10, 4);
    marl_pipeline_config config = marl_pipeline_default(MARL_FILTER_KALMAN);
    marl_pipeline with, without;
    ck_assert_int_eq(marl_pipeline_init(&with, &config), MARL_OK);
    config.no_digest = 1;
    ck_assert_int_eq(marl_pipeline_init(&without, &config), MARL_OK);
    for (size_t i = 0; i < log.n; i++) {
        marl_quat a, b;
        ck_assert_int_eq(marl_pipeline_step(&with, &log.row[i].sample, &a),
                         marl_pipeline_step(&without, &log.row[i].sample, &b));
        ck_assert_mem_eq(&a, &b, sizeof a);
    }
    ck_assert(with.digest != 0 && without.digest == 0 && with.attitudes == without.attitudes);
    marl_log_free(&log);
}
END_TEST

/* On the lift the fused tilt must beat both baselines by far, for any seed. */
START_TEST(fused_tilt_is_several_times_better)
{
    marl_sheet sheet = marl_sheet_grommet();
    for (uint64_t seed = 1; seed <= 8; seed++) {
        marl_log log = memory_log_simulated(MARL_SCENE_LIFT, &sheet, 100, 120, seed),
                 rest = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 60, seed + 100);
        marl_calibration_record record = marl_calibration_record_empty();
        marl_still_result found;
        marl_error error = {0};
        double rms[MARL_FILTER_COUNT];
        ck_assert_int_eq(marl_calibrate_still(&rest, &found, &error), MARL_OK);
        record.fit[MARL_GYRO] = found.outcome.fit;
        marl_series truth;
        ck_assert_int_eq(marl_series_from_log(&truth,
                                              &(marl_log){.path = log.path,
                                                          .n = log.n,
                                                          .row = log.row,
                                                          .info = {.columns = MARL_COLUMNS_Q}},
                                              &error),
                         MARL_OK);
        for (int f = 0; f < MARL_FILTER_COUNT; f++) {
            marl_series s;
            marl_comparison c;
            run(&log, (marl_filter)f, &record, &s);
            ck_assert_int_eq(marl_compare(&s, &truth, NULL, &c, &error), MARL_OK);
            rms[f] = c.all.tilt.rms;
            marl_comparison_free(&c);
            marl_series_free(&s);
        }
        ck_assert_double_lt(rms[MARL_FILTER_COMPLEMENTARY], 1.6);
        ck_assert_double_gt(rms[MARL_FILTER_VECTORS] / rms[MARL_FILTER_COMPLEMENTARY], 3);
        ck_assert_double_gt(rms[MARL_FILTER_GYRO] / rms[MARL_FILTER_COMPLEMENTARY], 1.5);
        marl_series_free(&truth);
        marl_log_free(&log);
        marl_log_free(&rest);
    }
}
END_TEST

/* Lag of `vectors` while the pod turns in place, so that nothing but the age of the readings moves it. */
static double lag_in_place(double mag_rate_hz, uint64_t seed)
{
    marl_sheet sheet = marl_sheet_grommet();
    sheet.mag.rate_hz = mag_rate_hz;
    marl_log log = memory_log_simulated(MARL_SCENE_TURNS, &sheet, 100, 72, seed);
    marl_log truth = log;
    marl_series estimate, reference;
    marl_comparison c;
    marl_error error = {0};
    truth.info.columns = MARL_COLUMNS_Q;
    ck_assert_int_eq(marl_series_from_log(&reference, &truth, &error), MARL_OK);
    run(&log, MARL_FILTER_VECTORS, NULL, &estimate);
    ck_assert_int_eq(marl_compare(&estimate, &reference, NULL, &c, &error), MARL_OK);
    double lag = c.lag_ms;
    marl_comparison_free(&c);
    marl_series_free(&estimate);
    marl_series_free(&reference);
    marl_log_free(&log);
    return lag;
}

/* Fresh readings give no lag. A magnetometer at 25 Hz is held for 0, 10, 20, 30 ms: 15 ms on the mean, of
 * which the turns that bring another axis upright take some away, as the accelerometer sees them at once. */
START_TEST(estimators_without_memory_lag_by_the_age_of_their_readings)
{
    for (uint64_t seed = 1; seed <= 4; seed++) {
        ck_assert_double_lt(fabs(lag_in_place(100, seed)), 2);
        double held = lag_in_place(25, seed);
        ck_assert_msg(held > 7 && held < 16, "%g ms", held);
    }
}
END_TEST

START_TEST(refusals)
{
    marl_pipeline pipeline;
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
    marl_calibration_record record = marl_calibration_record_empty();
    marl_log_info info = {.device = "pod-07", .columns = MEMORY_LOG_ALL};
    marl_error error = {0};
    info.corrected = 1;
    ck_assert_int_eq(marl_replay_init(&pipeline, &tuning, &record, "c.json", &info, "l.csv", &error),
                     MARL_ERR_INPUT);
    ck_assert_str_eq(error.text, "l.csv:1: is corrected already; leave --calibration out");
    info.corrected = 0;
    error = (marl_error){0};
    snprintf(record.device, sizeof record.device, "pod-08");
    ck_assert_int_eq(marl_replay_init(&pipeline, &tuning, &record, "c.json", &info, "l.csv", &error),
                     MARL_ERR_INPUT);
    error = (marl_error){0};
    info.columns = MARL_COLUMNS_ACCEL;
    ck_assert_int_eq(marl_replay_init(&pipeline, &tuning, NULL, NULL, &info, "l.csv", &error),
                     MARL_ERR_INSUFFICIENT);
    error = (marl_error){0};
    tuning.value[MARL_PARAMETER_TILT_TIME] = -1;
    info.columns = MEMORY_LOG_ALL;
    ck_assert_int_eq(marl_replay_init(&pipeline, &tuning, NULL, NULL, &info, "l.csv", &error), MARL_ERR_USE);
    /* a log without magnetometer still runs; its heading is relative from the first sample on */
    tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
    info.columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO;
    ck_assert_int_eq(marl_replay_init(&pipeline, &tuning, NULL, NULL, &info, "l.csv", &error), MARL_OK);
    marl_sample s = {.accel = {0, 0, 9.8f}, .fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO};
    marl_quat q;
    ck_assert_int_eq(marl_pipeline_step(&pipeline, &s, &q), MARL_OK);
    ck_assert_int_eq(marl_pipeline_step(&pipeline, &s, &q), MARL_ERR_TIME); /* time stands still */
    ck_assert_int_eq(marl_estimator_heading_is_magnetic(&pipeline.estimator), 0);
}
END_TEST

/* How fast a replay by kalman says that a calibrated log began, m/s; 0: nothing. */
static double start_speed(const accuracy_class *class, uint64_t seed)
{
    accuracy_run run = accuracy_run_make(class, seed);
    marl_pipeline_config config = {.tuning = marl_tuning_default(MARL_FILTER_KALMAN),
                                   .calibration = marl_calibration_none(),
                                   .sensors = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG,
                                   .corrected = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG};
    marl_pipeline pipeline;
    marl_start_watch watch;
    marl_quat q;
    ck_assert_int_eq(marl_pipeline_init(&pipeline, &config), MARL_OK);
    marl_start_watch_init(&watch);
    for (size_t i = 0; i < run.n; i++) {
        if (marl_pipeline_step(&pipeline, &run.sample[i], &q) == MARL_OK) {
            marl_start_watch_add(&watch, &pipeline, &run.sample[i], q);
        }
    }
    accuracy_run_free(&run);
    return marl_start_watch_speed(&watch);
}

/* Switched on while driving it is said nearly always; after a rest, with a speed, and of slower motion never. */
START_TEST(a_start_while_driving_is_named)
{
    static const accuracy_class driving = {"", MARL_SCENE_ROAD, 60, 150, 0},
                                others[] = {
                                    {"", MARL_SCENE_ROAD, 0, 150, 0},  {"", MARL_SCENE_ROAD, 60, 100, 1},
                                    {"", MARL_SCENE_DRIVE, 0, 150, 0}, {"", MARL_SCENE_SWING, 30, 60, 0},
                                    {"", MARL_SCENE_CARRY, 60, 60, 0}, {"", MARL_SCENE_SPIN, 40, 60, 0},
                                    {"", MARL_SCENE_SLEW, 0, 100, 0}};
    int named = 0;
    for (uint64_t seed = 9301; seed < 9307; seed++) {
        double speed = start_speed(&driving, seed);
        named += speed > 0;
        ck_assert_msg(speed == 0 || (speed > 4 && speed < 30), "%g m/s", speed);
    }
    ck_assert_int_ge(named, 5);
    for (size_t k = 0; k < sizeof others / sizeof others[0]; k++) {
        ck_assert_double_eq(start_speed(&others[k], 9301 + k), 0);
    }
}
END_TEST

MARL_SUITE("replay", same_log_same_bits, without_a_digest_the_attitudes_are_the_same,
           fused_tilt_is_several_times_better, estimators_without_memory_lag_by_the_age_of_their_readings,
           a_start_while_driving_is_named, refusals)
