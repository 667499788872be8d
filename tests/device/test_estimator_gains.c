/* SPDX-License-Identifier: MIT
 * How the gains act: time constants, speeds, and the way back from any upset. */
#include "perfect_sensors.h"

/* At rest in `before` for `rest` s, then in `after` without any turn of the gyroscope for `seconds`; the
 * attitude at the end. */
static marl_quat after_an_upset(const marl_tuning *tuning, double rate_hz, marl_quat before, marl_quat after,
                                double rest, double seconds)
{
    marl_estimator e;
    ck_assert_int_eq(marl_estimator_init(&e, tuning), MARL_OK);
    int first = (int)(rest * rate_hz), all = first + (int)(seconds * rate_hz);
    for (int i = 0; i < all; i++) {
        marl_sample s = at_rest(i < first ? before : after, (int64_t)(i * 1e9 / rate_hz));
        ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
    }
    return attitude_of(&e);
}

/* A step of the accelerometer's and the magnetometer's direction: one time constant later 1/e of it is left,
 * at any rate. */
START_TEST(time_constant_is_one_at_any_rate)
{
    const double rates[] = {25, 100, 1000};
    for (int r = 0; r < 3; r++) {
        marl_tuning tuning = published(MARL_FILTER_COMPLEMENTARY);
        tuning.value[MARL_PARAMETER_TILT_TIME] = 2.0f;
        tuning.value[MARL_PARAMETER_HEADING_TIME] = 2.0f;
        tuning.value[MARL_PARAMETER_BIAS_LIMIT] = 0.0f;
        marl_quat level = {1, 0, 0, 0}, after = marl_quat_from_rpy(0.05f, 0, 0.05f);
        marl_quat q = after_an_upset(&tuning, rates[r], level, after, 10, 2);
        /* corrections ten times a second, of which the one on the way is missing: 0.1 / 2 of the exponent */
        ck_assert_double_eq_tol(tilt_between(q, after) / 0.05, exp(-1), 0.03);
        ck_assert_double_eq_tol(angle_between(q, after) / (0.05 * sqrt(2)), exp(-1), 0.03);
    }
}
END_TEST

/* Gradient descent goes at its speed, however far it has to go: along a line, where the complementary filter
 * goes along an exponential. */
START_TEST(an_upset_decays_along_a_line_or_an_exponential)
{
    const double rates[] = {25, 100, 1000}, upset = 60 * DEGREE;
    for (int r = 0; r < 3; r++) {
        marl_tuning line = published(MARL_FILTER_GRADIENT_DESCENT),
                    curve = published(MARL_FILTER_COMPLEMENTARY);
        line.value[MARL_PARAMETER_BIAS_LIMIT] = curve.value[MARL_PARAMETER_BIAS_LIMIT] = 0.0f;
        curve.value[MARL_PARAMETER_TILT_TIME] = 10.0f;
        marl_quat level = {1, 0, 0, 0}, after = marl_quat_from_rpy((float)upset, 0, 0);
        for (int t = 2; t <= 20; t += 3) {
            double left = tilt_between(after_an_upset(&line, rates[r], level, after, 10, t), after);
            /* 0.05 rad/s, the last correction up to 0.1 s ago */
            ck_assert_double_eq_tol(left, upset - 0.05 * t, 0.006);
            left = tilt_between(after_an_upset(&curve, rates[r], level, after, 10, t), after);
            /* de/dt = -sin(e) / tau: tan(e/2) = tan(e0/2) exp(-t / tau) */
            ck_assert_double_eq_tol(left, 2 * atan(tan(upset / 2) * exp(-t / 10.0)), 0.012);
        }
    }
}
END_TEST

/* The integral cannot wind up: from any upset at rest the attitude is back, and the bias within its limit.
 * The Kalman filter restarts; an exact half turn has no direction to go, so all begin a little off it. */
START_TEST(every_upset_heals)
{
    const double degrees[] = {20, 60, 90, 120, 179};
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        for (int k = 0; k < 5; k++) {
            marl_tuning tuning = marl_tuning_default((marl_filter)f);
            marl_quat level = {1, 0, 0, 0},
                      after = marl_quat_from_rpy((float)(degrees[k] * DEGREE), 0.02f, 0);
            double seconds = f == MARL_FILTER_KALMAN ? 10 : 300;
            marl_quat q = after_an_upset(&tuning, 100, level, after, 60, seconds);
            ck_assert_msg(angle_between(q, after) < 1 * DEGREE, "%s, %g deg: %g deg left",
                          marl_filter_name((marl_filter)f), degrees[k], angle_between(q, after) / DEGREE);
        }
    }
}
END_TEST

MARL_SUITE("estimator gains", time_constant_is_one_at_any_rate,
           an_upset_decays_along_a_line_or_an_exponential, every_upset_heals)
