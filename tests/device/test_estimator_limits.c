/* SPDX-License-Identifier: MIT
 * What gaps, waits, invalid readings and attitudes from outside do, in figures: each follows from the
 * equation named beside it (docs/methods/estimators.md). */
#include "perfect_sensors.h"

typedef struct device {
    marl_estimator e;
    int64_t t_ns;
    double step; /* s */
} device;

static device power_on(const marl_tuning *tuning, double step)
{
    device d = {.step = step};
    ck_assert_int_eq(marl_estimator_init(&d.e, tuning), MARL_OK);
    return d;
}

/* One sample, `step` s after the one before. */
static void feed_after(device *d, double step, marl_sample s)
{
    d->t_ns += (int64_t)llround(step * 1e9);
    s.t_ns = d->t_ns;
    ck_assert_int_eq(marl_estimator_update(&d->e, &s), MARL_OK);
}

/* At rest in q for so many seconds at least, and then until a correction has just been made. */
static void rest(device *d, marl_quat q, float turn_rate, double seconds)
{
    uint32_t before = 0;
    for (double t = 0; t < seconds || marl_estimator_count(&d->e).used_accel == before; t += d->step) {
        marl_sample s = at_rest(q, 0);
        s.gyro.z = turn_rate;
        before = marl_estimator_count(&d->e).used_accel;
        feed_after(d, d->step, s);
    }
}

static marl_tuning without_magnetometer(marl_filter filter)
{
    marl_tuning tuning = marl_tuning_default(filter);
    tuning.value[MARL_PARAMETER_USE_MAG] = 0.0f;
    return tuning;
}

static double square(double x)
{
    return x * x;
}

/* (2.2): what a gap of h s leaves unseen, rad. */
static double unseen_turn(double h, double rate_before, double rate_after)
{
    double change2 = square(rate_after - rate_before) + square(0.2 * rate_before);
    return h > 0.15 ? h / 2 * fmin(1, square(h / 0.5)) * sqrt(change2) : 0;
}

/* The variance of the attitude grows by the square of the unseen turn, on each axis. */
START_TEST(a_gap_adds_its_unseen_turn_to_sigma)
{
    const double gap[] = {0.1, 0.2, 0.4, 0.8}, after[] = {5, 5, 6, 4};
    for (int i = 0; i < 4; i++) {
        marl_tuning tuning = without_magnetometer(MARL_FILTER_KALMAN);
        device d = power_on(&tuning, 0.01);
        float tilt[2], heading[2];
        rest(&d, marl_quat_identity(), 5, 20);
        ck_assert_int_eq(marl_estimator_sigma(&d.e, &tilt[0], &heading[0]), MARL_OK);
        feed_after(&d, gap[i], (marl_sample){.gyro = {0, 0, (float)after[i]}, .fresh = MARL_FRESH_GYRO});
        ck_assert_int_eq(marl_estimator_sigma(&d.e, &tilt[1], &heading[1]), MARL_OK);
        double e2 = square(unseen_turn(gap[i], 5, after[i]));
        ck_assert_double_eq_tol(square((double)tilt[1]) - square((double)tilt[0]), 2 * e2, 0.02 * e2 + 1e-9);
        ck_assert_double_eq_tol(square((double)heading[1]) - square((double)heading[0]), e2,
                                0.02 * e2 + 1e-6);
    }
}
END_TEST

