/* SPDX-License-Identifier: MIT
 * What a slower or lossier system sees. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "memory_log.h"
#include "random_values.h"

static marl_sample row_at(int i, int mag)
{
    marl_sample s = {.t_ns = (int64_t)i * 5000000, .accel = {(float)i, 0, 9.8f}, .gyro = {0, (float)i, 0}};
    s.fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO;
    if (mag) {
        s.mag = (marl_vec3){(float)i, 1, 2};
        s.fresh |= MARL_FRESH_MAG;
    }
    return s;
}

static marl_degrader degrader_of(marl_degradation degradation)
{
    marl_degrader degrader;
    ck_assert_int_eq(marl_degrader_init(&degrader, &degradation), MARL_OK);
    return degrader;
}

/* A slower sensor's reading waits for the next row that is taken, and is taken once. */
START_TEST(thinning_keeps_the_newest)
{
    marl_degrader l = degrader_of((marl_degradation){.every = 5});
    marl_sample seen;
    int accepted = 0, mags = 0;
    for (int i = 0; i < 1000; i++) {
        marl_sample s = row_at(i, i % 8 == 3);
        if (marl_degrader_feed(&l, &s, &seen)) {
            ck_assert_int_eq(i % 5, 0);
            ck_assert(seen.t_ns == s.t_ns && seen.gyro.y == (float)i);
            if (seen.fresh & MARL_FRESH_MAG) {
                ck_assert(seen.mag.x <= (float)i && seen.mag.x > (float)(i - 5));
                mags++;
            }
            accepted++;
        }
    }
    ck_assert_int_eq(accepted, 200);
    ck_assert_int_eq(mags, 125); /* all of them: they come rarer than rows are taken */
}
END_TEST

static int count_at(double rate_hz, int rows, double clock_noise, dice *d)
{
    marl_degrader l = degrader_of((marl_degradation){.rate_hz = rate_hz});
    marl_sample seen;
    int accepted = 0;
    for (int i = 0; i < rows; i++) {
        marl_sample s = row_at(i, 0);
        s.t_ns += (int64_t)(1e9 * clock_noise * dice_between(d, 0, 1));
        accepted += marl_degrader_feed(&l, &s, &seen);
    }
    return accepted;
}

START_TEST(rates_are_met)
{
    dice d = {65};
    const double rates[] = {200, 100, 66.7, 50, 10, 1};
    for (int i = 0; i < 6; i++) { /* rows every 5 ms, whose stamps wander by up to 1 ms */
        ck_assert_double_eq_tol(count_at(rates[i], 20000, 0, &d), 100 * rates[i], 0.02 * 100 * rates[i]);
        ck_assert_double_eq_tol(count_at(rates[i], 20000, 0.001, &d), 100 * rates[i], 0.02 * 100 * rates[i]);
    }
    marl_degrader l = degrader_of((marl_degradation){.rate_hz = 100});
    marl_sample seen, s = row_at(0, 0);
    ck_assert(marl_degrader_feed(&l, &s, &seen));
    s = row_at(100000, 0); /* behind a gap it goes on from there, and not in a burst */
    ck_assert(marl_degrader_feed(&l, &s, &seen));
    s = row_at(100001, 0);
    ck_assert(!marl_degrader_feed(&l, &s, &seen));
    s = row_at(100002, 0);
    ck_assert(marl_degrader_feed(&l, &s, &seen));
}
END_TEST

/* Counts and stamps against the binomial and the normal distribution; the same seed loses the same rows. */
START_TEST(drops_and_jitter)
{
    enum { ROWS = 20000 };
    const double sigma = 0.001;
    marl_degrader l = degrader_of((marl_degradation){.drop = 0.2, .jitter_s = sigma, .seed = 3});
    marl_degrader again = degrader_of((marl_degradation){.drop = 0.2, .jitter_s = sigma, .seed = 3});
    marl_sample seen, same;
    double squares = 0;
    int64_t before = INT64_MIN;
    int accepted = 0;
    for (int i = 0; i < ROWS; i++) {
        marl_sample s = row_at(i, 0);
        int kept = marl_degrader_feed(&l, &s, &seen);
        ck_assert_int_eq(kept, marl_degrader_feed(&again, &s, &same));
        if (kept) {
            double off = 1e-9 * (double)(seen.t_ns - s.t_ns);
            ck_assert(seen.t_ns > before && seen.t_ns == same.t_ns);
            before = seen.t_ns;
            squares += off * off;
            accepted++;
        }
    }
    ck_assert_double_eq_tol(accepted, 0.8 * ROWS, 4 * sqrt(ROWS * 0.8 * 0.2));
    ck_assert_double_eq_tol(sqrt(squares / accepted) / sigma, 1, 4 / sqrt(2.0 * accepted));
    l = degrader_of((marl_degradation){.jitter_s = 0.05}); /* ten steps: still no time goes back */
    before = INT64_MIN;
    for (int i = 0; i < 2000; i++) {
        marl_sample s = row_at(i, 0);
        ck_assert(marl_degrader_feed(&l, &s, &seen) && seen.t_ns > before);
        before = seen.t_ns;
    }
}
END_TEST

