/* SPDX-License-Identifier: MIT
 * Whatever comes in, and however long: the estimators' states hold. */
#include "perfect_sensors.h"
#include <stddef.h>
#include <string.h>

static int finite_and_unit(const marl_estimator *e)
{
    marl_quat q = e->q;
    marl_vec3 b = marl_estimator_bias(e);
    double n2 = (double)q.w * (double)q.w + (double)q.x * (double)q.x + (double)q.y * (double)q.y +
                (double)q.z * (double)q.z;
    float limit = e->tuning.value[MARL_PARAMETER_BIAS_LIMIT];
    return fabs(sqrt(n2) - 1) < 1e-5 && fabsf(b.x) <= limit && fabsf(b.y) <= limit && fabsf(b.z) <= limit;
}

/* The parts of the state that are floats alone, from the attitude to the weights: every one, whatever is
 * added. */
#define FIRST_FLOAT offsetof(marl_estimator, q)
#define LAST_FLOAT offsetof(marl_estimator, tare)

static int is_float_at(size_t offset)
{
    const size_t other[] = {offsetof(marl_estimator, sum.forces), offsetof(marl_estimator, sum.fields),
                            offsetof(marl_estimator, field.known), offsetof(marl_estimator, motion.known),
                            offsetof(marl_estimator, kalman.corrections)};
    for (size_t i = 0; i < sizeof other / sizeof other[0]; i++) {
        if (offset == other[i]) {
            return 0;
        }
    }
    return 1;
}

/* 1 when each number is finite, and zero or larger than any denormal. */
static int all_floats(const marl_estimator *e, int normal)
{
    for (size_t at = FIRST_FLOAT; at < LAST_FLOAT; at += sizeof(float)) {
        float x;
        memcpy(&x, (const char *)e + at, sizeof x);
        if (is_float_at(at) && (!isfinite(x) || (normal && x != 0.0f && fabsf(x) < 1.2e-38f))) {
            return 0;
        }
    }
    return 1;
}

static marl_vec3 any_bits(dice *d)
{
    return (marl_vec3){dice_float_bits(d), dice_float_bits(d), dice_float_bits(d)};
}

static marl_sample garbage(dice *d, int64_t t)
{
    uint64_t kind = dice_bits(d);
    marl_sample s = {.t_ns = t,
                     .accel = any_bits(d),
                     .gyro = any_bits(d),
                     .mag = any_bits(d),
                     .fresh = (uint8_t)(kind >> 8)};
    s.accel = kind & 0x10000 ? dice_vector(d, kind & 0x100000 ? 1e-3 : 12) : s.accel;
    s.gyro = kind & 0x20000 ? dice_vector(d, kind & 0x200000 ? 100 : 0.1) : s.gyro;
    s.mag = kind & 0x40000 ? dice_vector(d, kind & 0x400000 ? 60 : 20000) : s.mag;
    s.speed = kind & 0x800000 ? (float)dice_between(d, -1000, 1000) : dice_float_bits(d);
    s.temp = dice_float_bits(d);
    return s;
}

/* Two million updates of any bits for each estimator: the state stays an attitude. Now and then the garbage
 * stops: ten seconds later the tilt is right again, and after a minute the heading. */
START_TEST(garbage_never_spoils_the_state)
{
    const marl_filter f = (marl_filter)(_i % MARL_FILTER_COUNT);
    dice d = {23};
    marl_estimator e = make(f);
    if (_i >= MARL_FILTER_COUNT) { /* the same at the end of a lever */
        e.tuning.value[MARL_PARAMETER_LEVER_X] = 1000.0f;
        e.tuning.value[MARL_PARAMETER_LEVER_Z] = -3.0f;
    }
    int64_t t = 0;
    for (int i = 0; i < (_i < MARL_FILTER_COUNT ? 2000000 : 300000); i++) {
        uint64_t kind = dice_bits(&d);
        t = kind % 97 == 0 ? (int64_t)(dice_bits(&d) >> 2) : t + (int64_t)(kind >> 40);
        marl_sample s = garbage(&d, t);
        (void)!marl_estimator_update(&e, &s);
        if (!finite_and_unit(&e) || (i % 16 == 0 && !all_floats(&e, 0))) {
            ck_abort_msg("%s, sample %d", marl_filter_name(f), i);
        }
        if (i % 20000 != 0) {
            continue;
        }
        marl_quat q = dice_attitude(&d), found;
        for (int k = 0; k < 6000; k++) { /* on the clock of the garbage, which may stand anywhere */
            s = at_rest(q, t += 10000000);
            (void)!marl_estimator_update(&e, &s);
            if ((k != 999 && k != 5999) || f == MARL_FILTER_GYRO || _i >= MARL_FILTER_COUNT) {
                continue;
            }
            ck_assert_int_eq(marl_estimator_attitude(&e, &found), MARL_OK);
            double error = k == 999 ? tilt_between(found, q) : angle_between(found, q);
            ck_assert_msg(error < 2 * DEGREE, "%s, sample %d, %d later: %s %g deg", marl_filter_name(f), i,
                          k + 1, k == 999 ? "tilt" : "total", error / DEGREE);
        }
    }
}
END_TEST

