/* SPDX-License-Identifier: MIT
 * Readings that stand exactly where a formula divides by zero, and a sensor that falls silent. */
#include "perfect_sensors.h"

static const marl_filter filters[] = {MARL_FILTER_VECTORS, MARL_FILTER_COMPLEMENTARY,
                                      MARL_FILTER_GRADIENT_DESCENT, MARL_FILTER_KALMAN};
enum { FILTERS = sizeof filters / sizeof filters[0] };

START_TEST(exactly_upside_down_is_an_attitude)
{
    for (int k = 0; k < FILTERS; k++) {
        marl_filter filter = filters[k];
        marl_tuning tuning = marl_tuning_default(filter);
        marl_estimator e;
        tuning.value[MARL_PARAMETER_USE_MAG] = 0;
        ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
        for (int i = 0; i < 300; i++) {
            marl_sample s = {.t_ns = INT64_C(10000000) * i,
                             .accel = {0, 0, -G},
                             .fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO};
            ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        }
        marl_vec3 up = marl_quat_rotate(attitude_of(&e), (marl_vec3){0, 0, -1});
        ck_assert_float_eq_tol(up.z, 1, 1e-6f);
    }
}
END_TEST

/* A field that points straight down has no north: the heading stays as it is. */
START_TEST(a_field_without_a_level_part_turns_nothing)
{
    for (int k = 0; k < FILTERS; k++) {
        marl_filter filter = filters[k];
        marl_estimator e = make(filter);
        for (int i = 0; i < 1000; i++) {
            marl_sample s = at_rest(marl_quat_identity(), INT64_C(10000000) * i);
            s.mag = i < 500 ? s.mag : (marl_vec3){0, 0, -48.7f};
            ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        }
        ck_assert_double_le(angle_between(attitude_of(&e), marl_quat_identity()),
                            filter == MARL_FILTER_VECTORS ? 4 : 1e-3);
    }
}
END_TEST

/* The accelerometer falls silent: gyroscope and magnetometer go on, and what is stated grows. */
START_TEST(without_its_accelerometer_it_goes_on)
{
    for (int k = 0; k < FILTERS; k++) {
        marl_filter filter = filters[k];
        marl_estimator e = make(filter);
        float before = 0, after = 0, heading;
        for (int i = 0; i < 3000; i++) {
            marl_sample s = at_rest(marl_quat_identity(), INT64_C(10000000) * i);
            if (i >= 1000) {
                s.fresh = MARL_FRESH_GYRO | MARL_FRESH_MAG;
            }
            ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
            (void)!marl_estimator_sigma(&e, i < 1000 ? &before : &after, &heading);
        }
        ck_assert_double_le(angle_between(attitude_of(&e), marl_quat_identity()), 1e-3);
        ck_assert(filter != MARL_FILTER_KALMAN || after > 1.5f * before);
    }
}
END_TEST

MARL_SUITE("special readings", exactly_upside_down_is_an_attitude, a_field_without_a_level_part_turns_nothing,
           without_its_accelerometer_it_goes_on)
