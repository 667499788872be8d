/* SPDX-License-Identifier: MIT
 * One axis: against closed forms and the steady state of theory. */
#include "check_main.h"
#include "marlinspike/estimator.h"
#include "random_values.h"

/* A step of the angle read, long after the start: 1/e of it is left after one time constant, at any rate. */
START_TEST(complementary_has_its_time_constant)
{
    const float rates[] = {20, 100, 1000};
    for (int r = 0; r < 3; r++) {
        marl_axis_filter_complementary h;
        marl_axis_filter_complementary_init(&h, 2.0f, 1e6f);
        float dt = 1 / rates[r];
        for (int i = 0; i <= (int)(2 * rates[r]); i++) {
            marl_axis_filter_complementary_update(&h, 0, i == 0 ? 0.0f : 1.0f, dt);
        }
        ck_assert_double_eq_tol(1 - (double)h.angle, exp(-1), 0.01 + 0.25 / (double)rates[r]);
    }
}
END_TEST

START_TEST(both_find_the_bias)
{
    dice d = {51};
    marl_axis_filter_complementary simple;
    marl_axis_filter_kalman kalman;
    marl_axis_filter_complementary_init(&simple, 2.0f, 10.0f);
    marl_axis_filter_kalman_init(&kalman, 1e-3f, 1e-5f, 1e-2f);
    for (int i = 0; i < 20000; i++) {
        float t = 0.01f * (float)i, angle = 0.5f * sinf(t), rate = 0.5f * cosf(t) + 0.02f;
        float read = angle + 0.1f * (float)dice_normal(&d);
        marl_axis_filter_complementary_update(&simple, rate, read, 0.01f);
        marl_axis_filter_kalman_update(&kalman, rate, read, 0.01f);
    }
    ck_assert_float_eq_tol(simple.bias, 0.02f, 0.004f);
    ck_assert_float_eq_tol(kalman.bias, 0.02f, 0.002f);
}
END_TEST

/* The covariance of a filter that has the true noises is that of its errors: the mean normalised square
 * is 1 within the 99.9 % of a mean of 400 chi-squares. */
START_TEST(kalman_variance_is_that_of_its_errors)
{
    dice d = {52};
    double sum = 0;
    for (int trial = 0; trial < 400; trial++) {
        marl_axis_filter_kalman h;
        double angle = 0, bias = 0.05 * dice_normal(&d);
        marl_axis_filter_kalman_init(&h, 2e-3f, 1e-4f, 5e-3f);
        for (int i = 0; i < 500; i++) {
            double rate = 0.3 * cos(0.02 * i);
            angle += i == 0 ? 0 : rate * 0.01;
            bias += 1e-4 * 0.1 * dice_normal(&d);
            float reported = (float)(rate + bias + 2e-3 * 10 * dice_normal(&d));
            marl_axis_filter_kalman_update(&h, reported, (float)(angle + 5e-3 * 10 * dice_normal(&d)), 0.01f);
        }
        double error = (double)h.angle - angle;
        sum += error * error / (double)h.p_angle;
    }
    ck_assert_double_eq_tol(sum / 400, 1, 3.3 * sqrt(2.0 / 400));
}
END_TEST

/* Steady gain without bias: K = sqrt(q) / r per second for densities q and r, the time constant is r / q. */
START_TEST(kalman_settles_at_the_ratio_of_noises)
{
    marl_axis_filter_kalman h;
    marl_axis_filter_kalman_init(&h, 1e-3f, 1e-9f, 2e-3f);
    for (int i = 0; i < 200000; i++) {
        marl_axis_filter_kalman_update(&h, 0, 0, 0.01f);
    }
    /* p = q r, densities; some of the bias's own variance is left */
    ck_assert_double_eq_tol((double)h.p_angle / (1e-3 * 2e-3), 1, 0.05);
}
END_TEST

START_TEST(nothing_makes_them_wild)
{
    dice d = {53};
    marl_axis_filter_complementary simple;
    marl_axis_filter_kalman kalman;
    marl_axis_filter_complementary_init(&simple, NAN, -1);
    marl_axis_filter_kalman_init(&kalman, NAN, 0, -1);
    for (int i = 0; i < 500000; i++) {
        float rate = dice_float_bits(&d), angle = dice_float_bits(&d), dt = dice_float_bits(&d);
        ck_assert(isfinite(marl_axis_filter_complementary_update(&simple, rate, angle, dt)));
        ck_assert(isfinite(marl_axis_filter_kalman_update(&kalman, rate, angle, dt)));
        ck_assert(isfinite(kalman.p_angle) && isfinite(kalman.bias) && isfinite(simple.bias));
    }
}
END_TEST

