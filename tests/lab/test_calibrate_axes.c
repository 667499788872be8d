/* SPDX-License-Identifier: MIT
 * Axes against each other, and the zero. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "memory_log.h"
#include <math.h>

static marl_vec3 arranged(marl_vec3 v, const int axis[3])
{
    const float from[3] = {v.x, v.y, v.z};
    float to[3];
    for (int k = 0; k < 3; k++) {
        to[k] = (axis[k] < 0 ? -1.0f : 1.0f) * from[abs(axis[k]) - 1];
    }
    return (marl_vec3){to[0], to[1], to[2]};
}

/* The rates as the calibration gives them, of readings that were mixed up before. */
static const int mixes[][3] = {{1, 2, 3}, {2, -1, 3}, {-3, -1, 2}, {1, 2, -3}};

START_TEST(mixed_up_axes_are_put_right)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 60, 5), plain = log;
    plain.row = malloc(log.n * sizeof *plain.row);
    memcpy(plain.row, log.row, log.n * sizeof *plain.row);
    for (size_t i = 0; i < log.n; i++) {
        marl_sample *s = &log.row[i].sample;
        s->gyro = arranged(s->gyro, mixes[_i]);
        s->mag = arranged(s->mag, mixes[(_i + 1) % 4]);
    }
    marl_calibration_record record = marl_calibration_record_empty();
    marl_axes_result r;
    marl_error error = {0};
    ck_assert_msg(marl_calibrate_axes(&log, 0, 0, &record, &r, &error) == MARL_OK, "%s", error.text);
    ck_assert(r.outcome.accepted && r.axes.mag.verdict == MARL_AXES_DECIDED);
    marl_calibration calibration = marl_calibration_for_device(&record);
    for (size_t i = 0; i < log.n; i += 40) {
        marl_sample s = log.row[i].sample;
        const marl_sample *was = &plain.row[i].sample;
        marl_calibration_correct(&calibration, NAN, &s);
        marl_calibration_mount(&calibration, &s);
        ck_assert_float_eq_tol(s.gyro.x, was->gyro.x, 1e-5f);
        ck_assert_float_eq_tol(s.gyro.z, was->gyro.z, 1e-5f);
        ck_assert_float_eq_tol(s.mag.x, was->mag.x, 1.0f); /* and perhaps turned by a fraction of a degree */
        ck_assert_float_eq_tol(s.mag.y, was->mag.y, 1.0f);
    }
    free(plain.row);
    marl_log_free(&log);
}
END_TEST

/* Three degrees about each axis come out within three standard errors, which are under half a degree; without
 * a rotation none is stated. */
START_TEST(a_small_rotation_is_found)
{
    marl_sheet sheet = marl_sheet_grommet();
    memset(sheet.mag.cross_axis, 0, sizeof sheet.mag.cross_axis);
    for (int k = 0; k < 4; k++) {
        marl_log log = memory_log_simulated(MARL_SCENE_POSES, &sheet, 100, 120, 8 + (uint64_t)k);
        float half = k < 3 ? 0.5f * 3 * 0.017453293f : 0;
        marl_quat turn = {cosf(half), k == 0 ? sinf(half) : 0, k == 1 ? sinf(half) : 0,
                          k == 2 ? sinf(half) : 0};
        for (size_t i = 0; i < log.n; i++) {
            log.row[i].sample.mag = marl_quat_rotate_back(turn, log.row[i].sample.mag);
        }
        marl_calibration_record record = marl_calibration_record_empty();
        marl_axes_result r;
        marl_error error = {0};
        ck_assert_msg(marl_calibrate_axes(&log, 0, 0, &record, &r, &error) == MARL_OK, "%s", error.text);
        ck_assert_int_eq(r.turned, k < 3);
        for (int j = 0; j < 3; j++) {
            double off = r.rotation_deg[j] - (j == k ? 3 : 0);
            ck_assert_msg(fabs(off) < 3 * r.rotation_sigma[j] + 0.1 && r.rotation_sigma[j] < 0.5,
                          "%d: %.3f +- %.3f", j, r.rotation_deg[j], r.rotation_sigma[j]);
        }
        marl_log_free(&log);
    }
}
END_TEST

