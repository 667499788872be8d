/* SPDX-License-Identifier: MIT
 * The smoother on readings that are late against the gyroscope's. */
#include "calibrated_log.h"
#include "check_main.h"
#include "sensor_faults.h"

static const marl_scene_kind scenes[] = {MARL_SCENE_TUMBLE, MARL_SCENE_HANDLE, MARL_SCENE_CARRY,
                                         MARL_SCENE_WHIRL};
enum { SCENES = sizeof scenes / sizeof scenes[0] };

/* Of a gyroscope that is late the attitudes are, too: they are those that it shows. */
static void delay(marl_log *log, int sensor, size_t rows)
{
    late_log(log, sensor, rows);
    for (size_t i = log->n; sensor == MARL_GYRO && i-- > rows;) {
        log->row[i].q = log->row[i - rows].q;
    }
}

static void check(marl_scene_kind scene, int sensor, size_t rows, uint64_t seed)
{
    marl_log log = corrected_log(scene, 90, seed);
    marl_smoothed s;
    double rms, tilt, heading, truth[MARL_SENSOR_COUNT] = {0};
    delay(&log, sensor, rows);
    ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
    errors_of(&log, &s, &rms, &tilt, &heading);
    ck_assert_msg(rms < 0.4 && tilt < 4 && heading < 4, "%s, %d late by %zu rows: %g deg, %g %g",
                  marl_scene_name(scene), sensor, rows, rms, tilt, heading);
    ck_assert(marl_smoothed_distrust(&s) == NULL);
    const marl_sensor_delays found = marl_smoothed_delays(&s);
    truth[sensor] = 0.01 * (double)rows;
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_sensor_delay *d = &found.of[i];
        ck_assert_int_eq(d->found, i != MARL_GYRO);
        ck_assert_msg(!d->found || fabs(d->delay_s - truth[i] + truth[MARL_GYRO]) < 4.5 * d->sigma_s,
                      "%s, %d late by %zu rows: %d by %g +- %g", marl_scene_name(scene), sensor, rows, i,
                      d->delay_s, d->sigma_s);
    }
    ck_assert_double_lt(found.of[MARL_MAG].sigma_s, 0.002);
    marl_smoothed_free(&s);
    marl_log_free(&log);
}

/* As good as with readings in time, and the delay is within its standard errors. */
START_TEST(late_readings_do_no_harm)
{
    for (size_t k = 0; k < SCENES; k++) {
        check(scenes[k], MARL_MAG, 0, 81 + k);
        check(scenes[k], MARL_MAG, 4, 81 + k);
        check(scenes[k], MARL_ACCEL, 3, 81 + k);
        check(scenes[k], MARL_GYRO, 2, 81 + k);
    }
}
END_TEST

/* Without turning nothing is known but what was assumed, 20 ms; without a magnetometer nothing of it. */
START_TEST(at_rest_no_delay_is_seen)
{
    marl_log log = corrected_log(MARL_SCENE_STILL, 60, 91);
    marl_smoothed s;
    ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
    const marl_sensor_delays still = marl_smoothed_delays(&s);
    ck_assert_double_gt(still.of[MARL_MAG].sigma_s, 0.019);
    ck_assert_double_gt(still.of[MARL_ACCEL].sigma_s, 0.019);
    marl_smoothed_free(&s);
    log.info.columns &= ~MARL_COLUMNS_MAG;
    for (size_t i = 0; i < log.n; i++) {
        log.row[i].sample.fresh &= (uint8_t)~MARL_FRESH_MAG;
    }
    ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
    ck_assert(!marl_smoothed_delays(&s).of[MARL_MAG].found);
    marl_smoothed_free(&s);
    marl_log_free(&log);
}
END_TEST

MARL_SUITE("smooth delay", late_readings_do_no_harm, at_rest_no_delay_is_seen)