/* Beyond an unseen turn of 0.1 rad the attitude counts as lost, and the heading may turn fast again. */
START_TEST(a_lost_attitude_lets_the_heading_turn_fast)
{
    const float rate[] = {3.1f, 5.0f}; /* 0.079 and 0.128 rad */
    for (int lost = 0; lost < 2; lost++) {
        marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
        marl_quat before = marl_quat_identity(), after = marl_quat_from_rpy(0, 0, 0.2f);
        device d = power_on(&tuning, 0.01);
        rest(&d, before, 0, 20);
        for (int i = 0; i < 3; i++) { /* a spin so short that it turns by little */
            feed_after(&d, 0.001, (marl_sample){.gyro = {0, 0, rate[lost]}, .fresh = MARL_FRESH_GYRO});
        }
        feed_after(&d, 0.4, (marl_sample){.gyro = {0, 0, rate[lost]}, .fresh = MARL_FRESH_GYRO});
        marl_quat turned = attitude_of(&d.e);
        marl_quat field = marl_quat_product(after, turned);
        rest(&d, field, 0, 0.5);
        double moved = angle_between(attitude_of(&d.e), turned);
        ck_assert_msg(lost ? moved > 0.1 : moved < 0.05, "%d: %g rad", lost, moved);
    }
}
END_TEST

/* What is left of a tilt when the gains run down from those of the age `t`, s: (4.5), corrections `T` s
 * apart. */
static double left_by_run_down(double t, double T, double seconds)
{
    double left = 1;
    for (double s = T; s < seconds + 1e-9; s += T) {
        t += T;
        left *= 1 - fmin(1, 4 * T / t);
    }
    return left;
}

static marl_tuning run_down_alone(void)
{
    marl_tuning tuning = published(MARL_FILTER_COMPLEMENTARY);
    tuning.value[MARL_PARAMETER_RUN_DOWN] = 1.0f;
    tuning.value[MARL_PARAMETER_TILT_TIME] = 1000.0f;
    tuning.value[MARL_PARAMETER_HEADING_TIME] = 1000.0f;
    return tuning;
}

/* A gap starts the run-down again at t = 0.15 rad s / e, an attitude from outside at 1 s. */
START_TEST(run_down_starts_where_the_attitude_is_as_uncertain)
{
    marl_tuning tuning = run_down_alone();
    tuning.value[MARL_PARAMETER_BIAS_LIMIT] = 0.0f;
    marl_quat tilted = marl_quat_from_rpy(0.05f, 0, 0);
    for (int set = 0; set < 2; set++) {
        device d = power_on(&tuning, 0.011);
        rest(&d, marl_quat_identity(), set ? 0 : 5, 60);
        if (set) {
            ck_assert_int_eq(marl_estimator_set_attitude(&d.e, marl_quat_identity()), MARL_OK);
        } else {
            feed_after(&d, 0.4, (marl_sample){.gyro = {0, 0, 5}, .fresh = MARL_FRESH_GYRO});
        }
        double t = set ? 1 : 0.15 / unseen_turn(0.4, 5, 5);
        marl_quat turned = attitude_of(&d.e), q = marl_quat_product(tilted, turned);
        rest(&d, q, 0, 1.0);
        double left = tilt_between(attitude_of(&d.e), q) / 0.05;
        ck_assert_double_eq_tol(left / left_by_run_down(t, 0.11, 1.0), 1, 0.3);
    }
}
END_TEST

/* (4.5): a heading step at the age t changes the bias about up by 20 / (t + 6 s)^2 T psi. */
START_TEST(run_down_of_the_bias)
{
    const double age[] = {1, 3, 12};
    for (int i = 0; i < 3; i++) {
        marl_tuning tuning = run_down_alone();
        device d = power_on(&tuning, 0.01);
        marl_quat off = marl_quat_from_rpy(0, 0, 0.05f);
        rest(&d, marl_quat_identity(), 0, age[i]);
        double t = (double)d.t_ns * 1e-9 - 0.01, from = t; /* the first sample came at 0.01 s */
        marl_vec3 bias = marl_estimator_bias(&d.e);
        for (uint32_t used = marl_estimator_count(&d.e).used_mag;
             marl_estimator_count(&d.e).used_mag == used;) {
            feed_after(&d, d.step, at_rest(off, 0));
            t += d.step;
        }
        double change = (double)(marl_estimator_bias(&d.e).z - bias.z);
        ck_assert_double_eq_tol(change / (-20 / square(t + 6) * (t - from) * 0.05), 1, 0.05);
    }
}
END_TEST