/* A mirrored accelerometer looks like a turned gyroscope, until it is said what points up. */
START_TEST(a_mirrored_accelerometer_needs_the_up_option)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 60, 5);
    for (size_t i = 0; i < log.n; i++) {
        log.row[i].sample.accel.z = -log.row[i].sample.accel.z;
    }
    marl_calibration_record record = marl_calibration_record_empty();
    marl_axes_result r;
    ck_assert_int_eq(marl_calibrate_axes(&log, 0, 0, &record, &r, NULL), MARL_OK);
    ck_assert(!marl_arrangement_is_plain(&r.axes.gyro.best)); /* blamed on the gyroscope */
    record = marl_calibration_record_empty();
    ck_assert_int_eq(marl_calibrate_axes(&log, 0, 3, &record, &r, NULL), MARL_OK);
    ck_assert(marl_arrangement_is_plain(&r.axes.gyro.best) && marl_arrangement_is_plain(&r.axes.mag.best));
    ck_assert_double_eq_tol(record.fit[MARL_ACCEL].matrix[2][2], -1, 1e-12);
    marl_log_free(&log);
}
END_TEST

/* The Earth turns by 15 degrees an hour: at the pole about the vertical, at the equator about north. */
START_TEST(the_earth_turns)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 30, 5);
    marl_calibration_record record = marl_calibration_record_empty();
    const double once = 6.283185307179586 / 86164.1; /* a sidereal day */
    double pole[3], equator[3], whole[2] = {0}, between = 0, along = 0;
    ck_assert_int_eq(marl_earth_rate(&log, &record, 1.5707963267948966, pole, NULL), MARL_OK);
    ck_assert_int_eq(marl_earth_rate(&log, &record, 0, equator, NULL), MARL_OK);
    const double a[3] = {(double)log.row[4].sample.accel.x, (double)log.row[4].sample.accel.y,
                         (double)log.row[4].sample.accel.z};
    for (int k = 0; k < 3; k++) {
        whole[0] += pole[k] * pole[k];
        whole[1] += equator[k] * equator[k];
        between += pole[k] * equator[k];
        along += pole[k] * a[k] / 9.8;
    }
    ck_assert_double_eq_tol(sqrt(whole[0]) / once, 1, 1e-4);
    ck_assert_double_eq_tol(sqrt(whole[1]) / once, 1, 1e-4);
    ck_assert_double_eq_tol(between / whole[0], 0, 1e-6);
    ck_assert_double_eq_tol(along / once, 1, 0.02); /* counter-clockwise seen from above the north pole */
    /* north: the field has a part along it */
    const marl_vec3 m = log.row[0].sample.mag;
    ck_assert_double_gt((double)m.x * equator[0] + (double)m.y * equator[1] + (double)m.z * equator[2],
                        10 * once);
    marl_log_free(&log);
}
END_TEST

START_TEST(rest_does_not_determine_axes)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 30, 5);
    marl_calibration_record record = marl_calibration_record_empty(), before = record;
    marl_axes_result r;
    ck_assert_int_eq(marl_calibrate_axes(&log, 0, 0, &record, &r, NULL), MARL_ERR_INSUFFICIENT);
    ck_assert(!r.outcome.accepted && strstr(r.outcome.next, "turn the pod about all three axes") != NULL);
    ck_assert_mem_eq(record.fit[MARL_GYRO].matrix, before.fit[MARL_GYRO].matrix, sizeof before.fit[0].matrix);
    marl_log_free(&log);
}
END_TEST

/* Replayed with the mount, the recording that gave the zero is level and heads north; without a magnetometer
 * it is level. A board that never rests has none. */