/* Biases of 0.05 rad/s rms, and readings so poor that they say little: what is stated of the bias is what is
 * so. */
START_TEST(kalman_starts_with_the_documented_bias)
{
    dice d = {54};
    double ratio = 0;
    enum { RUNS = 400 };
    for (int run = 0; run < RUNS; run++) {
        marl_axis_filter_kalman h;
        double bias = 0.05 * dice_normal(&d);
        marl_axis_filter_kalman_init(&h, 1e-4f, 1e-6f, 0.1f);
        for (int i = 0; i <= 100; i++) {
            double read = 0.1 / sqrt(0.01) * dice_normal(&d);
            (void)marl_axis_filter_kalman_update(&h, (float)bias, (float)read, 0.01f);
        }
        ratio += pow((double)h.bias - bias, 2) / (double)h.p_bias / RUNS;
    }
    /* chi-square of 400: 5 standard deviations are 0.35 */
    ck_assert_msg(fabs(ratio - 1) < 0.35, "%.3f", ratio);
}
END_TEST

/* The limits that the header states: on either side of each. */
START_TEST(limits_are_as_documented)
{
    marl_axis_filter_complementary simple;
    marl_axis_filter_kalman h;
    marl_axis_filter_complementary_init(&simple, 1, 1e9f);
    (void)marl_axis_filter_complementary_update(&simple, 0, 0, 0.01f);
    float before = simple.angle;
    ck_assert_float_eq(marl_axis_filter_complementary_update(&simple, 1, NAN, 61), before);
    ck_assert_float_eq_tol(marl_axis_filter_complementary_update(&simple, 1, NAN, 59), before + 59, 1e-3f);
    marl_axis_filter_complementary_init(&simple, 1e-3f, 1e9f);
    (void)marl_axis_filter_complementary_update(&simple, 0, 1.1e6f, 0.01f);
    ck_assert(!simple.started);
    (void)marl_axis_filter_complementary_update(&simple, 0, 0.9e6f, 0.01f);
    ck_assert_float_eq_tol(simple.angle, 0.9e6f, 1);
    before = simple.angle;
    ck_assert_float_eq(marl_axis_filter_complementary_update(&simple, NAN, 1, 0.01f), before);
    ck_assert_float_eq(marl_axis_filter_complementary_update(&simple, 1, 1, -0.01f), before);
    marl_axis_filter_kalman_init(&h, 1e-3f, 1e-3f, 1e-3f);
    ck_assert_float_eq(marl_axis_filter_kalman_update(&h, 1, NAN, 0.01f), 0); /* waits for an angle */
    ck_assert(!h.started);
    ck_assert_float_eq(marl_axis_filter_kalman_update(&h, 0, 2, 0.01f), 2);
    ck_assert_float_eq(marl_axis_filter_kalman_update(&h, NAN, 3, 0.01f), 2);
    ck_assert_float_eq(marl_axis_filter_kalman_update(&h, 1, 3, 61), 2);
    /* a rate that never ends while the angle stands still is taken for a bias, up to 10 rad/s */
    marl_axis_filter_kalman_init(&h, 1e-3f, 10, 1e-3f);
    for (int i = 0; i < 3000; i++) {
        (void)marl_axis_filter_kalman_update(&h, 300, 0, 0.01f);
    }
    ck_assert_float_eq_tol(h.bias, 10, 0.01f);
    /* without readings the variance of the angle grows to 1e6 rad^2 and no further */
    marl_axis_filter_kalman_init(&h, 1e4f, 1e-9f, 1e-3f);
    (void)marl_axis_filter_kalman_update(&h, 0, 0, 0.01f);
    for (int i = 0; i < 100; i++) {
        (void)marl_axis_filter_kalman_update(&h, 0, NAN, 0.01f);
    }
    ck_assert_float_eq_tol(h.p_angle, 1e6f, 1);
}
END_TEST

MARL_SUITE("axis filter", complementary_has_its_time_constant, both_find_the_bias,
           kalman_variance_is_that_of_its_errors, kalman_settles_at_the_ratio_of_noises,
           CAMPAIGN(nothing_makes_them_wild), kalman_starts_with_the_documented_bias,
           limits_are_as_documented)
