/* SPDX-License-Identifier: MIT
 * What the smoother finds of its sensors' errors, what it assumes of them, and what of it goes into a calibration. */
#include "calibrated_log.h"
#include "check_main.h"
#include "lab/simulate/scene_pose.h"
#include "marlinspike/lab.h"
#include "memory_log.h"
#include "random_values.h"
#include <math.h>

/* What calibration left is found: twice what was assumed is noticed, and added where both halves agree. */
START_TEST(a_bias_that_is_left_is_found_and_added)
{
    marl_log log = corrected_log(MARL_SCENE_HANDLE, 120, 5);
    marl_smoothed s, again;
    marl_refined refined;
    marl_error error = {0};
    for (size_t i = 0; i < log.n; i++) {
        log.row[i].sample.mag.x += 1.2f;
    }
    ck_assert_int_eq(marl_smooth(&log, NULL, &s, &error), MARL_OK);
    ck_assert_double_eq_tol(s.errors[MARL_MAG].bias[0], 1.35, 5 * s.errors[MARL_MAG].bias_sigma[0]);
    ck_assert_int_eq(s.is_worse[MARL_MAG], 1);
    log.info.corrected = 0;
    marl_calibration_record record = marl_calibration_record_empty();
    ck_assert_int_eq(marl_smooth_refine(&log, &(marl_smooth_options){0}, &s, &record, &refined, &error),
                     MARL_OK);
    ck_assert(refined.any && refined.sensor[MARL_MAG].bias[0] == MARL_REFINE_ADDED);
    ck_assert_double_eq_tol(record.fit[MARL_MAG].bias[0], 1.35, 0.1);
    ck_assert_int_eq(
        marl_smooth(&log, &(marl_smooth_options){.record = &record, .record_path = "c.json"}, &again, &error),
        MARL_OK);
    ck_assert_double_lt(fabs(again.errors[MARL_MAG].bias[0]), 3 * again.errors[MARL_MAG].bias_sigma[0]);
    marl_smoothed_free(&s);
    marl_smoothed_free(&again);
    marl_log_free(&log);
}
END_TEST

/* A calibrated magnetometer is assumed to be within 0.3 uT (one sigma): over twice that is worse. */
START_TEST(only_a_remainder_over_twice_what_was_assumed_is_worse)
{
    static const double left[] = {0.4, 0.8};
    for (size_t i = 0; i < sizeof left / sizeof left[0]; i++) {
        marl_sheet sheet = calibrated_sheet();
        sheet.mag.bias[0] = sheet.mag.bias[1] = 0;
        sheet.mag.bias[2] = left[i];
        marl_log log = memory_log_simulated(MARL_SCENE_HANDLE, &sheet, 100, 120, 5);
        marl_smoothed s;
        log.info.corrected = 1;
        ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
        ck_assert_msg(s.is_worse[MARL_MAG] == (left[i] > 2 * 0.3), "%.2f uT: %.3f +- %.3f", left[i],
                      s.errors[MARL_MAG].bias[2], s.errors[MARL_MAG].bias_sigma[2]);
        ck_assert_int_eq(s.is_worse[MARL_ACCEL], 0);
        marl_smoothed_free(&s);
        marl_log_free(&log);
    }
}
END_TEST

/* A raw log of a gyroscope that is 5 deg/s off about each axis, which nobody knows: found, and as sure as stated. */
START_TEST(a_bias_that_nobody_knows_is_found)
{
    const marl_scene_kind moving[] = {MARL_SCENE_HANDLE, MARL_SCENE_TUMBLE, MARL_SCENE_CARRY};
    for (size_t c = 0; c < sizeof moving / sizeof moving[0]; c++) {
        marl_sheet sheet = calibrated_sheet();
        marl_smoothed s;
        double rms, tilt, heading;
        for (int k = 0; k < 3; k++) {
            sheet.gyro.bias[k] = (k == 1 ? -5 : 5) * MARL_DEGREE;
        }
        marl_log log = memory_log_simulated(moving[c], &sheet, 100, 60, 31 + c);
        ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
        errors_of(&log, &s, &rms, &tilt, &heading);
        ck_assert_msg(rms < 0.5 && tilt < 4 && heading < 4, "%g %g %g", rms, tilt, heading);
        ck_assert_double_eq_tol(s.knot[s.knots - 1].bias[1], sheet.gyro.bias[1], 0.1 * MARL_DEGREE);
        marl_smoothed_free(&s);
        marl_log_free(&log);
    }
}
END_TEST

