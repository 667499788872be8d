/* SPDX-License-Identifier: MIT */
#include "check_main.h"
#include "marlinspike/sample.h"
#include "random_values.h"

static marl_sample good(void)
{
    return (marl_sample){
        .accel = {0, 0, 9.8f}, .gyro = {0, 0, 1}, .mag = {20, 0, -40}, .temp = 20, .speed = 1, .fresh = 31};
}

START_TEST(each_sensor_is_refused_alone)
{
    for (int sensor = 0; sensor < 5; sensor++) {
        const float bad[] = {NAN, INFINITY, -INFINITY, 1e30f, -3e38f};
        for (size_t i = 0; i < sizeof bad / sizeof bad[0]; i++) {
            marl_sample s = good();
            float *place[] = {&s.accel.y, &s.gyro.z, &s.mag.x, &s.temp, &s.speed};
            uint8_t refused;
            *place[sensor] = bad[i];
            ck_assert_int_eq(marl_sample_check(&s, &refused),
                             i < 3 ? MARL_ERR_NOT_FINITE : MARL_ERR_IMPLAUSIBLE);
            ck_assert_uint_eq(refused, 1u << sensor);
            ck_assert_uint_eq(s.fresh, 31u & ~(1u << sensor));
        }
    }
    marl_sample s = good();
    ck_assert_int_eq(marl_sample_check(&s, NULL), MARL_OK);
    ck_assert_uint_eq(s.fresh, 31);
    s.fresh = 0; /* what is not fresh is not looked at */
    s.accel.x = NAN;
    ck_assert_int_eq(marl_sample_check(&s, NULL), MARL_OK);
}
END_TEST

START_TEST(steps_of_time)
{
    const int64_t from[] = {0, -5000000000, 1700000000000000000, INT64_MAX - 3000000000};
    const int64_t step[] = {1, 1000, 2500000, 10000000, 2147483647, 2147483648, 60000000000, 2147000000000};
    float seconds;
    for (size_t i = 0; i < 4; i++) {
        for (size_t k = 0; k < 8; k++) {
            if (from[i] > INT64_MAX - step[k]) {
                continue;
            }
            ck_assert_int_eq(marl_time_step(from[i], from[i] + step[k], &seconds), MARL_OK);
            /* float of the count and the product round once each; us instead of ns above 2.1 s */
            ck_assert_double_le(fabs((double)seconds / ((double)step[k] * 1e-9) - 1),
                                step[k] > INT32_MAX ? 1e-6 : 2e-7);
        }
    }
    ck_assert_int_eq(marl_time_step(5, 5, &seconds), MARL_ERR_TIME);
    ck_assert_int_eq(marl_time_step(5, 4, &seconds), MARL_ERR_TIME);
    ck_assert_int_eq(marl_time_step(INT64_MAX, INT64_MIN, &seconds), MARL_ERR_TIME);
    ck_assert_int_eq(marl_time_step(INT64_MIN, INT64_MAX, &seconds), MARL_ERR_GAP);
    ck_assert_int_eq(marl_time_step(0, INT64_C(2148000000000), &seconds), MARL_ERR_GAP);
    ck_assert_float_eq(seconds, 0.0f);
}
END_TEST

START_TEST(sensors_have_names_and_units)
{
    static const char *const names[] = {"accel", "gyro", "mag", "?"}, *const units[] = {"m/s^2", "rad/s",
                                                                                        "uT", "?"};
    for (int i = 0; i <= MARL_SENSOR_COUNT; i++) {
        ck_assert_str_eq(marl_sensor_name((marl_sensor)i), names[i]);
        ck_assert_str_eq(marl_sensor_unit((marl_sensor)i), units[i]);
    }
}
END_TEST

MARL_SUITE("sample", each_sensor_is_refused_alone, steps_of_time, sensors_have_names_and_units)
