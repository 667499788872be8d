/* SPDX-License-Identifier: MIT
 * The reference of the field and the weight of the magnetometer, beside equations (2.6), (3.7) and (4.4) of
 * docs/methods/estimators.md in double precision. */
#include "perfect_sensors.h"

#define NOISE 0.3     /* mag_noise, uT */
#define THRESHOLD 1.0 /* mag_threshold, and where kalman's weight is one half, uT */

typedef struct reference {
    double strength, vertical, memory;
    int known;
} reference;

static double excess_of(const reference *r, double north, double up)
{
    double strength = hypot(north, up) - r->strength, vertical = up - r->vertical;
    return r->known ? fmax(0, strength * strength + vertical * vertical - 2 * NOISE * NOISE) : 0;
}

static void follow(reference *r, double north, double up, double T, double rate)
{
    double share = r->known ? fmin(1, rate * T / (r->memory + 0.1)) : 1;
    r->strength += share * (hypot(north, up) - r->strength);
    r->vertical += share * (up - r->vertical);
    r->memory = fmin(30, r->memory + T * fmin(rate, 1));
    r->known = 1;
}

/* One correction; the weight of the magnetometer in it. */
static double expected_weight(reference *r, marl_filter filter, double t, double T, double up)
{
    double e = excess_of(r, 23.5, up), w = 1 / (1 + e / (THRESHOLD * THRESHOLD));
    double rate = filter == MARL_FILTER_KALMAN ? fmax(0.1, 1 / (1 + e / (4 * NOISE * NOISE)))
                                               : fmax(w, t < 5 ? 2 : 0.02);
    follow(r, 23.5, up, T, rate);
    return w;
}

/* The vertical field, uT, changes by `by` between two times, s. */
typedef struct disturbance {
    double from, to, by;
} disturbance;

static const disturbance disturbances[] = {
    {0.15, 0.4, 1.5}, {1, 1.5, -2},     {4, 4.8, 1.5},   {7, 8, 2},       {20, 21, 1.5},  {52, 60, 1.5},
    {80, 84, 40},     {100, 103, -1.5}, {130, 140, 1.6}, {160, 175, 1.5}, {190, 260, 2.5}};

static double vertical_field(double t)
{
    double up = -42.7;
    for (size_t i = 0; i < sizeof disturbances / sizeof disturbances[0]; i++) {
        up += t > disturbances[i].from && t < disturbances[i].to ? disturbances[i].by : 0;
    }
    return up;
}

/* The largest difference of a weight, level and facing north for 260 s; at 159 s two readings are invalid. */
static double largest_difference(marl_filter filter)
{
    marl_estimator e = make(filter);
    reference r = {0};
    double sum = 0, worst = 0, last = 0.01;
    int n = 0;
    for (int i = 1; i <= 26000; i++) {
        double t = 0.01 * i, up = vertical_field(t);
        int invalid = i == 15900 || i == 15901;
        marl_sample s = at_rest(marl_quat_identity(), (int64_t)i * 10000000);
        s.mag.z = invalid ? NAN : (float)up;
        uint32_t used = marl_estimator_count(&e).used_mag;
        ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        sum += invalid || i == 1 ? 0 : up; /* the first sample is the start */
        n += !invalid && i > 1;
        r.memory *= invalid ? 0.5 : 1;
        if (marl_estimator_count(&e).used_mag != used) {
            float accel, mag;
            marl_estimator_weights(&e, &accel, &mag);
            double expected = expected_weight(&r, filter, t - 0.01, t - last, sum / n);
            /* kalman: a tilt that is still uncertain explains a part of the excess */
            int certain = filter != MARL_FILTER_KALMAN || t > 4;
            worst = certain ? fmax(worst, fabs(expected - (double)mag)) : worst;
            sum = n = 0;
            last = t;
        }
    }
    return worst;
}

START_TEST(weight_of_the_magnetometer_is_as_documented)
{
    ck_assert_double_lt(largest_difference(MARL_FILTER_COMPLEMENTARY), 0.02);
    ck_assert_double_lt(largest_difference(MARL_FILTER_GRADIENT_DESCENT), 0.02);
    ck_assert_double_lt(largest_difference(MARL_FILTER_KALMAN), 0.02);
}
END_TEST

MARL_SUITE("field reference", weight_of_the_magnetometer_is_as_documented)