/* An accelerometer's zero offset of a data sheet's size is found and no reason to distrust; a third of gravity is. */
START_TEST(an_offset_of_a_usual_part_is_found)
{
    static const double offset[] = {1.4, 4};
    for (size_t i = 0; i < sizeof offset / sizeof offset[0]; i++) {
        marl_sheet sheet = calibrated_sheet();
        marl_smoothed s;
        double rms, tilt, heading;
        sheet.accel.bias[0] = offset[i];
        marl_log log = memory_log_simulated(MARL_SCENE_HANDLE, &sheet, 100, 60, 33);
        ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
        errors_of(&log, &s, &rms, &tilt, &heading);
        ck_assert_int_eq(marl_smoothed_distrust(&s) == NULL, offset[i] < 3.15);
        ck_assert_double_eq_tol(s.errors[MARL_ACCEL].bias[0], offset[i],
                                0.01 + 5 * s.errors[MARL_ACCEL].bias_sigma[0]);
        ck_assert_msg(rms < 0.5 && tilt < 4 && heading < 4, "%g %g %g", rms, tilt, heading);
        marl_smoothed_free(&s);
        marl_log_free(&log);
    }
}
END_TEST

/* The gyroscope's matrix is off by what the sheet states: over twelve logs the squared error over the stated
 * variance is near one (108 values: within 0.4 and 1.8 but for chance and linearisation), and what is
 * significant is added, a bias with 0.003 deg/s by which it is another one later. */
START_TEST(what_is_left_of_the_gyroscopes_matrix)
{
    const marl_scene_kind scene[] = {MARL_SCENE_HANDLE, MARL_SCENE_CARRY, MARL_SCENE_TUMBLE};
    const double scale[3] = {0.002, -0.001, 0.0005};
    double nse = 0;
    int added = 0;
    for (int k = 0; k < 6; k++) {
        marl_sheet sheet = calibrated_sheet();
        memcpy(sheet.gyro.scale_error, scale, sizeof scale);
        sheet.gyro.cross_axis[0][1] = 0.001;
        marl_log log = memory_log_simulated(scene[k % 3], &sheet, 50, 90, 100 + (uint64_t)k);
        log.info.corrected = 1;
        marl_smoothed s, again;
        ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
        for (int i = 0; i < 9; i++) {
            double truth = i % 4 == 0 ? scale[i / 4] : i == 1 ? 0.001 : 0;
            nse += pow((s.errors[MARL_GYRO].matrix[i] - truth) / s.errors[MARL_GYRO].matrix_sigma[i], 2) / 54;
        }
        const marl_smooth_options how = {0};
        marl_calibration_record record = marl_calibration_record_empty();
        marl_refined refined;
        ck_assert_int_eq(marl_smooth_refine(&log, &how, &s, &record, &refined, NULL), MARL_OK);
        if (refined.sensor[MARL_GYRO].matrix[0] == MARL_REFINE_ADDED) {
            log.info.corrected = 0;
            const marl_smooth_options with = {.record = &record, .record_path = "c.json"};
            ck_assert_int_eq(marl_smooth(&log, &with, &again, NULL), MARL_OK);
            ck_assert_double_lt(fabs(again.errors[MARL_GYRO].matrix[0]),
                                3 * again.errors[MARL_GYRO].matrix_sigma[0]);
            marl_smoothed_free(&again);
        }
        ck_assert(k > 0 || refined.sensor[MARL_GYRO].matrix[0] == MARL_REFINE_ADDED);
        for (int i = 0; i < 3; i++) {
            if (refined.sensor[MARL_GYRO].bias[i] != MARL_REFINE_ADDED) {
                continue;
            }
            added++;
            double here = s.errors[MARL_GYRO].bias_sigma[i], stated = record.fit[MARL_GYRO].bias_sigma[i];
            ck_assert_double_eq_tol(sqrt(stated * stated - here * here), 0.003 * MARL_DEGREE, 5e-6);
        }
        marl_smoothed_free(&s);
        marl_log_free(&log);
    }
    ck_assert_msg(nse > 0.4 && nse < 1.8 && added > 0, "%g, %d", nse, added);
}
END_TEST

