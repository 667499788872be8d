/* SPDX-License-Identifier: MIT
 * The estimators against closed forms and simulated truth. */
#include "perfect_sensors.h"

START_TEST(all_start_right_in_any_attitude)
{
    dice d = {21};
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        for (int i = 0; i < 500; i++) {
            marl_estimator e = make((marl_filter)f);
            marl_quat q = i == 0 ? (marl_quat){0, 1, 0, 0} : dice_attitude(&d), none;
            marl_sample s = at_rest(q, i);
            ck_assert_int_eq(marl_estimator_attitude(&e, &none), MARL_ERR_NOT_READY);
            ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
            ck_assert_double_lt(angle_between(attitude_of(&e), q), 2e-6);
            ck_assert_int_eq(marl_estimator_heading_is_magnetic(&e), 1);
        }
    }
}
END_TEST

/* Turning steadily about a skew axis has a closed form. The step's error must not depend on the rate: the
 * fourth-order series leaves rounding alone. */
START_TEST(gyro_follows_a_steady_turn_at_any_rate)
{
    const double rates[] = {25, 100, 1000};
    const marl_vec3 rate = {0.8f, -1.1f, 2.0f};
    double speed = (double)marl_vec3_norm(rate);
    for (int r = 0; r < 3; r++) {
        marl_estimator e = make(MARL_FILTER_GYRO);
        int n = (int)(20 * rates[r]);
        for (int i = 0; i <= n; i++) {
            marl_sample s = at_rest((marl_quat){1, 0, 0, 0}, (int64_t)llround(i * 1e9 / rates[r]));
            s.gyro = rate;
            ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        }
        double half = 10 * speed, k = sin(half) / speed;
        marl_quat want = {(float)cos(half), (float)(k * (double)rate.x), (float)(k * (double)rate.y),
                          (float)(k * (double)rate.z)};
        /* rounding: some 1e-7 a step, at random */
        ck_assert_double_lt(angle_between(attitude_of(&e), want), 2e-7 * sqrt(n) * 10 + 4e-5);
    }
}
END_TEST

START_TEST(bias_is_found_and_bounded)
{
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        marl_estimator e = make((marl_filter)f);
        marl_quat q = marl_quat_from_rpy(0.3f, -0.4f, 1.0f);
        marl_vec3 bias = {0.01f, -0.005f, 0.008f};
        float limit = e.tuning.value[MARL_PARAMETER_BIAS_LIMIT];
        for (int i = 0; i < 30000; i++) {
            marl_sample s = at_rest(q, (int64_t)i * 10000000);
            s.gyro = bias;
            ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        }
        /* gradient descent steps by zeta for 0.1 s, to and fro */
        ck_assert_float_lt(marl_vec3_norm(marl_vec3_sub(marl_estimator_bias(&e), bias)),
                           f == MARL_FILTER_GRADIENT_DESCENT ? 8e-4f : 5e-5f);
        ck_assert_double_lt(angle_between(attitude_of(&e), q), 3e-4);
        for (int i = 30000; i < 60000; i++) { /* more than any bias: the estimate stays within its limit */
            marl_sample s = at_rest(q, (int64_t)i * 10000000);
            s.gyro = (marl_vec3){0.5f, -0.5f, 0.5f};
            (void)!marl_estimator_update(&e, &s);
            marl_vec3 b = marl_estimator_bias(&e);
            ck_assert(fabsf(b.x) <= limit && fabsf(b.y) <= limit && fabsf(b.z) <= limit);
        }
    }
}
END_TEST

/* Without magnetometer the bias about the vertical cannot be told, the others can. */
START_TEST(bias_about_level_axes_needs_no_magnetometer)
{
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        marl_tuning tuning = marl_tuning_default((marl_filter)f);
        marl_estimator e;
        tuning.value[MARL_PARAMETER_USE_MAG] = 0.0f;
        ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
        for (int i = 0; i < 6000; i++) {
            marl_sample s = at_rest((marl_quat){1, 0, 0, 0}, (int64_t)i * 10000000);
            s.gyro = (marl_vec3){0.006f, -0.005f, 0.004f};
            (void)!marl_estimator_update(&e, &s);
        }
        float tolerance = f == MARL_FILTER_GRADIENT_DESCENT ? 8e-4f : 1e-4f;
        ck_assert_float_eq_tol(marl_estimator_bias(&e).x, 0.006f, tolerance);
        ck_assert_float_eq_tol(marl_estimator_bias(&e).y, -0.005f, tolerance);
        ck_assert_float_eq_tol(marl_estimator_bias(&e).z, 0.0f, 1e-6f);
        ck_assert_int_eq(marl_estimator_heading_is_magnetic(&e), 0);
    }
}
END_TEST