/* Long gaps at the highest rates, steps of a nanosecond behind them, readings missing on the way. */
START_TEST(wild_turns_across_gaps_stay_an_attitude)
{
    dice d = {25};
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        marl_estimator e = make((marl_filter)f);
        e.tuning.value[MARL_PARAMETER_GAP_LIMIT] = 60.0f;
        int64_t t = 0;
        for (int i = 0; i < 20000; i++) {
            t += dice_below(&d, 3) == 0 ? 1 : (int64_t)dice_between(&d, 1, 59.9e9);
            marl_sample s = at_rest((marl_quat){1, 0, 0, 0}, t);
            s.gyro = dice_vector(&d, 57);
            s.fresh = (uint8_t)(dice_below(&d, 2) ? s.fresh : s.fresh & ~MARL_FRESH_GYRO);
            (void)!marl_estimator_update(&e, &s);
            ck_assert_msg(finite_and_unit(&e) && all_floats(&e, 0), "%s at %d",
                          marl_filter_name((marl_filter)f), i);
        }
    }
}
END_TEST

/* A reading in fifty is invalid: that costs next to nothing, in motion too. */
START_TEST(single_invalid_readings_cost_little)
{
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        marl_estimator clean = make((marl_filter)f), dirty = clean;
        marl_quat a, b;
        for (int i = 0; i < 6000; i++) {
            float t = 0.01f * (float)i, angle = 0.5f * sinf(t);
            marl_sample s = at_rest(marl_quat_from_rpy(angle, 0.2f, 0), (int64_t)i * 10000000);
            marl_vec3 roll = {0.5f * cosf(t), 0, 0};
            s.gyro = roll;
            (void)!marl_estimator_update(&clean, &s);
            s.gyro.x = i % 50 == 7 ? NAN : s.gyro.x;
            s.accel.y = i % 50 == 23 ? INFINITY : s.accel.y;
            s.mag.z = i % 50 == 41 ? 1e9f : s.mag.z;
            (void)!marl_estimator_update(&dirty, &s);
            if (i > 200) {
                ck_assert(marl_estimator_attitude(&clean, &a) == MARL_OK &&
                          marl_estimator_attitude(&dirty, &b) == MARL_OK);
                ck_assert_msg(angle_between(a, b) < 0.3 * DEGREE, "%s at %d: %g deg",
                              marl_filter_name((marl_filter)f), i, angle_between(a, b) / DEGREE);
            }
        }
        ck_assert_uint_eq(marl_estimator_count(&dirty).invalid_gyro, 120);
        ck_assert_uint_eq(marl_estimator_count(&dirty).restarts, 0);
    }
}
END_TEST

/* A day at 100 Hz, at rest, swinging and turning by the hour: the norm, the bias and the covariance stay,
 * nothing becomes a denormal. */
START_TEST(a_day_leaves_no_trace)
{
    dice d = {24};
    marl_filter f = (marl_filter)(_i % MARL_FILTER_COUNT);
    marl_estimator e = make(f);
    for (int64_t i = 0; i < INT64_C(8640000); i++) {
        int hour = (int)(i / 360000);
        float swing = hour % 3 == 0 ? 0.0f : 0.3f * (float)((i % 700) - 350) / 350, tilt, heading;
        marl_sample s = at_rest((marl_quat){1, 0, 0, 0}, i * 10000000);
        s.gyro =
            (marl_vec3){0.004f + (float)dice_between(&d, -1e-3, 1e-3), swing, hour % 3 == 2 ? 0.5f : 0.0f};
        s.fresh = (uint8_t)(i % 4 == 0 && hour % 7 != 6 ? s.fresh : s.fresh & ~MARL_FRESH_MAG);
        s.accel.x += hour % 5 == 0 ? 1.0f : 0.0f;
        (void)!marl_estimator_update(&e, &s);
        if (i % 5000 == 0) {
            ck_assert_msg(finite_and_unit(&e) && all_floats(&e, 1), "%s, sample %ld", marl_filter_name(f),
                          (long)i);
            if (f == MARL_FILTER_KALMAN) {
                ck_assert_int_eq(marl_estimator_sigma(&e, &tilt, &heading), MARL_OK);
                ck_assert(tilt < 2.0f && heading < 1.5f);
            }
        }
    }
}
END_TEST

int main(void)
{
    Suite *suite = suite_create("estimator holds");
    TCase *tcase = tcase_create("estimator holds");
    SRunner *runner = srunner_create(suite);
    tcase_set_timeout(tcase, 240);
    tcase_add_loop_test(tcase, garbage_never_spoils_the_state, 0, in_campaign() ? 2 * MARL_FILTER_COUNT : 1);
    tcase_add_test(tcase, wild_turns_across_gaps_stay_an_attitude);
    tcase_add_test(tcase, single_invalid_readings_cost_little);
    if (in_campaign()) {
        tcase_add_loop_test(tcase, a_day_leaves_no_trace, MARL_FILTER_COMPLEMENTARY, MARL_FILTER_COUNT);
    }
    suite_add_tcase(suite, tcase);
    srunner_run_all(runner, CK_ENV);
    int failed = srunner_ntests_failed(runner);
    srunner_free(runner);
    return failed != 0;
}