/* A mount turns the sensors' frame into the body's: attitudes are the body's, remainders the sensors', also
 * when they are added. */
START_TEST(a_mount_turns_attitudes_and_no_remainder)
{
    marl_log log = corrected_log(MARL_SCENE_HANDLE, 120, 5);
    marl_smoothed plain, mounted, again;
    marl_calibration_record record = marl_calibration_record_empty();
    marl_refined refined;
    log.info.corrected = 0;
    for (size_t i = 0; i < log.n; i++) {
        log.row[i].sample.mag.y += 1.2f;
    }
    const marl_smooth_options how = {.record = &record, .record_path = "c.json"};
    ck_assert_int_eq(marl_smooth(&log, &how, &plain, NULL), MARL_OK);
    record.has_mount = 1;
    record.mount[0] = record.mount[3] = sqrt(0.5); /* x to y */
    ck_assert_int_eq(marl_smooth(&log, &how, &mounted, NULL), MARL_OK);
    marl_quat mount = {(float)sqrt(0.5), 0, 0, (float)sqrt(0.5)};
    for (size_t i = 0; i < log.n; i += 100) {
        marl_quat body = marl_quat_product(mounted.row[i].q, mount);
        ck_assert_double_lt(marl_error_between(body, plain.row[i].q).total_deg, 0.01);
    }
    ck_assert_int_eq(marl_smooth_refine(&log, &how, &mounted, &record, &refined, NULL), MARL_OK);
    ck_assert(refined.sensor[MARL_MAG].bias[1] == MARL_REFINE_ADDED);
    ck_assert_double_eq_tol(record.fit[MARL_MAG].bias[1], 1.35, 0.15);
    ck_assert_int_eq(marl_smooth(&log, &how, &again, NULL), MARL_OK);
    ck_assert_double_lt(fabs(again.errors[MARL_MAG].bias[1]), 3 * again.errors[MARL_MAG].bias_sigma[1]);
    marl_smoothed_free(&plain);
    marl_smoothed_free(&mounted);
    marl_smoothed_free(&again);
    marl_log_free(&log);
}
END_TEST

/* A calibration of one sensor makes no other one sure: with the gyroscope's bias alone, or nothing but a device, the
 * log is as raw as without; with a bias of the accelerometer its scale is still open; with both, the magnetometer. */
START_TEST(only_what_is_calibrated_is_sure)
{
    marl_log log = corrected_log(MARL_SCENE_HANDLE, 30, 3);
    marl_calibration_record record = marl_calibration_record_empty();
    const marl_smooth_options with = {.record = &record, .record_path = "c.json"};
    marl_smoothed raw, s;
    double tilt[4];
    log.info.corrected = 0;
    ck_assert_int_eq(marl_smooth(&log, NULL, &raw, NULL), MARL_OK);
    ck_assert_int_eq(raw.sensors_are_raw, 1);
    for (int step = 0; step < 4; step++) {
        marl_fit *fit = &record.fit[step == 1 ? MARL_GYRO : MARL_ACCEL];
        *fit = step > 0 ? marl_fit_none() : *fit;
        fit->present = step > 0;
        fit->matrix[0][0] = step == 3 ? 1.0001 : 1;
        ck_assert_int_eq(marl_smooth(&log, &with, &s, NULL), MARL_OK);
        ck_assert_int_eq(s.sensors_are_raw, step < 2);
        tilt[step] = s.sigma_tilt_rms;
        marl_smoothed_free(&s);
    }
    ck_assert_double_eq_tol(tilt[0], raw.sigma_tilt_rms, 1e-6);
    ck_assert_double_eq_tol(tilt[1], raw.sigma_tilt_rms, 1e-6);
    ck_assert(tilt[2] < tilt[1] && tilt[3] < tilt[2]);
    marl_smoothed_free(&raw);
    marl_log_free(&log);
}
END_TEST