/* The magnetometer turns the estimate about the vertical alone: with wild fields the tilt stays that of the
 * filter without magnetometer. The bias couples the two, so it is known to be zero here. */
START_TEST(magnetometer_never_moves_the_tilt)
{
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        dice d = {22};
        marl_tuning with = published((marl_filter)f);
        with.value[MARL_PARAMETER_BIAS_LIMIT] = 0.0f;
        with.value[MARL_PARAMETER_BIAS_SPREAD] = 0.0f;
        with.value[MARL_PARAMETER_GYRO_WALK] = 0.0f;
        marl_tuning without = with;
        without.value[MARL_PARAMETER_USE_MAG] = 0.0f;
        marl_estimator a, b;
        ck_assert_int_eq(marl_estimator_init(&a, &with), MARL_OK);
        ck_assert_int_eq(marl_estimator_init(&b, &without), MARL_OK);
        marl_quat q = marl_quat_from_rpy(0.5f, 0.2f, 0);
        /* rounding; the Kalman filter's covariance of the two level axes is that of another heading, too */
        double tolerance = f == MARL_FILTER_KALMAN ? 5e-3 : 1e-4;
        for (int i = 0; i < 5000; i++) {
            marl_sample s = at_rest(q, (int64_t)i * 10000000);
            s.gyro = dice_vector(&d, 0.3);
            s.accel = marl_vec3_add(s.accel, dice_vector(&d, 2));
            s.mag = i == 0 ? s.mag : dice_vector(&d, 60);
            (void)!marl_estimator_update(&a, &s);
            (void)!marl_estimator_update(&b, &s);
            ck_assert_msg(tilt_between(attitude_of(&a), attitude_of(&b)) < tolerance, "%s at %d: %g",
                          marl_filter_name((marl_filter)f), i,
                          tilt_between(attitude_of(&a), attitude_of(&b)));
        }
        ck_assert_int_eq(marl_estimator_heading_is_magnetic(&b), 0);
    }
}
END_TEST

START_TEST(a_late_magnetometer_sets_the_heading_at_once)
{
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        marl_estimator e = make((marl_filter)f);
        marl_quat q = marl_quat_from_rpy(0.2f, 0.1f, 2.0f), none;
        for (int i = 0; i < 300; i++) {
            marl_sample s = at_rest(q, (int64_t)i * 10000000);
            s.fresh = i < 250 ? MARL_FRESH_ACCEL | MARL_FRESH_GYRO : s.fresh;
            ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
            /* a start waits a second for the magnetometer, no longer */
            ck_assert_int_eq(marl_estimator_attitude(&e, &none), i < 100 ? MARL_ERR_NOT_READY : MARL_OK);
            if (i >= 100) {
                ck_assert_int_eq(marl_estimator_heading_is_magnetic(&e), i >= 250);
                ck_assert_double_lt(tilt_between(none, q), 1e-4);
            }
        }
        ck_assert_double_lt(angle_between(attitude_of(&e), q), 1e-4);
    }
}
END_TEST

START_TEST(time_that_stops_or_jumps)
{
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        marl_estimator e = make((marl_filter)f);
        marl_quat first = marl_quat_from_rpy(0.2f, 0.1f, 2.0f), second = marl_quat_from_rpy(-1, 0.5f, -2);
        marl_sample s = at_rest(first, 1000000000);
        ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        marl_quat before = attitude_of(&e);
        const int64_t bad[] = {1000000000, 999999999, INT64_MIN};
        for (int i = 0; i < 3; i++) {
            s = at_rest(second, bad[i]);
            s.gyro = (marl_vec3){30, 30, 30};
            ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_ERR_TIME);
            marl_quat now = attitude_of(&e);
            ck_assert_mem_eq(&before, &now, sizeof now);
        }
        ck_assert_uint_eq(e.counts.invalid_time, 3);
        /* a bridged gap turns with the rate; one too long starts anew from the vectors */
        s = at_rest(second, 3000000000);
        s.gyro = (marl_vec3){30, 30, 30};
        ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        ck_assert_double_lt(angle_between(attitude_of(&e), second), 2e-6);
        s = at_rest(first, INT64_MAX);
        ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        ck_assert_double_lt(angle_between(attitude_of(&e), first), 2e-6);
        ck_assert_uint_eq(e.counts.restarts, 2);
    }
}
END_TEST