/* (4.2): a force of 0.5 m/s^2 that stays widens the threshold's square by 10 (bias_spread / 0.04)^2 |L|^2 / (1 + (t / 10
 * s)^2), L being its low-pass over 2.5 s from zero at the start. */
START_TEST(an_error_that_stays_widens_the_threshold)
{
    const float spread[] = {0.04f, 0.02f, 0};
    for (int i = 0; i < 3; i++) {
        marl_tuning tuning = without_magnetometer(MARL_FILTER_COMPLEMENTARY);
        tuning.value[MARL_PARAMETER_RUN_DOWN] = tuning.value[MARL_PARAMETER_BIAS_LIMIT] = 0.0f;
        tuning.value[MARL_PARAMETER_TILT_TIME] = 1000; /* it stays */
        tuning.value[MARL_PARAMETER_BIAS_SPREAD] = spread[i];
        device d = power_on(&tuning, 0.01);
        feed_after(&d, 0.01, at_rest(marl_quat_identity(), 0));
        for (double t = 0.01, worst = 0; t < 30; t += 0.01) {
            float weight, mag;
            marl_sample s = at_rest(marl_quat_identity(), 0);
            s.accel.x = 0.5f;
            feed_after(&d, 0.01, s);
            marl_estimator_weights(&d.e, &weight, &mag);
            double mean = 0.5 * (1 - exp(-t / 2.5)), width = 10 * square((double)spread[i] / 0.04 * mean);
            double want = 1 / (1 + 0.25 / (square(0.12) + width / (1 + square(t / 10))));
            worst = t > 1 ? fmax(worst, fabs((double)weight / want - 1)) : 0;
            ck_assert_msg(worst < 0.12, "%g s: %g, wanted %g", t, (double)weight, want);
        }
    }
}
END_TEST

/* (2.4): corrections are 0.105 s apart; without an accelerometer 1 s; a field counts for 1 s at most. */
START_TEST(corrections_come_at_their_time)
{
    marl_tuning tuning = published(MARL_FILTER_COMPLEMENTARY);
    tuning.value[MARL_PARAMETER_BIAS_LIMIT] = 0.0f;
    device d = power_on(&tuning, 0.001);
    rest(&d, marl_quat_identity(), 0, 20);
    for (int without = 0; without < 2; without++) {
        int corrections = 0;
        for (int i = 0; i < 21000; i++) {
            uint32_t used = marl_estimator_count(&d.e).used_mag;
            marl_sample s = at_rest(marl_quat_identity(), 0);
            s.fresh = (uint8_t)(without ? s.fresh & ~MARL_FRESH_ACCEL : s.fresh);
            feed_after(&d, 0.001, s);
            corrections += marl_estimator_count(&d.e).used_mag != used;
        }
        ck_assert_double_eq_tol(21.0 / corrections, without ? 1.0 : 0.105, without ? 0.06 : 0.002);
    }
    marl_sample s = at_rest(marl_quat_identity(), 0);
    s.fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO;
    for (int i = 0; i < 4000; i++) {
        feed_after(&d, 0.001, s);
    }
    for (uint32_t used = marl_estimator_count(&d.e).used_mag; marl_estimator_count(&d.e).used_mag == used;) {
        feed_after(&d, 0.001, at_rest(marl_quat_from_rpy(0, 0, 0.1f), 0));
    }
    double moved = angle_between(attitude_of(&d.e), marl_quat_identity());
    ck_assert_double_eq_tol(moved, 0.1 * 1 / 10, 0.0005); /* psi T_m / heading_time */
}
END_TEST