/* Errors of raw sensors, as large as the smoother assumes: 2 % of scale, 1 % of misalignment, 0.3 m/s^2, 5 uT, and
 * gyroscope bias of some deg/s. */
static marl_sheet raw_sheet(dice *d, double share)
{
    static const double bias[MARL_SENSOR_COUNT] = {[MARL_ACCEL] = 0.3, [MARL_GYRO] = 0.05, [MARL_MAG] = 5};
    marl_sheet sheet = calibrated_sheet();
    marl_sensor_sheet *sensor[MARL_SENSOR_COUNT] = {
        [MARL_ACCEL] = &sheet.accel, [MARL_GYRO] = &sheet.gyro, [MARL_MAG] = &sheet.mag};
    for (int k = 0; k < 9 * MARL_SENSOR_COUNT; k++) {
        int i = k % 9 / 3, j = k % 3;
        sensor[k / 9]->bias[i] = j == 0 ? share * bias[k / 9] * dice_normal(d) : sensor[k / 9]->bias[i];
        *(i == j ? &sensor[k / 9]->scale_error[i] : &sensor[k / 9]->cross_axis[i][j]) =
            share * (i == j ? 0.02 : 0.01) * dice_normal(d);
    }
    return sheet;
}

/* Mean squared error over stated variance of the three biases and matrices. */
static double ratio_of_errors(const marl_smoothed *s, const marl_sheet *sheet)
{
    const marl_sensor_sheet *sensor[MARL_SENSOR_COUNT] = {
        [MARL_ACCEL] = &sheet->accel, [MARL_GYRO] = &sheet->gyro, [MARL_MAG] = &sheet->mag};
    double sum = 0;
    for (int k = 0; k < 9 * MARL_SENSOR_COUNT; k++) {
        const marl_sensor_errors *e = &s->errors[k / 9];
        int i = k % 9 / 3, j = k % 3;
        double truth = i == j ? sensor[k / 9]->scale_error[i] : sensor[k / 9]->cross_axis[i][j];
        sum += pow((e->matrix[k % 9] - truth) / e->matrix_sigma[k % 9], 2) / 36;
        sum += j == 0 ? pow((e->bias[i] - sensor[k / 9]->bias[i]) / e->bias_sigma[i], 2) / 36 : 0;
    }
    return sum;
}

/* Nobody has calibrated anything: attitudes and all 36 errors of the sensors are as sure as stated. Over five logs the
 * ratio of the errors is near 1 (180 values, of which a log's are correlated: within 0.3 and 1.9). */
START_TEST(raw_sensors_are_as_sure_as_stated)
{
    static const marl_scene_kind moving[] = {MARL_SCENE_HANDLE, MARL_SCENE_CARRY, MARL_SCENE_TUMBLE,
                                             MARL_SCENE_POSES, MARL_SCENE_LIFT};
    enum { LOGS = 5 };
    dice d = {77};
    double ratio = 0;
    for (size_t k = 0; k < LOGS; k++) {
        marl_sheet sheet = raw_sheet(&d, 1);
        marl_log log = memory_log_simulated(moving[k % 5], &sheet, 50, 90, 700 + k);
        marl_smoothed s;
        double rms, tilt, heading;
        ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
        ck_assert_int_eq(s.sensors_are_raw, 1);
        ck_assert_ptr_null(marl_smoothed_distrust(&s));
        errors_of(&log, &s, &rms, &tilt, &heading);
        ck_assert_msg(rms < 3 && tilt < 9 && heading < 9, "%s: %g %g %g", marl_scene_name(moving[k % 5]), rms,
                      tilt, heading);
        ratio += ratio_of_errors(&s, &sheet) / LOGS;
        marl_smoothed_free(&s);
        marl_log_free(&log);
    }
    ck_assert_msg(ratio > 0.3 && ratio < 1.9, "%g", ratio);
}
END_TEST

/* A log that says it is corrected, and whose sensors are raw: the log goes before what is said of it. One whose
 * sensors are calibrated stays so. */