START_TEST(bad_readings_are_left_out_and_counted)
{
    marl_estimator e = make(MARL_FILTER_COMPLEMENTARY), clean = e;
    marl_quat q = marl_quat_from_rpy(0.2f, 0.1f, 2.0f);
    const struct {
        marl_vec3 bad;
        int gyro; /* 0: a valid rate */
    } each[] = {{{NAN, 0, 0}, 1}, {{0, 0, 1e20f}, 1}, {{0, 0, 0}, 0}};
    marl_sample s = at_rest(q, 0);
    ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
    ck_assert_int_eq(marl_estimator_update(&clean, &s), MARL_OK);
    int64_t t = 0;
    for (int i = 0; i < 3; i++) {
        s = at_rest(q, t += 10000000);
        s.accel = each[i].bad;
        ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        ck_assert_uint_eq(marl_estimator_invalid(&e), MARL_FRESH_ACCEL);
        s = at_rest(q, t += 10000000);
        s.gyro = each[i].bad;
        ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        ck_assert_uint_eq(marl_estimator_invalid(&e), each[i].gyro ? MARL_FRESH_GYRO : 0);
        s = at_rest(q, t += 10000000);
        s.mag = each[i].bad;
        ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        ck_assert_uint_eq(marl_estimator_invalid(&e), MARL_FRESH_MAG);
        s = at_rest(q, t += 10000000);
        ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        ck_assert_uint_eq(marl_estimator_invalid(&e), 0);
    }
    ck_assert_uint_eq(e.counts.invalid_accel, 3);
    ck_assert_uint_eq(e.counts.invalid_gyro, 2);
    ck_assert_uint_eq(e.counts.invalid_mag, 3);
    ck_assert_double_lt(angle_between(attitude_of(&e), q), 1e-4);
}
END_TEST

START_TEST(a_clock_set_back_is_used_after_ten_samples)
{
    marl_estimator e = make(MARL_FILTER_COMPLEMENTARY);
    marl_quat q = marl_quat_from_rpy(0.2f, 0.1f, 2.0f);
    marl_sample s = at_rest(marl_quat_from_rpy(1, 1, 1), INT64_C(5000000000000));
    ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
    for (int i = 1; i <= 20; i++) {
        s = at_rest(q, (int64_t)i * 10000000);
        ck_assert_int_eq(marl_estimator_update(&e, &s), i < 10 ? MARL_ERR_TIME : MARL_OK);
        ck_assert_uint_eq(e.counts.restarts, i >= 10);
    }
    ck_assert_double_lt(angle_between(attitude_of(&e), q), 1e-4);
    for (int i = 0; i < 100; i++) { /* a clock that stands still is never a new one */
        ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_ERR_TIME);
    }
}
END_TEST

/* Sensors at different rates, each in rows of its own, tell the same as in common rows. */
START_TEST(sensors_may_come_in_separate_samples)
{
    marl_estimator together = make(MARL_FILTER_COMPLEMENTARY), apart = together;
    marl_vec3 rate = {0, 0, 0.3f};
    for (int i = 0; i < 2000; i++) {
        marl_quat q = marl_quat_from_rpy(0, 0, 0.003f * (float)i);
        marl_sample s = at_rest(q, (int64_t)i * 10000000);
        s.gyro = rate;
        ck_assert_int_eq(marl_estimator_update(&together, &s), MARL_OK);
        for (int k = 0; k < 3; k++) {
            const uint8_t order[] = {MARL_FRESH_GYRO, MARL_FRESH_ACCEL, MARL_FRESH_MAG};
            marl_sample part = s;
            part.t_ns += k;
            part.fresh = order[k];
            (void)!marl_estimator_update(&apart, &part);
        }
    }
    ck_assert_double_lt(angle_between(attitude_of(&together), attitude_of(&apart)), 2e-3);
}
END_TEST

