/* SPDX-License-Identifier: MIT */
#include "check_main.h"
#include "marlinspike/sample.h"
#include "random_values.h"

/* A sensor that errs by scale, bias and temperature is put right by the calibration that says so. */
START_TEST(undoes_the_errors_it_describes)
{
    dice d = {7};
    for (int i = 0; i < 500; i++) {
        marl_correction c = marl_calibration_none().gyro;
        float degC = (float)dice_between(&d, -10, 50), dt = degC - 20.0f;
        marl_vec3 truth = dice_vector(&d, 4), scale = {1.02f, 0.97f, 1.01f};
        c.present = c.has_curve = 1;
        c.bias = dice_vector(&d, 0.1);
        c.curve = (marl_bias_curve){20, -10, 50, dice_vector(&d, 1e-3), dice_vector(&d, 1e-5)};
        c.matrix = (marl_mat3){{{1 / scale.x, 0, 0}, {0, 1 / scale.y, 0}, {0, 0, 1 / scale.z}}};
        marl_vec3 drift =
            marl_vec3_add(marl_vec3_scale(c.curve.per_degC, dt), marl_vec3_scale(c.curve.per_degC2, dt * dt));
        marl_vec3 raw = {truth.x * scale.x, truth.y * scale.y, truth.z * scale.z};
        raw = marl_vec3_add(raw, marl_vec3_add(c.bias, drift));
        marl_vec3 back = marl_correction_apply(&c, raw, degC);
        ck_assert_float_le(marl_vec3_norm(marl_vec3_sub(back, truth)), 2e-6f);
    }
}
END_TEST

START_TEST(end_value_is_held_outside_the_range)
{
    marl_correction c = marl_calibration_none().gyro;
    c.present = c.has_curve = 1;
    c.bias = (marl_vec3){1, 2, 3};
    c.curve = (marl_bias_curve){20, 0, 40, {0.1f, 0.2f, 0.3f}, {0, 0, 0}};
    ck_assert_float_eq_tol(marl_correction_bias(&c, 100).x, 3.0f, 1e-6f);
    ck_assert_float_eq_tol(marl_correction_bias(&c, -100).x, -1.0f, 1e-6f);
    ck_assert_float_eq(marl_correction_bias(&c, NAN).y, 2.0f);
}
END_TEST

START_TEST(only_fresh_readings_and_present_sensors_change)
{
    marl_calibration c = marl_calibration_none();
    marl_sample s = {
        .accel = {1, 2, 3}, .gyro = {1, 2, 3}, .mag = {1, 2, 3}, .fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO};
    marl_sample same = s;
    marl_calibration_correct(&c, 20, &s);
    marl_calibration_mount(&c, &s);
    ck_assert_mem_eq(&s.accel, &same.accel, sizeof s.accel);
    c.gyro.present = c.mag.present = 1;
    c.gyro.bias = c.mag.bias = (marl_vec3){1, 1, 1};
    c.has_mount = 1;
    c.mount = (marl_quat){0.70710678f, 0, 0, 0.70710678f}; /* the sensor's x is the body's y */
    marl_calibration_correct(&c, 20, &s);
    marl_calibration_mount(&c, &s);
    ck_assert_float_eq_tol(s.gyro.x, -1, 1e-6f);
    ck_assert_float_eq_tol(s.gyro.y, 0, 1e-6f);
    ck_assert_float_eq_tol(s.accel.y, 1, 1e-6f);
    ck_assert_float_eq(s.mag.x, 1); /* not fresh */
}
END_TEST

/* One number at a time made what nobody can have meant. */
START_TEST(implausible_corrections_are_refused)
{
    static const float wrong[] = {NAN, INFINITY, -INFINITY};
    marl_calibration good = marl_calibration_none();
    good.mag.present = good.mag.has_curve = 1;
    good.mag.curve = (marl_bias_curve){20, 0, 40, {0.1f, 0.2f, 0.3f}, {0, 0, 0}};
    ck_assert_int_eq(marl_calibration_check(&good), MARL_OK);
    for (int i = 0; i < 3; i++) {
        for (int k = 0; k < 21; k++) {
            marl_calibration c = good;
            float *each[] = {&c.mag.bias.x,
                             &c.mag.bias.y,
                             &c.mag.bias.z,
                             &c.mag.curve.reference_degC,
                             &c.mag.curve.low_degC,
                             &c.mag.curve.high_degC,
                             &c.mag.curve.per_degC.x,
                             &c.mag.curve.per_degC.y,
                             &c.mag.curve.per_degC.z,
                             &c.mag.curve.per_degC2.x,
                             &c.mag.curve.per_degC2.y,
                             &c.mag.curve.per_degC2.z};
            *(k < 12 ? each[k] : &c.mag.matrix.m[(k - 12) / 3][(k - 12) % 3]) = wrong[i];
            ck_assert_int_eq(marl_calibration_check(&c), MARL_ERR_ARGUMENT);
            c.mag.present = 0; /* not used */
            ck_assert_int_eq(marl_calibration_check(&c), MARL_OK);
        }
    }
    marl_calibration c = good;
    c.mag.matrix.m[0][0] = 200.0f; /* one axis up, another down: the volume stays */
    c.mag.matrix.m[1][1] = 0.005f;
    ck_assert_int_eq(marl_calibration_check(&c), MARL_ERR_ARGUMENT);
    c = good;
    c.mag.curve.low_degC = 41;
    ck_assert_int_eq(marl_calibration_check(&c), MARL_ERR_ARGUMENT);
}
END_TEST

/* A mount near length one is normalised; one that is normalised keeps its bits, however often it is read. */
START_TEST(a_mount_becomes_a_rotation_once)
{
    dice d = {9};
    for (int i = 0; i < 20000; i++) {
        marl_calibration c = marl_calibration_none();
        float length = (float)dice_between(&d, 0.9996, 1.0004);
        marl_quat q = dice_attitude(&d);
        c.has_mount = 1;
        c.mount = (marl_quat){length * q.w, length * q.x, length * q.y, length * q.z};
        ck_assert_int_eq(marl_calibration_check(&c), MARL_OK);
        double norm = sqrt((double)c.mount.w * c.mount.w + (double)c.mount.x * c.mount.x +
                           (double)c.mount.y * c.mount.y + (double)c.mount.z * c.mount.z);
        ck_assert_double_eq_tol(norm, 1, 1e-6);
        marl_calibration again = c;
        ck_assert_int_eq(marl_calibration_check(&again), MARL_OK);
        ck_assert_mem_eq(&again.mount, &c.mount, sizeof c.mount);
        c.mount.w *= 1.01f;
        c.mount.x *= 1.01f;
        c.mount.y *= 1.01f;
        c.mount.z *= 1.01f;
        ck_assert_int_eq(marl_calibration_check(&c), MARL_ERR_ARGUMENT);
    }
}
END_TEST

MARL_SUITE("correction", undoes_the_errors_it_describes, end_value_is_held_outside_the_range,
           only_fresh_readings_and_present_sensors_change, implausible_corrections_are_refused,
           a_mount_becomes_a_rotation_once)
