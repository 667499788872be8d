/* SPDX-License-Identifier: MIT
 * A firmware with one filter: it has that one, with the same bits, and refuses the others. */
#include "check_main.h"
#include "marlinspike/estimator.h"
#include "random_values.h"
#include <string.h>

static const marl_filter_choice choices[] = {marl_choose_gyro, marl_choose_vectors,
                                             marl_choose_constant_gains, marl_choose_kalman, marl_choose_any};
static const unsigned has[] = {1u << MARL_FILTER_GYRO, 1u << MARL_FILTER_VECTORS,
                               1u << MARL_FILTER_COMPLEMENTARY | 1u << MARL_FILTER_GRADIENT_DESCENT,
                               1u << MARL_FILTER_KALMAN, (1u << MARL_FILTER_COUNT) - 1u};

/* The digest of a random walk of the sensors with a gap, a restart and invalid readings. */
static uint32_t digest_of(marl_filter filter, marl_filter_choice choice)
{
    dice d = {5};
    marl_pipeline p;
    marl_pipeline_config config = marl_pipeline_default(filter);
    marl_sample s = {.accel = {0.0f, 0.0f, 9.8f}, .mag = {20.0f, 0.0f, -40.0f}, .fresh = 7};
    ck_assert_int_eq(marl_pipeline_init_with(&p, &config, choice), MARL_OK);
    for (int i = 0; i < 4000; i++) {
        marl_quat q;
        s.t_ns += i % 900 == 899 ? 300000000 : i == 3000 ? 5000000000 : 10000000;
        s.gyro = dice_vector(&d, 1.0);
        s.accel.x = (float)dice_between(&d, -1, 1);
        s.accel.z = i % 700 == 0 ? 1e9f : 9.8f;
        (void)!marl_pipeline_step(&p, &s, &q);
    }
    ck_assert_uint_gt(p.attitudes, 3900);
    return p.digest;
}

START_TEST(a_choice_has_its_filters_and_no_others)
{
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        marl_pipeline p;
        marl_pipeline_config config = marl_pipeline_default((marl_filter)f);
        int there = (has[_i] >> f & 1u) != 0;
        ck_assert_int_eq(marl_pipeline_init_with(&p, &config, choices[_i]),
                         there ? MARL_OK : MARL_ERR_ARGUMENT);
        if (there) {
            ck_assert_uint_eq(digest_of((marl_filter)f, choices[_i]),
                              digest_of((marl_filter)f, marl_choose_any));
        }
    }
    ck_assert_int_eq(marl_selftest_with(NULL, choices[_i]), MARL_OK);
}
END_TEST

/* Its own tuning may be given, and after a refusal an update does no harm. */
START_TEST(an_estimator_starts_anew_with_its_own_tuning)
{
    marl_estimator e;
    marl_quat q;
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    const marl_sample s = {.t_ns = 1, .accel = {0.0f, 0.0f, 9.8f}, .mag = {20.0f, 0.0f, -40.0f}, .fresh = 7};
    tuning.value[MARL_PARAMETER_GAP_LIMIT] = 3.0f;
    ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
    ck_assert_int_eq(marl_estimator_init(&e, marl_estimator_tuning(&e)), MARL_OK);
    ck_assert_mem_eq(marl_estimator_tuning(&e), &tuning, sizeof tuning);
    ck_assert_int_eq(marl_estimator_init_with(&e, &tuning, marl_choose_gyro), MARL_ERR_ARGUMENT);
    ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
    ck_assert_int_eq(marl_estimator_attitude(&e, &q), MARL_OK);
}
END_TEST

START_TEST(another_filter_is_refused_and_nothing_changes)
{
    marl_pipeline p, before;
    marl_pipeline_config config = marl_pipeline_default(MARL_FILTER_COMPLEMENTARY);
    ck_assert_int_eq(marl_pipeline_init_with(&p, &config, marl_choose_constant_gains), MARL_OK);
    memcpy(&before, &p, sizeof p);
    config.tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    ck_assert_int_eq(marl_pipeline_retune(&p, &config), MARL_ERR_ARGUMENT);
    ck_assert_mem_eq(&before, &p, sizeof p);
    ck_assert_int_eq(marl_pipeline_recalibrate(&p, &config), MARL_ERR_ARGUMENT);
    ck_assert_mem_eq(&before, &p, sizeof p);
    config.tuning = marl_tuning_default(MARL_FILTER_GRADIENT_DESCENT);
    ck_assert_int_eq(marl_pipeline_retune(&p, &config), MARL_OK);
}
END_TEST

MARL_SUITE_OF_CASES("filter_choice", choices, a_choice_has_its_filters_and_no_others,
                    an_estimator_starts_anew_with_its_own_tuning,
                    another_filter_is_refused_and_nothing_changes)
