/* SPDX-License-Identifier: MIT */
#include "check_main.h"
#include "device/math/stats.h"
#include "random_values.h"

START_TEST(agrees_with_two_passes_in_double)
{
    enum { N = 5000 };
    static marl_vec3 v[N];
    dice d = {8};
    marl_stats s;
    double mean = 0, squares = 0;
    marlp_stats_init(&s);
    for (int i = 0; i < N; i++) {
        v[i] = (marl_vec3){(float)(9.8 + 0.01 * dice_normal(&d)), 1.0f, (float)i};
        marlp_stats_add(&s, v[i]);
        mean += (double)v[i].x / N;
    }
    for (int i = 0; i < N; i++) {
        squares += ((double)v[i].x - mean) * ((double)v[i].x - mean) / (N - 1);
    }
    ck_assert_double_eq_tol((double)s.mean.x, mean, 1e-6);
    ck_assert_double_eq_tol((double)marlp_stats_deviation(&s).x, sqrt(squares), 2e-5);
    ck_assert_float_eq(marlp_stats_variance(&s).y, 0.0f);
    ck_assert_double_eq_tol((double)marlp_stats_variance(&s).z, (double)N * (N + 1.0) / 12, 20);
}
END_TEST

/* Without care a float mean stalls when a step falls below half its last digit. */
START_TEST(ten_million_values_do_not_stall_the_mean)
{
    marl_stats s;
    marlp_stats_init(&s);
    for (int i = 0; i < 10000000; i++) {
        float x = i < 5000000 ? 1.0f : 1.001f;
        marlp_stats_add(&s, (marl_vec3){x, -x, 0});
    }
    ck_assert_double_eq_tol((double)s.mean.x, 1.0005, 2e-6);
    ck_assert_double_eq_tol((double)s.mean.y, -1.0005, 2e-6);
}
END_TEST

START_TEST(few_values)
{
    marl_stats s;
    marlp_stats_init(&s);
    ck_assert_float_eq(marlp_stats_deviation(&s).x, 0.0f);
    marlp_stats_add(&s, (marl_vec3){3, 3, 3});
    ck_assert_float_eq(s.mean.x, 3.0f);
    ck_assert_float_eq(marlp_stats_variance(&s).x, 0.0f);
}
END_TEST

MARL_SUITE("stats", agrees_with_two_passes_in_double, ten_million_values_do_not_stall_the_mean, few_values)
