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

/* Body from world, of the test cases in "Attitude determination using vector observations: a fast optimal matrix algorithm"
 * (1993). */
static const double published_attitude[3][3] = {
    {0.352, 0.864, 0.360}, {-0.864, 0.152, 0.480}, {0.360, -0.480, 0.800}};

/* What the sensors read of a direction of the world, with noise across it. */
static marl_vec3 seen(const double direction[3], double length, double noise, dice *d)
{
    double v[3];
    for (int k = 0; k < 3; k++) {
        const double *row = published_attitude[k];
        v[k] = length * (row[0] * direction[0] + row[1] * direction[1] + row[2] * direction[2] +
                         noise * dice_normal(d));
    }
    return (marl_vec3){(float)v[0], (float)v[1], (float)v[2]};
}

static marl_quat attitude_of(marl_vec3 accel, marl_vec3 mag)
{
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_VECTORS);
    marl_estimator e;
    marl_quat q;
    const marl_sample s = {
        .fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG, .accel = accel, .mag = mag};
    ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
    ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
    ck_assert_int_eq(marl_estimator_attitude(&e, &q), MARL_OK);
    return q;
}

/* Two directions, of which the first is exact, as in "Three-axis attitude determination from vector observations" (1981): the
 * published attitude comes back, and noise becomes errors of the size that its covariance states: tilt by that of the first,
 * heading by both over the cosine of the dip. */
START_TEST(two_directions_give_the_published_attitude)
{
    const double dip = 1.05, up[3] = {0, 0, 1}, field[3] = {0, cos(dip), -sin(dip)};
    dice d = {75};
    marl_mat3 matrix = marl_quat_to_matrix(attitude_of(seen(up, 9.8, 0, &d), seen(field, 48, 0, &d)));
    for (int i = 0; i < 3; i++) {
        for (int j = 0; j < 3; j++) { /* the published one goes the other way */
            ck_assert_double_eq_tol((double)matrix.m[j][i], published_attitude[i][j], 1e-6);
        }
    }
    enum { TRIALS = 4000 };
    const double tilt_sigma = 0.002, field_sigma = 0.004;
    marl_quat truth;
    ck_assert_int_eq(marl_quat_from_matrix(&matrix, &truth), MARL_OK);
    double squares[3] = {0};
    for (int i = 0; i < TRIALS; i++) {
        marl_quat q = attitude_of(seen(up, 9.8, tilt_sigma, &d), seen(field, 48, field_sigma, &d));
        marl_quat off = marl_quat_canonical(marl_quat_product(q, marl_quat_conjugate(truth)));
        const double turned[3] = {2 * (double)off.x, 2 * (double)off.y, 2 * (double)off.z};
        for (int k = 0; k < 3; k++) {
            squares[k] += turned[k] * turned[k] / TRIALS;
        }
    }
    double heading = (field_sigma * field_sigma + pow(sin(dip) * tilt_sigma, 2)) / pow(cos(dip), 2);
    const double expected[3] = {tilt_sigma * tilt_sigma, tilt_sigma * tilt_sigma, heading};
    for (int k = 0; k < 3; k++) {
        ck_assert_double_eq_tol(squares[k] / expected[k], 1, 5 * sqrt(2.0 / TRIALS));
    }
}
END_TEST

MARL_SUITE("published filters", each_filter_is_the_published_one, two_directions_give_the_published_attitude)
