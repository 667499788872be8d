/* SPDX-License-Identifier: MIT */
#include "check_main.h"
#include "marlinspike/sample.h"
#include "random_values.h"
#include <string.h>

/* A noisy sensor at rest; the caller adds motion. */
static marl_sample rest(dice *d, int64_t t_ns)
{
    marl_sample s = {.t_ns = t_ns, .fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG};
    s.accel = (marl_vec3){(float)(0.02 * dice_normal(d)), (float)(0.02 * dice_normal(d)),
                          (float)(9.8 + 0.02 * dice_normal(d))};
    s.gyro = (marl_vec3){(float)(0.01 + 0.002 * dice_normal(d)), (float)(0.002 * dice_normal(d)),
                         (float)(0.002 * dice_normal(d))};
    s.mag = (marl_vec3){(float)(20 + 0.4 * dice_normal(d)), (float)(0.4 * dice_normal(d)),
                        (float)(-42 + 0.4 * dice_normal(d))};
    return s;
}

/* Runs 10 s at a rate, `disturb` changing each sample; returns the share of windows that were quiet. */
static double quiet_share(double rate, void (*disturb)(marl_sample *, double))
{
    dice d = {9};
    marl_still still;
    marl_still_limits limits = marl_still_default_limits();
    int quiet = 0, windows = 0;
    ck_assert_int_eq(marl_still_init(&still, &limits), MARL_OK);
    for (int i = 0; i < (int)(10 * rate); i++) {
        double t = i / rate;
        marl_sample s = rest(&d, INT64_C(4294967000000000) + (int64_t)(t * 1e9));
        if (disturb != NULL) {
            disturb(&s, t);
        }
        marl_still_verdict v = marl_still_update(&still, &s);
        windows += v != MARL_STILL_OPEN;
        quiet += v == MARL_STILL_QUIET;
    }
    ck_assert_int_ge(windows, 18);
    return (double)quiet / windows;
}

static void swing(marl_sample *s, double t)
{
    s->gyro.x += (float)(0.2 * sin(2 * t));
}

static void swing_a_little(marl_sample *s, double t)
{
    s->gyro.y += (float)(0.02 * sin(0.8 * t)); /* 1.4 degrees to and fro, within every other limit */
}

static void vibrate(marl_sample *s, double t)
{
    s->accel.z += (float)(0.5 * sin(200 * t));
}

static void tilt_slowly(marl_sample *s, double t)
{
    s->accel.x += (float)(0.2 * t);
}

static void turn_evenly(marl_sample *s, double t)
{
    s->gyro.z += 0.08f; /* below the limit for a bias: only the magnetometer sees it */
    s->mag.x = (float)(20 * cos(0.08 * t * 2));
    s->mag.y = (float)(20 * sin(0.08 * t * 2));
}

static void turn_fast(marl_sample *s, double t)
{
    (void)t;
    s->gyro.z += 0.2f;
    s->fresh = MARL_FRESH_GYRO;
}

START_TEST(rest_is_quiet_at_any_rate)
{
    const double rates[] = {25, 100, 1000};
    for (int i = 0; i < 3; i++) {
        ck_assert_double_eq(quiet_share(rates[i], NULL), 1.0);
    }
}
END_TEST

START_TEST(motion_is_not)
{
    void (*const motions[])(marl_sample *, double) = {swing, vibrate, tilt_slowly, turn_evenly, turn_fast};
    for (size_t i = 0; i < sizeof motions / sizeof motions[0]; i++) {
        /* the first window has nothing to compare with */
        ck_assert_msg(quiet_share(100, motions[i]) <= 0.1, "motion %zu", i);
    }
}
END_TEST

/* Only around its turning points does a slow, small swing look like rest. */
START_TEST(a_small_swing_is_mostly_seen)
{
    ck_assert_double_lt(quiet_share(100, swing_a_little), 0.5);
}
END_TEST

START_TEST(gaps_and_clocks_that_go_back_close_the_window)
{
    dice d = {10};
    marl_still still;
    marl_still_limits limits = marl_still_default_limits();
    ck_assert_int_eq(marl_still_init(&still, &limits), MARL_OK);
    const int64_t t[] = {0, 10000000, 5000000000, 5010000000, -1, INT64_MIN, INT64_MAX};
    const marl_still_verdict want[] = {MARL_STILL_OPEN,  MARL_STILL_OPEN,   MARL_STILL_MOVING,
                                       MARL_STILL_OPEN,  MARL_STILL_MOVING, MARL_STILL_MOVING,
                                       MARL_STILL_MOVING};
    for (int i = 0; i < 7; i++) {
        marl_sample s = rest(&d, t[i]);
        ck_assert_int_eq(marl_still_update(&still, &s), want[i]);
        ck_assert_int_eq(still.still, 0);
    }
}
END_TEST

START_TEST(every_limit_is_a_positive_number)
{
    const float bad[] = {0, -1, NAN, INFINITY};
    marl_still still;
    for (size_t i = 0; i < sizeof(marl_still_limits) / sizeof(float); i++) {
        for (int k = 0; k < 4; k++) {
            marl_still_limits limits = marl_still_default_limits();
            ck_assert_int_eq(marl_still_init(&still, &limits), MARL_OK);
            memcpy((char *)&limits + i * sizeof(float), &bad[k], sizeof(float));
            ck_assert_int_eq(marl_still_init(&still, &limits), MARL_ERR_ARGUMENT);
        }
    }
}
END_TEST

/* At the end the open window decides by what it has: three readings of accelerometer or gyroscope. */
START_TEST(the_end_decides_by_three_readings)
{
    for (int n = 0; n < 6; n++) {
        for (int gyro = 0; gyro < 2; gyro++) {
            dice d = {5};
            marl_still still;
            marl_still_limits limits = marl_still_default_limits();
            ck_assert_int_eq(marl_still_init(&still, &limits), MARL_OK);
            for (int i = 0; i < n; i++) {
                marl_sample s = rest(&d, (int64_t)i * 10000000);
                s.fresh = gyro ? MARL_FRESH_GYRO : MARL_FRESH_ACCEL;
                ck_assert_int_eq(marl_still_update(&still, &s), MARL_STILL_OPEN);
            }
            ck_assert_int_eq(marl_still_finish(&still), n < 3 ? MARL_STILL_OPEN : MARL_STILL_QUIET);
        }
    }
}
END_TEST

MARL_SUITE("still", rest_is_quiet_at_any_rate, motion_is_not, a_small_swing_is_mostly_seen,
           gaps_and_clocks_that_go_back_close_the_window, every_limit_is_a_positive_number,
           the_end_decides_by_three_readings)