/* One correction turns tilt and heading by half a radian at most, whatever the gains. */
START_TEST(one_correction_turns_by_half_a_radian)
{
    marl_tuning tuning = published(MARL_FILTER_COMPLEMENTARY);
    tuning.value[MARL_PARAMETER_TILT_TIME] = tuning.value[MARL_PARAMETER_HEADING_TIME] = 0.01f;
    for (int heading = 0; heading < 2; heading++) {
        device d = power_on(&tuning, 0.2);
        rest(&d, marl_quat_identity(), 0, 5);
        feed_after(&d, 0.2, at_rest(marl_quat_from_rpy(heading ? 0 : 1.3f, 0, heading ? 2.0f : 0), 0));
        ck_assert_double_eq_tol(angle_between(attitude_of(&d.e), marl_quat_identity()), 0.5, 1e-4);
    }
}
END_TEST

/* A field within 2.9 degrees (sine^2 0.0025) of the vertical has no north. */
START_TEST(a_steep_field_has_no_north)
{
    const double angle[] = {2.4, 3.4};
    for (int i = 0; i < 2; i++) {
        marl_tuning tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
        device d = power_on(&tuning, 0.01);
        marl_sample s = at_rest(marl_quat_identity(), 0);
        s.mag = (marl_vec3){0, (float)(40 * sin(angle[i] * DEGREE)), (float)(-40 * cos(angle[i] * DEGREE))};
        feed_after(&d, 0.01, s);
        ck_assert_int_eq(marl_estimator_heading_is_magnetic(&d.e), i);
    }
}
END_TEST

/* Restarts after `invalid` invalid accelerometer readings in every `of`, for so many samples, and a second of
 * good ones behind them. */
static uint32_t restarts_by_garbage(double step, int invalid, int of, int samples)
{
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
    device d = power_on(&tuning, step);
    rest(&d, marl_quat_identity(), 0, 20);
    for (int i = 0; i < samples; i++) {
        marl_sample s = at_rest(marl_quat_identity(), 0);
        s.accel.x = i % of < invalid ? NAN : s.accel.x;
        feed_after(&d, step, s);
    }
    rest(&d, marl_quat_identity(), 0, 3);
    return marl_estimator_count(&d.e).restarts;
}

/* Half a second of invalid readings spoils the state, a sample counting for 0.1 s at most; 0.3 s are
 * forgotten in a second, so that a quarter of all never adds up to it and four tenths do. */
START_TEST(half_a_second_of_invalid_readings_restarts)
{
    ck_assert_uint_eq(restarts_by_garbage(0.2, 4, 4, 4), 0);
    ck_assert_uint_eq(restarts_by_garbage(0.2, 6, 6, 6), 1);
    ck_assert_uint_eq(restarts_by_garbage(0.01, 40, 40, 40), 0);
    ck_assert_uint_eq(restarts_by_garbage(0.01, 60, 60, 60), 1);
    ck_assert_uint_eq(restarts_by_garbage(0.01, 1, 4, 6000), 0);
    ck_assert_uint_ge(restarts_by_garbage(0.01, 2, 5, 1200), 1);
}
END_TEST

/* An attitude from outside counts as known within 0.1 rad per axis; without corrections to go by, the angle's
 * variance ends at 2 rad^2. */
START_TEST(sigma_of_what_is_set_and_of_what_is_unknown)
{
    marl_tuning tuning = without_magnetometer(MARL_FILTER_KALMAN);
    tuning.value[MARL_PARAMETER_GYRO_WHITE] = 1.0f; /* 1 rad^2 a second */
    device d = power_on(&tuning, 0.01);
    float tilt, heading;
    rest(&d, marl_quat_identity(), 0, 10);
    ck_assert_int_eq(marl_estimator_sigma(&d.e, &tilt, &heading), MARL_OK);
    ck_assert_double_eq_tol((double)heading, sqrt(2), 0.02);
    ck_assert_int_eq(marl_estimator_set_attitude(&d.e, marl_quat_identity()), MARL_OK);
    ck_assert_int_eq(marl_estimator_sigma(&d.e, &tilt, &heading), MARL_OK);
    ck_assert_double_eq_tol((double)tilt, 0.1 * sqrt(2), 1e-4);
    ck_assert_double_eq_tol((double)heading, 0.1, 1e-4);
}
END_TEST