START_TEST(both_worlds_give_the_same_attitude)
{
    dice d = {24};
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
    marl_estimator enu, ned;
    ck_assert_int_eq(marl_estimator_init(&enu, &tuning), MARL_OK);
    tuning.world = MARL_WORLD_NED;
    ck_assert_int_eq(marl_estimator_init(&ned, &tuning), MARL_OK);
    for (int i = 0; i < 1000; i++) {
        marl_sample s = at_rest(marl_quat_from_rpy(0.1f, 0.2f, 0.3f), (int64_t)i * 10000000);
        s.gyro = dice_vector(&d, 1);
        ck_assert_int_eq(marl_estimator_update(&enu, &s), MARL_OK);
        ck_assert_int_eq(marl_estimator_update(&ned, &s), MARL_OK);
        ck_assert_double_lt(angle_between(marl_frame_swap_world(attitude_of(&ned)), attitude_of(&enu)), 2e-6);
    }
}
END_TEST

/* An attitude that was said is the one given out, in either world, before the first sample and later; the
 * vectors agree with it or bring it back. */
START_TEST(an_attitude_can_be_set)
{
    dice d = {25};
    for (int i = 0; i < 200; i++) {
        marl_tuning tuning = marl_tuning_default((marl_filter)(i % MARL_FILTER_COUNT));
        tuning.world = i & 1 ? MARL_WORLD_NED : MARL_WORLD_ENU;
        marl_estimator e;
        marl_quat given = dice_attitude(&d), enu = i & 1 ? marl_frame_swap_world(given) : given;
        ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
        ck_assert_int_eq(marl_estimator_set_attitude(&e, (marl_quat){0, 0, 0, NAN}), MARL_ERR_ARGUMENT);
        ck_assert_int_eq(marl_estimator_set_attitude(&e, given), MARL_OK);
        ck_assert_double_lt(angle_between(attitude_of(&e), given), 2e-6);
        for (int k = 0; k < 500; k++) {
            marl_sample s = at_rest(enu, (int64_t)k * 10000000);
            ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        }
        ck_assert_double_lt(angle_between(attitude_of(&e), given), 1e-4);
        if (tuning.filter != MARL_FILTER_GYRO) { /* somewhat wrong: the vectors bring it back */
            marl_quat off = marl_quat_product(given, marl_quat_from_rpy(0.1f, 0.05f, 0));
            ck_assert_int_eq(marl_estimator_set_attitude(&e, off), MARL_OK);
            for (int k = 500; k < 1500; k++) {
                marl_sample s = at_rest(enu, (int64_t)k * 10000000);
                ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
            }
            ck_assert_double_lt(angle_between(attitude_of(&e), given), 3e-2);
        }
    }
}
END_TEST

/* From now on what is given out is level; turning on by something in the world gives that. */
START_TEST(any_attitude_can_be_zero)
{
    marl_estimator e = make(MARL_FILTER_VECTORS);
    ck_assert_int_eq(marl_estimator_set_zero(&e), MARL_ERR_NOT_READY);
    marl_quat seat = marl_quat_from_rpy(0.4f, -0.3f, 1), swing = marl_quat_from_rpy(0.1f, 0.2f, 0.3f);
    marl_sample s = at_rest(seat, 0);
    ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
    ck_assert_int_eq(marl_estimator_set_zero(&e), MARL_OK);
    ck_assert_double_lt(angle_between(attitude_of(&e), marl_quat_identity()), 1e-6);
    s = at_rest(marl_quat_product(swing, seat), 10000000);
    ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
    ck_assert_double_lt(angle_between(attitude_of(&e), swing), 1e-6);
}
END_TEST

/* A car in a bend: the speed gives the centripetal acceleration, so that the tilt stays level without
 * weighting. */
START_TEST(a_known_speed_takes_the_bend_out)
{
    for (int with = 0; with < 2; with++) {
        marl_tuning tuning = published(MARL_FILTER_COMPLEMENTARY);
        marl_estimator e;
        ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
        for (int i = 0; i < 3000; i++) { /* 15 m/s, 0.2 rad/s: 3 m/s^2 to the left */
            float turn = i < 500 ? 0.0f : 0.2f;
            marl_quat q = marl_quat_from_rpy(0, 0, i < 500 ? 0.0f : 0.002f * (float)(i - 500));
            marl_sample s = at_rest(q, (int64_t)i * 10000000);
            s.gyro.z = turn;
            s.accel.y += turn * 15.0f;
            s.speed = 15.0f;
            s.fresh = (uint8_t)(s.fresh | (with ? MARL_FRESH_SPEED : 0));
            ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        }
        double off = tilt_between(attitude_of(&e), marl_quat_identity()) / DEGREE;
        ck_assert(with ? off < 0.2 : off > 10);
    }
}
END_TEST

