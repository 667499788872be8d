/* SPDX-License-Identifier: MIT
 * Another calibration while running: the gyroscope's bias is kept exactly where its correction stays the same. */
#include "check_main.h"
#include "marlinspike/estimator.h"
#include <math.h>
#include <stddef.h>
#include <string.h>

static marl_pipeline_config known_config(void)
{
    marl_pipeline_config config = marl_pipeline_default(MARL_FILTER_KALMAN);
    marl_correction *gyro = &config.calibration.gyro;
    gyro->present = gyro->has_curve = 1;
    gyro->bias = (marl_vec3){0.01f, 0.0f, -0.01f};
    gyro->curve = (marl_bias_curve){20.0f, -10.0f, 50.0f, {0.001f, 0.0f, 0.0f}, {0.0f, 0.0001f, 0.0f}};
    config.calibration.mount = (marl_quat){1.0f, 0.0f, 0.0f, 0.0f};
    return config;
}

/* A pipeline at rest with a bias of its own that it has learned. */
static marl_pipeline learned(const marl_pipeline_config *config)
{
    marl_pipeline p;
    marl_sample s = {.accel = {0.0f, 0.0f, 9.8f},
                     .gyro = {0.03f, 0.0f, 0.0f},
                     .mag = {20.0f, 0.0f, -40.0f},
                     .temp = 20.0f};
    marl_quat q;
    ck_assert_int_eq(marl_pipeline_init(&p, config), MARL_OK);
    for (int i = 0; i < 3000; i++) {
        s.t_ns += 10000000;
        s.fresh = 15;
        (void)!marl_pipeline_step(&p, &s, &q);
    }
    ck_assert_float_eq_tol(marl_estimator_bias(&p.estimator).x, 0.02f, 0.002f);
    return p;
}

/* Where one float of the gyroscope's correction lies, and by how much it changes. */
#define AT(member) offsetof(marl_correction, member)
static const size_t places[] = {AT(bias.x),
                                AT(bias.y),
                                AT(bias.z),
                                AT(matrix.m[0][0]),
                                AT(matrix.m[2][1]),
                                AT(curve.per_degC.x),
                                AT(curve.per_degC.z),
                                AT(curve.per_degC2.y),
                                AT(curve.low_degC),
                                AT(curve.high_degC),
                                AT(curve.reference_degC)};

START_TEST(any_other_number_starts_the_bias_anew)
{
    marl_pipeline_config config = known_config();
    marl_pipeline p = learned(&config);
    float number;
    memcpy(&number, (char *)&config.calibration.gyro + places[_i], sizeof number);
    number += 0.0625f;
    memcpy((char *)&config.calibration.gyro + places[_i], &number, sizeof number);
    ck_assert_int_eq(marl_pipeline_recalibrate(&p, &config), MARL_OK);
    ck_assert_float_eq(marl_estimator_bias(&p.estimator).x, 0.0f);
}
END_TEST

START_TEST(the_same_correction_keeps_it)
{
    marl_pipeline_config config = known_config();
    marl_pipeline p = learned(&config);
    float before = marl_estimator_bias(&p.estimator).x;
    config.calibration.accel.present = 1; /* another sensor */
    config.calibration.accel.matrix = marl_mat3_identity();
    config.calibration.accel.bias = (marl_vec3){0.1f, 0.0f, 0.0f};
    ck_assert_int_eq(marl_pipeline_recalibrate(&p, &config), MARL_OK);
    ck_assert_float_eq(marl_estimator_bias(&p.estimator).x, before);
    config.calibration.gyro.has_curve = 0;
    ck_assert_int_eq(marl_pipeline_recalibrate(&p, &config), MARL_OK);
    ck_assert_float_eq(marl_estimator_bias(&p.estimator).x, 0.0f);
}
END_TEST

START_TEST(a_calibration_that_is_none_changes_nothing)
{
    marl_pipeline_config config = known_config();
    marl_pipeline p = learned(&config), before;
    memcpy(&before, &p, sizeof p);
    config.calibration.gyro.bias.x = (float)INFINITY;
    ck_assert_int_eq(marl_pipeline_recalibrate(&p, &config), MARL_ERR_ARGUMENT);
    ck_assert_mem_eq(&before, &p, sizeof p);
    config = known_config();
    config.tuning.value[MARL_PARAMETER_GAP_LIMIT] = -1.0f;
    ck_assert_int_eq(marl_pipeline_recalibrate(&p, &config), MARL_ERR_ARGUMENT);
    ck_assert_int_eq(marl_pipeline_retune(&p, &config), MARL_ERR_ARGUMENT);
    ck_assert_mem_eq(&before, &p, sizeof p);
}
END_TEST

/* Weights are given for the sensors of the last sample alone; gyro and vectors weigh nothing. */
START_TEST(weights_are_those_of_the_last_sample)
{
    float weight[2];
    marl_quat q;
    marl_pipeline_config config = known_config();
    marl_pipeline p = learned(&config);
    marl_sample s = {.t_ns = INT64_C(30010000000), .accel = {0.0f, 0.0f, 9.8f}, .fresh = MARL_FRESH_ACCEL};
    ck_assert_int_eq(marl_pipeline_step(&p, &s, &q), MARL_OK);
    marl_pipeline_weights(&p, weight);
    ck_assert(weight[0] > 0.0f && weight[0] <= 1.0f && weight[1] < 0.0f);
    s.t_ns += 10000000;
    s.accel.z = (float)NAN;
    ck_assert_int_eq(marl_pipeline_step(&p, &s, &q), MARL_OK);
    marl_pipeline_weights(&p, weight);
    ck_assert_float_eq(weight[0], 0.0f); /* invalid */
    for (int f = MARL_FILTER_GYRO; f <= MARL_FILTER_VECTORS; f++) {
        config = marl_pipeline_default((marl_filter)f);
        ck_assert_int_eq(marl_pipeline_init(&p, &config), MARL_OK);
        marl_pipeline_weights(&p, weight);
        ck_assert(weight[0] < 0.0f && weight[1] < 0.0f);
    }
}
END_TEST

MARL_SUITE_OF_CASES("recalibrate", places, any_other_number_starts_the_bias_anew,
                    the_same_correction_keeps_it, a_calibration_that_is_none_changes_nothing,
                    weights_are_those_of_the_last_sample)
