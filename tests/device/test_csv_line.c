/* SPDX-License-Identifier: MIT */
#include "check_main.h"
#include "marlinspike/app.h"
#include "random_values.h"
#include <stdio.h>

START_TEST(a_row_reads_as_it_should)
{
    char line[MARL_CSV_LINE_MAX];
    marl_sample s = {.t_ns = INT64_C(12034567890),
                     .accel = {0.5f, -9.80665f, 12.25f},
                     .gyro = {0.0f, -0.0000004f, 3.1415927f},
                     .mag = {NAN, 1.0f, 2.0f},
                     .temp = -4.9996f,
                     .fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG | MARL_FRESH_TEMP};
    marl_quat q = {0.70710678f, 0.0f, -0.70710678f, 0.0f};
    uint8_t all = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG | MARL_FRESH_TEMP;
    size_t n = marl_csv_line_header(line, all, 1);
    ck_assert_str_eq(
        line, "t[s],accel_x[m/s^2],accel_y[m/s^2],accel_z[m/s^2],gyro_x[rad/s],gyro_y[rad/s],gyro_z[rad/s],"
              "mag_x[uT],mag_y[uT],mag_z[uT],temp[degC],q_w,q_x,q_y,q_z\n");
    ck_assert_uint_eq(n, strlen(line));
    n = marl_csv_line_row(line, all, 1, &s, &q);
    ck_assert_str_eq(
        line,
        "12.034567890,0.50000,-9.80665,12.25000,0.000000,0.000000,3.141593,,,,-5.000,0.7071068,0.0000000,"
        "-0.7071068,0.0000000\n");
    ck_assert_uint_eq(n, strlen(line));
    marl_csv_line_row(line, MARL_FRESH_TEMP, 1, &s, NULL);
    ck_assert_str_eq(line, "12.034567890,-5.000,,,,\n"); /* no attitude yet */
    s.fresh = MARL_FRESH_GYRO;
    s.t_ns = -1;
    marl_csv_line_row(line, MARL_FRESH_ACCEL | MARL_FRESH_GYRO, 0, &s, NULL);
    ck_assert_str_eq(line, "-0.000000001,,,,0.000000,0.000000,3.141593\n");
}
END_TEST

/* Every value lies within half a unit of the last digit, and a little for the float's own rounding. */
START_TEST(values_are_rounded_to_their_decimals)
{
    dice d = {17};
    for (int i = 0; i < 50000; i++) {
        char line[MARL_CSV_LINE_MAX];
        double size = pow(10, dice_between(&d, -4, 3));
        marl_sample s = {
            .t_ns = (int64_t)(dice_bits(&d) >> 1), .accel = dice_vector(&d, size), .fresh = MARL_FRESH_ACCEL};
        double x, y, z;
        long long whole, rest;
        marl_csv_line_row(line, MARL_FRESH_ACCEL, 0, &s, NULL);
        if (sscanf(line, "%lld.%lld,%lf,%lf,%lf", &whole, &rest, &x, &y, &z) != 5 ||
            whole * 1000000000 + rest != s.t_ns || fabs(x - (double)s.accel.x) > 0.51e-5 ||
            fabs(y - (double)s.accel.y) > 0.51e-5 || fabs(z - (double)s.accel.z) > 0.51e-5) {
            ck_abort_msg("%s", line);
        }
    }
}
END_TEST

START_TEST(the_longest_row_fits)
{
    char line[MARL_CSV_LINE_MAX];
    marl_vec3 max = {-MARL_PLAUSIBLE_MAG, -MARL_PLAUSIBLE_MAG, -MARL_PLAUSIBLE_MAG};
    marl_sample s = {.t_ns = INT64_MIN,
                     .accel = {-2000, -2000, -2000},
                     .gyro = {-100, -100, -100},
                     .mag = max,
                     .temp = -300,
                     .speed = -1000,
                     .fresh = 31};
    marl_quat q = {-1, -1, -1, -1};
    size_t n = marl_csv_line_row(line, 31, 1, &s, &q);
    ck_assert_uint_lt(n, MARL_CSV_LINE_MAX);
    ck_assert_uint_lt(marl_csv_line_header(line, 31, 1), MARL_CSV_LINE_MAX);
}
END_TEST

MARL_SUITE("csv_line", a_row_reads_as_it_should, values_are_rounded_to_their_decimals, the_longest_row_fits)