START_TEST(what_is_out_of_range)
{
    const marl_degradation wrong[] = {{.drop = 1},
                                      {.drop = -0.1},
                                      {.drop = (double)NAN},
                                      {.jitter_s = -1},
                                      {.rate_hz = -5},
                                      {.jitter_s = (double)INFINITY},
                                      {.every = 2, .rate_hz = 50}};
    marl_degrader degrader;
    for (size_t i = 0; i < sizeof wrong / sizeof wrong[0]; i++) {
        ck_assert_int_eq(marl_degrader_init(&degrader, &wrong[i]), MARL_ERR_ARGUMENT);
    }
    marl_degradation none = {0};
    marl_sample s = row_at(7, 1), seen;
    ck_assert_int_eq(marl_degrader_init(&degrader, &none), MARL_OK);
    ck_assert(marl_degrader_feed(&degrader, &s, &seen) &&
              memcmp(&s.accel, &seen.accel, sizeof s.accel) == 0 && s.t_ns == seen.t_ns &&
              s.fresh == seen.fresh);
}
END_TEST

/* A replay without losses is that of the rows; with them the attitudes stand at the times of their rows. */
START_TEST(a_replay_with_losses)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_LIFT, &sheet, 100, 60, 9);
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    marl_pipeline plain, thin;
    marl_series a, b;
    marl_error error = {0};
    marl_replay_options options = {0};
    log.info.columns |= 1u << MARL_COLUMN_T;
    ck_assert_int_eq(marl_replay_log(&plain, &log, &tuning, &options, &a, &error), MARL_OK);
    ck_assert_uint_eq(a.n, 6000);
    options.degradation = (marl_degradation){.every = 2, .drop = 0.1, .jitter_s = 0.002};
    ck_assert_int_eq(marl_replay_log(&thin, &log, &tuning, &options, &b, &error), MARL_OK);
    ck_assert_double_eq_tol((double)b.n, 2700, 4 * sqrt(3000 * 0.09));
    for (size_t i = 0; i < b.n; i++) {
        ck_assert_int_eq(b.at[i].t_ns % 20000000, 0);
    }
    options.degradation.drop = 2;
    marl_series none;
    ck_assert_int_eq(marl_replay_log(&thin, &log, &tuning, &options, &none, &error), MARL_ERR_USE);
    marl_series_free(&a);
    marl_series_free(&b);
    marl_log_free(&log);
}
END_TEST

/* The rows of the gap and no others are lost, whatever else is. */
START_TEST(a_gap_is_lost)
{
    marl_degrader l = degrader_of((marl_degradation){.gap = {1000000000, 2000000000}, .every = 2});
    marl_sample seen;
    int accepted = 0;
    for (int i = 0; i < 1000; i++) {
        marl_sample s = row_at(i, 0);
        if (marl_degrader_feed(&l, &s, &seen)) {
            ck_assert(seen.t_ns < 1000000000 || seen.t_ns >= 2000000000);
            accepted++;
        }
    }
    ck_assert_int_eq(accepted, 400); /* 5 s at 200 Hz without one, each second row */
    marl_degrader none;
    const marl_degradation upside_down = {.gap = {2, 1}};
    ck_assert_int_eq(marl_degrader_init(&none, &upside_down), MARL_ERR_ARGUMENT);
}
END_TEST

MARL_SUITE("degradation", thinning_keeps_the_newest, rates_are_met, drops_and_jitter, what_is_out_of_range,
           a_replay_with_losses, a_gap_is_lost)