START_TEST(a_calibration_that_does_not_hold_is_named)
{
    dice d = {5};
    for (int wrong = 0; wrong < 2; wrong++) {
        marl_sheet sheet = wrong ? raw_sheet(&d, 0.7) : calibrated_sheet();
        marl_log log = memory_log_simulated(MARL_SCENE_HANDLE, &sheet, 100, 90, 21);
        marl_smoothed s;
        double rms, tilt, heading;
        log.info.corrected = 1;
        ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
        ck_assert_int_eq(s.calibration_is_wrong, wrong);
        ck_assert_int_eq(s.sensors_are_raw, wrong);
        errors_of(&log, &s, &rms, &tilt, &heading);
        ck_assert(tilt < 6 && heading < 6);
        marl_smoothed_free(&s);
        marl_log_free(&log);
    }
}
END_TEST

/* Ten minutes of a pendulum: its motion goes with its attitude, and looks like an error of the accelerometer's matrix. */
START_TEST(a_long_pendulum_stays_calibrated)
{
    marl_sheet sheet = calibrated_sheet();
    marl_log log = memory_log_simulated(MARL_SCENE_SWING, &sheet, 25, 600, 21);
    marl_smoothed s;
    double rms, tilt, heading;
    log.info.corrected = 1;
    ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
    ck_assert_ptr_null(marl_smoothed_distrust(&s));
    ck_assert_int_eq(s.sensors_are_raw, 0);
    errors_of(&log, &s, &rms, &tilt, &heading);
    ck_assert_msg(rms < 0.5 && tilt < 4 && heading < 4, "%g %g %g", rms, tilt, heading);
    marl_smoothed_free(&s);
    marl_log_free(&log);
}
END_TEST

/* Raw sensors on a rope of 3 to 10 m: the point that moves least is its upper end, and the accelerometer is trusted. */
START_TEST(a_pendulum_shows_its_rope)
{
    for (uint64_t seed = 41; seed < 47; seed++) {
        const marl_scene scene = marl_scene_make(MARL_SCENE_SWING, seed);
        marl_sheet sheet = calibrated_sheet();
        lab_pose pose = {.temp = 20};
        marl_smoothed s;
        double length2 = 0, found2 = 0, rms, tilt, heading;
        for (int k = 0; k < 3; k++) {
            sheet.accel.scale_error[k] = k == 1 ? -0.01 : 0.01;
            sheet.mag.bias[k] = k == 1 ? -2 : 2;
        }
        marl_log log = memory_log_simulated(MARL_SCENE_SWING, &sheet, 50, 90, seed);
        lab_scene_swing(&scene, 0, &pose);
        ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
        for (int k = 0; k < 3; k++) {
            length2 += pose.position[k].v * pose.position[k].v;
            found2 += s.arm[k] * s.arm[k];
        }
        errors_of(&log, &s, &rms, &tilt, &heading);
        double off = sqrt(found2) - sqrt(length2),
               sigma = fmax(s.arm_sigma[0], fmax(s.arm_sigma[1], s.arm_sigma[2]));
        ck_assert_msg(fabs(off) < 5 * sigma && sigma < 0.5, "off by %g +- %g m", off, sigma);
        ck_assert_msg(rms < 0.5 && tilt < 4 && heading < 4, "%g %g %g", rms, tilt, heading);
        ck_assert_ptr_null(marl_smoothed_distrust(&s));
        marl_smoothed_free(&s);
        marl_log_free(&log);
    }
}
END_TEST

MARL_SUITE("smooth sensors", a_pendulum_shows_its_rope, a_bias_that_is_left_is_found_and_added,
           only_a_remainder_over_twice_what_was_assumed_is_worse, a_bias_that_nobody_knows_is_found,
           an_offset_of_a_usual_part_is_found, only_what_is_calibrated_is_sure,
           a_calibration_that_does_not_hold_is_named, CAMPAIGN(raw_sensors_are_as_sure_as_stated),
           CAMPAIGN(a_long_pendulum_stays_calibrated), CAMPAIGN(what_is_left_of_the_gyroscopes_matrix),
           CAMPAIGN(a_mount_turns_attitudes_and_no_remainder))