/* At rest at the end of a long lever: a bias that is being learned is no spin, which would pull by the lever.
 */
START_TEST(a_lever_does_not_shake_the_start)
{
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        marl_estimator e = make((marl_filter)f);
        marl_quat q = marl_quat_from_rpy(0.3f, -0.2f, 1.0f);
        e.tuning.value[MARL_PARAMETER_LEVER_X] = 15.0f;
        e.tuning.value[MARL_PARAMETER_LEVER_Y] = -10.0f;
        e.tuning.value[MARL_PARAMETER_LEVER_Z] = -15.0f;
        for (int i = 0; i < 3000; i++) {
            marl_sample s = at_rest(q, (int64_t)i * 10000000);
            s.gyro = (marl_vec3){0.007f, -0.006f, 0.004f};
            (void)!marl_estimator_update(&e, &s);
            ck_assert_msg(tilt_between(attitude_of(&e), q) < 0.6 * DEGREE, "%s at %d: %g deg",
                          marl_filter_name((marl_filter)f), i, tilt_between(attitude_of(&e), q) / DEGREE);
        }
    }
}
END_TEST

/* The standard deviations are those of the covariance: large at the start, small after rest, larger after a
 * gap in motion; none for the other filters. */
START_TEST(sigma_covers_the_error)
{
    float tilt, heading;
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        marl_estimator e = make((marl_filter)f);
        marl_vec3 bias;
        marl_status none = f == MARL_FILTER_KALMAN ? MARL_ERR_NOT_READY : MARL_ERR_ARGUMENT;
        ck_assert_int_eq(marl_estimator_sigma(&e, &tilt, &heading), none);
        ck_assert_int_eq(marl_estimator_bias_sigma(&e, &bias), none);
        ck_assert(tilt == 0 && heading == 0 && bias.x == 0);
    }
    marl_estimator e = make(MARL_FILTER_KALMAN);
    float start_tilt = 0, start_heading = 0;
    for (int i = 0; i < 2000; i++) {
        marl_sample s = at_rest((marl_quat){1, 0, 0, 0}, (int64_t)i * 10000000);
        ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        ck_assert_int_eq(marl_estimator_sigma(&e, &tilt, &heading), MARL_OK);
        start_tilt = i == 0 ? tilt : start_tilt;
        start_heading = i == 0 ? heading : start_heading;
    }
    ck_assert_float_eq_tol(start_tilt, 0.5f * sqrtf(2), 1e-4f);
    ck_assert_float_eq_tol(start_heading, 0.5f, 1e-4f);
    ck_assert(tilt > 0.01f * (float)DEGREE && tilt < 0.1f * (float)DEGREE);
    ck_assert(heading > 0.1f * (float)DEGREE && heading < 1.0f * (float)DEGREE);
    marl_sample s = at_rest((marl_quat){1, 0, 0, 0}, INT64_C(20890000000));
    s.gyro.x = 2; /* half of that for 0.9 s is as likely as none */
    s.fresh = MARL_FRESH_GYRO;
    ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
    ck_assert_int_eq(marl_estimator_sigma(&e, &tilt, &heading), MARL_OK);
    ck_assert(tilt > 1.2f && heading > 0.85f);
}
END_TEST

MARL_SUITE("estimator", all_start_right_in_any_attitude, gyro_follows_a_steady_turn_at_any_rate,
           bias_is_found_and_bounded, bias_about_level_axes_needs_no_magnetometer,
           magnetometer_never_moves_the_tilt, a_late_magnetometer_sets_the_heading_at_once,
           time_that_stops_or_jumps, bad_readings_are_left_out_and_counted,
           a_clock_set_back_is_used_after_ten_samples, sensors_may_come_in_separate_samples,
           both_worlds_give_the_same_attitude, an_attitude_can_be_set, any_attitude_can_be_zero,
           a_known_speed_takes_the_bend_out, a_lever_does_not_shake_the_start, sigma_covers_the_error)
