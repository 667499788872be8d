/* SPDX-License-Identifier: MIT
 * Whatever comes in, and however long: the estimators' states hold. */
#include "perfect_sensors.h"

static int finite_and_unit(const marl_estimator *e)
{
    marl_quat q = e->belief.q;
    marl_vec3 b = e->belief.bias;
    double n2 = (double)q.w * (double)q.w + (double)q.x * (double)q.x + (double)q.y * (double)q.y +
                (double)q.z * (double)q.z;
    float limit = e->tuning.value[MARL_PARAMETER_BIAS_LIMIT];
    return fabs(sqrt(n2) - 1) < 1e-5 && fabsf(b.x) <= limit && fabsf(b.y) <= limit && fabsf(b.z) <= limit;
}

/* Every number of the state. */
static int all_finite(const marl_estimator *e)
{
    const marl_belief *b = &e->belief;
    const float some[] = {b->turning.x,
                          b->turning.y,
                          b->turning.z,
                          b->accel_trust.unrest,
                          b->accel_trust.memory_s,
                          b->accel_trust.misfit,
                          b->mag_trust.unrest,
                          b->mag_trust.misfit,
                          b->mag_trust.out_s,
                          b->tilt.angle,
                          b->tilt.both,
                          b->tilt.bias,
                          b->heading.angle,
                          b->heading.both,
                          b->heading.bias,
                          b->per_rate,
                          b->field,
                          b->dip,
                          b->follow,
                          e->gathered.accel.x,
                          e->gathered.mag.x,
                          e->gathered.longer2,
                          e->gathered.turning2};
    int finite = 1;
    for (size_t i = 0; i < sizeof some / sizeof some[0]; i++) {
        finite &= isfinite(some[i]) != 0;
    }
    for (int i = 0; i < 36; i++) {
        finite &= isfinite((&e->covariance[0][0])[i]) != 0;
    }
    return finite;
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
 * stops: ten seconds later the attitude is right again. */
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
        if (!finite_and_unit(&e) || (i % 16 == 0 && !all_finite(&e))) {
            ck_abort_msg("%s, sample %d", marl_filter_name(f), i);
        }
        if (i % 20000 != 0) {
            continue;
        }
        marl_quat q = dice_attitude(&d), found;
        for (int k = 0; k < 1000; k++) { /* on the clock of the garbage, which may stand anywhere */
            s = at_rest(q, t += 10000000);
            (void)!marl_estimator_update(&e, &s);
        }
        ck_assert_int_eq(marl_estimator_attitude(&e, &found), MARL_OK);
        if (f != MARL_FILTER_GYRO && _i < MARL_FILTER_COUNT) {
            ck_assert_msg(tilt_between(found, q) < 2 * DEGREE, "%s, sample %d: tilt %g deg",
                          marl_filter_name(f), i, tilt_between(found, q) / DEGREE);
            ck_assert_msg(angle_between(found, q) < 2.83 * DEGREE, "%s, sample %d: %g deg",
                          marl_filter_name(f), i, angle_between(found, q) / DEGREE);
        }
    }
}
END_TEST

/* A day at 100 Hz, at rest, swinging and turning by the hour: the norm, the bias and the doubts stay, nothing
 * becomes a denormal. */
START_TEST(a_day_leaves_no_trace)
{
    dice d = {24};
    marl_filter f = (marl_filter)(_i % MARL_FILTER_COUNT);
    marl_estimator e = make(f);
    for (int64_t i = 0; i < INT64_C(8640000); i++) {
        int hour = (int)(i / 360000);
        float swing = hour % 3 == 0 ? 0.0f : 0.3f * (float)((i % 700) - 350) / 350;
        marl_sample s = at_rest((marl_quat){1, 0, 0, 0}, i * 10000000);
        s.gyro =
            (marl_vec3){0.004f + (float)dice_between(&d, -1e-3, 1e-3), swing, hour % 3 == 2 ? 0.5f : 0.0f};
        s.fresh = (uint8_t)(i % 4 == 0 ? s.fresh : s.fresh & ~MARL_FRESH_MAG);
        s.accel.x += hour % 5 == 0 ? 1.0f : 0.0f;
        (void)!marl_estimator_update(&e, &s);
        if (i % 5000 == 0) {
            const marl_belief *b = &e.belief;
            const float kept[] = {b->q.x,
                                  b->q.y,
                                  b->q.z,
                                  b->bias.x,
                                  b->bias.y,
                                  b->bias.z,
                                  b->tilt.both,
                                  b->heading.both,
                                  b->accel_trust.unrest,
                                  b->mag_trust.unrest};
            ck_assert(finite_and_unit(&e) && all_finite(&e));
            for (size_t k = 0; k < sizeof kept / sizeof kept[0]; k++) {
                ck_assert(kept[k] == 0.0f || fabsf(kept[k]) > 1.2e-38f);
            }
            ck_assert_float_le(b->tilt.angle, 2.0f);
            ck_assert_float_le(b->heading.angle, 2.0f);
            ck_assert_float_le(b->accel_trust.memory_s, 100001.0f);
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
    tcase_add_loop_test(tcase, garbage_never_spoils_the_state, 0, 2 * MARL_FILTER_COUNT);
    tcase_add_loop_test(tcase, a_day_leaves_no_trace, MARL_FILTER_COMPLEMENTARY, MARL_FILTER_COUNT);
    suite_add_tcase(suite, tcase);
    srunner_run_all(runner, CK_ENV);
    int failed = srunner_ntests_failed(runner);
    srunner_free(runner);
    return failed != 0;
}
