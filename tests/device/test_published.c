/* SPDX-License-Identifier: MIT
 * "weighting": "off" is the published filter: each filter against a plain loop in double precision, with
 * trigonometry and dense matrices, on random input, step for step. */
#include "check_main.h"
#include "marlinspike/estimator.h"
#include "published.h"
#include "random_values.h"

typedef struct pair {
    marl_estimator device;
    published plain;
    published_correction *correct;
} pair;

static marl_tuning unweighted(marl_filter filter, dice *d)
{
    marl_tuning t = marl_tuning_default(filter);
    t.value[MARL_PARAMETER_WEIGHTING] = 0.0f;
    t.value[MARL_PARAMETER_RUN_DOWN] = 0.0f;
    t.value[MARL_PARAMETER_BIAS_LIMIT] = 1.0f;
    t.value[MARL_PARAMETER_TILT_TIME] = (float)dice_between(d, 1, 4);
    t.value[MARL_PARAMETER_HEADING_TIME] = (float)dice_between(d, 2, 20);
    t.value[MARL_PARAMETER_DAMPING] = (float)dice_between(d, 0.7, 1.5);
    t.value[MARL_PARAMETER_BETA] = (float)dice_between(d, 0.01, 0.2);
    t.value[MARL_PARAMETER_ZETA] = (float)dice_between(d, 0, 0.01);
    t.value[MARL_PARAMETER_ACCEL_NOISE] = (float)dice_between(d, 1, 3);
    t.value[MARL_PARAMETER_MAG_NOISE] = (float)dice_between(d, 1, 4);
    return t;
}

static published plain_of(const marl_tuning *t)
{
    const float *x = t->value;
    double tilt = 1 / (double)x[MARL_PARAMETER_TILT_TIME],
           heading = 1 / (double)x[MARL_PARAMETER_HEADING_TIME];
    double twice = 2 * (double)x[MARL_PARAMETER_DAMPING];
    int gradient = t->filter == MARL_FILTER_GRADIENT_DESCENT;
    return (published){
        .gain = gradient ? (double)x[MARL_PARAMETER_BETA] : tilt,
        .integral = gradient ? (double)x[MARL_PARAMETER_ZETA] : tilt * tilt / (twice * twice),
        .heading_gain = gradient ? (double)x[MARL_PARAMETER_HEADING_BETA] : heading,
        .heading_integral =
            gradient ? (double)x[MARL_PARAMETER_HEADING_ZETA] : heading * heading / (twice * twice),
        .gyro_noise = (double)x[MARL_PARAMETER_GYRO_WHITE],
        .gyro_scale = (double)x[MARL_PARAMETER_GYRO_SCALE],
        .gyro_walk = (double)x[MARL_PARAMETER_GYRO_WALK],
        .accel_sigma = hypot((double)x[MARL_PARAMETER_ACCEL_FLOOR], (double)x[MARL_PARAMETER_ACCEL_NOISE]),
        .speed_sigma = (double)x[MARL_PARAMETER_SPEED_FLOOR],
        .mag_sigma = (double)x[MARL_PARAMETER_MAG_NOISE],
        .disturbance_time = (double)x[MARL_PARAMETER_DISTURBANCE_TIME],
        .velocity_time = (double)x[MARL_PARAMETER_VELOCITY_TIME]};
}

static void start(pair *p, const marl_sample *s)
{
    const float *x = p->device.tuning.value;
    marl_quat q;
    ck_assert_int_eq(marl_estimator_update(&p->device, s), MARL_OK);
    ck_assert_int_eq(marl_estimator_attitude(&p->device, &q), MARL_OK);
    const double q0[4] = {(double)q.w, (double)q.x, (double)q.y, (double)q.z};
    const double rate[3] = {(double)s->gyro.x, (double)s->gyro.y, (double)s->gyro.z};
    memcpy(p->plain.rate, rate, sizeof rate);
    published_start(&p->plain, q0, (double)x[MARL_PARAMETER_ATTITUDE_SPREAD],
                    (double)x[MARL_PARAMETER_BIAS_SPREAD]);
}

/* Angle between the two after one more sample, rad. */
static double difference(pair *p, const marl_sample *s, double dt)
{
    const double gyro[3] = {(double)s->gyro.x, (double)s->gyro.y, (double)s->gyro.z};
    const double accel[3] = {(double)s->accel.x, (double)s->accel.y, (double)s->accel.z};
    const double mag[3] = {(double)s->mag.x, (double)s->mag.y, (double)s->mag.z};
    marl_quat q;
    ck_assert_int_eq(marl_estimator_update(&p->device, s), MARL_OK);
    ck_assert_int_eq(marl_estimator_attitude(&p->device, &q), MARL_OK);
    published_step(&p->plain, p->correct, gyro, accel, s->fresh & MARL_FRESH_MAG ? mag : NULL, dt);
    return angle_between(q, (marl_quat){(float)p->plain.q[0], (float)p->plain.q[1], (float)p->plain.q[2],
                                        (float)p->plain.q[3]});
}

static void compare(marl_filter filter, published_correction *correct, double rate_hz, uint64_t seed)
{
    dice d = {seed};
    pair p = {.correct = correct};
    marl_tuning tuning = unweighted(filter, &d);
    ck_assert_int_eq(marl_estimator_init(&p.device, &tuning), MARL_OK);
    p.plain = plain_of(&tuning);
    marl_vec3 rate = {0, 0, 0};
    int64_t t_ns = 0, step = 0, before = 0;
    for (int i = 0; i < (int)(40 * rate_hz); i++) {
        marl_sample s = {.t_ns = t_ns += step, .fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO};
        s.fresh |= i % 4 == 0 ? MARL_FRESH_MAG : 0;
        step =
            (int64_t)(1e9 / rate_hz * dice_between(&d, 0.9, 1)); /* no ties in the moments of corrections */
        rate = marl_vec3_add(marl_vec3_scale(rate, 0.98f), dice_vector(&d, 0.1));
        s.gyro = rate;
        s.accel = marl_vec3_add((marl_vec3){0, 0, 9.8f}, dice_vector(&d, 2));
        s.mag = marl_vec3_add((marl_vec3){3, 20, -40}, dice_vector(&d, 5));
        if (i == 0) {
            start(&p, &s);
            continue;
        }
        double off = difference(&p, &s, 1e-9 * (double)(t_ns - before));
        /* float rounding: 1e-7 a product, some of it remembered by the loop for its time constant */
        ck_assert_msg(off < 3e-4, "%s, %g Hz, seed %d, step %d: %g rad", marl_filter_name(filter), rate_hz,
                      (int)seed, i, off);
        before = t_ns;
    }
}

START_TEST(each_filter_is_the_published_one)
{
    for (uint64_t seed = 1; seed <= 6; seed++) {
        const double rate = seed % 2 ? 100 : 40;
        compare(MARL_FILTER_COMPLEMENTARY, published_complementary, rate, seed);
        compare(MARL_FILTER_GRADIENT_DESCENT, published_gradient, rate, seed);
        compare(MARL_FILTER_KALMAN, published_kalman, rate, seed);
    }
    for (uint64_t seed = 7; seed <= 9;
         seed++) { /* one sample a correction: the bare recursions of the papers */
        compare(MARL_FILTER_COMPLEMENTARY, published_complementary, 8, seed);
        compare(MARL_FILTER_GRADIENT_DESCENT, published_gradient, 8, seed);
    }
}
END_TEST

MARL_SUITE("published filters", each_filter_is_the_published_one)