START_TEST(zero_is_level_and_north)
{
    marl_sheet sheet = marl_sheet_grommet();
    for (int with_mag = 0; with_mag < 2; with_mag++) {
        marl_log log = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 30, 5);
        marl_calibration_record record = marl_calibration_record_empty();
        marl_span span;
        marl_error error = {0};
        for (size_t i = 0; i < log.n; i++) {
            log.row[i].sample.fresh &= (uint8_t)(with_mag ? 0xff : ~MARL_FRESH_MAG);
        }
        ck_assert_msg(marl_zero(&log, &record, &span, &error) == MARL_OK, "%s", error.text);
        ck_assert(record.has_mount && span.to_ns - span.from_ns > INT64_C(25000000000));
        marl_calibration calibration = marl_calibration_for_device(&record);
        marl_tuning tuning = marl_tuning_default(MARL_FILTER_VECTORS);
        marl_estimator estimator;
        marl_quat q;
        tuning.value[MARL_PARAMETER_USE_MAG] = (float)with_mag;
        ck_assert_int_eq(marl_estimator_init(&estimator, &tuning), MARL_OK);
        for (size_t i = 0; i < 400; i++) {
            marl_sample s = log.row[i].sample;
            marl_calibration_correct(&calibration, s.temp, &s);
            marl_calibration_mount(&calibration, &s);
            ck_assert_int_eq(marl_estimator_update(&estimator, &s), MARL_OK);
        }
        ck_assert_int_eq(marl_estimator_attitude(&estimator, &q), MARL_OK);
        marl_rpy angles = marl_quat_to_rpy(q);
        ck_assert_float_eq_tol(angles.roll, 0, 0.01f);
        ck_assert_float_eq_tol(angles.pitch, 0, 0.01f);
        ck_assert_float_eq_tol(angles.yaw, with_mag ? 1.5707963f : 0.0f, 0.1f); /* x to the north */
        marl_log_free(&log);
    }
    marl_log moving = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 30, 5);
    marl_calibration_record record = marl_calibration_record_empty();
    marl_span span;
    memmove(moving.row, moving.row + 600, 2000 * sizeof *moving.row);
    moving.n = 2000;
    ck_assert_int_eq(marl_zero(&moving, &record, &span, NULL), MARL_ERR_INSUFFICIENT);
    ck_assert_int_eq(record.has_mount, 0);
    marl_log_free(&moving);
}
END_TEST

/* Rests of 4 and 12 s in two attitudes: the longer one is the zero, whichever comes first. */
START_TEST(zero_is_the_longest_rest)
{
    for (int second = 0; second < 2; second++) {
        marl_sheet sheet = marl_sheet_grommet();
        marl_log log = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 20, 6);
        marl_calibration_record record = marl_calibration_record_empty();
        marl_span span;
        double from_s = second ? 8 : 0, to_s = second ? 20 : 12;
        for (size_t i = 0; i < log.n; i++) { /* moved for the four seconds between, and for good */
            marl_sample *s = &log.row[i].sample;
            double t = 1e-9 * (double)s->t_ns, begin = second ? 4 : 12;
            s->accel.x += t > begin + 4 ? 3.0f : 0.0f;
            s->accel.y += t > begin && t < begin + 4 ? 3.0f * (float)sin(9 * t) : 0.0f;
        }
        ck_assert_int_eq(marl_zero(&log, &record, &span, NULL), MARL_OK);
        ck_assert_double_eq_tol(1e-9 * (double)span.from_ns, from_s, 1.1);
        ck_assert_double_eq_tol(1e-9 * (double)span.to_ns, to_s, 1.1);
        marl_log_free(&log);
    }
}
END_TEST

MARL_SUITE_OF_CASES("calibrate axes", mixes, mixed_up_axes_are_put_right, a_small_rotation_is_found,
                    a_mirrored_accelerometer_needs_the_up_option, the_earth_turns,
                    rest_does_not_determine_axes, zero_is_level_and_north, zero_is_the_longest_rest)