/* (2.5): the derivative of the speed is that of a low-pass of 0.3 s; a speed that no longer comes counts for
 * 1 s. The tilt follows each mean force at once. */
START_TEST(speed_has_its_low_pass_and_its_time)
{
    marl_tuning tuning = published(MARL_FILTER_COMPLEMENTARY);
    tuning.value[MARL_PARAMETER_TILT_TIME] = 0.01f;
    tuning.value[MARL_PARAMETER_BIAS_LIMIT] = 0.0f;
    device d = power_on(&tuning, 0.01);
    marl_sample s = at_rest(marl_quat_identity(), 0);
    s.fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG | MARL_FRESH_SPEED;
    for (uint32_t used = 0, i = 0; i < 1000 || marl_estimator_count(&d.e).used_accel == used; i++) {
        used = marl_estimator_count(&d.e).used_accel;
        feed_after(&d, 0.01, s);
    }
    for (int i = 1; i <= 33; i++) { /* three corrections, of 11 samples each, at 2 m/s^2 */
        s.speed = 0.02f * (float)i;
        s.accel.x = 2;
        feed_after(&d, 0.01, s);
    }
    double mean = 0.3 / 0.11 * (exp(-0.22 / 0.3) - exp(-0.33 / 0.3)); /* of exp(-t / 0.3 s) in the third */
    ck_assert_double_eq_tol(tilt_between(attitude_of(&d.e), marl_quat_identity()), atan(2 * mean / 9.80665),
                            0.01);

    s.accel.x = 0;
    s.speed = 15;
    s.gyro.z = 0.2f;
    s.accel.y = 3; /* 15 m/s in a bend */
    for (int i = 0; i < 1000; i++) {
        s.fresh =
            (uint8_t)(i == 500 ? s.fresh & ~(MARL_FRESH_SPEED | MARL_FRESH_MAG) : s.fresh & ~MARL_FRESH_MAG);
        feed_after(&d, 0.01, s);
        double tilt = tilt_between(attitude_of(&d.e), marl_quat_identity());
        ck_assert_msg(i < 300 || (i < 580 ? tilt < 0.02 : i < 620 || tilt > 0.2), "%d: %g", i, tilt);
    }
}
END_TEST

/* Down-weighted are readings whose weight is under one half: none at rest, nearly all under hard vibration. */
START_TEST(downweighted_are_readings_of_low_weight)
{
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        marl_tuning tuning = marl_tuning_default((marl_filter)f);
        marl_estimator e;
        uint32_t first = 0; /* a start may have some */
        ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
        for (int i = 0; i < 6000; i++) {
            int step = i / 11, backward = i / 50 % 2;
            float push = i < 3000 ? 0.0f : (backward ? -4.0f : 4.0f) * sinf(0.9f * (float)step);
            marl_sample s = {.t_ns = (int64_t)i * 10000000,
                             .accel = {push, 0, 9.80665f},
                             .mag = {20, 0, -43},
                             .fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG};
            ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
            first = i == 1000 ? marl_estimator_count(&e).downweighted_accel : first;
            ck_assert(i < 1000 || i >= 3000 || marl_estimator_count(&e).downweighted_accel == first);
        }
        marl_estimator_counts c = marl_estimator_count(&e);
        ck_assert_uint_gt(c.downweighted_accel, 2000);
        ck_assert_uint_eq(c.downweighted_mag, 0);
    }
}
END_TEST

MARL_SUITE("estimator limits", a_gap_adds_its_unseen_turn_to_sigma,
           a_lost_attitude_lets_the_heading_turn_fast, run_down_starts_where_the_attitude_is_as_uncertain,
           run_down_of_the_bias, an_error_that_stays_widens_the_threshold, corrections_come_at_their_time,
           one_correction_turns_by_half_a_radian, a_steep_field_has_no_north,
           half_a_second_of_invalid_readings_restarts, sigma_of_what_is_set_and_of_what_is_unknown,
           speed_has_its_low_pass_and_its_time, downweighted_are_readings_of_low_weight)
