/* SPDX-License-Identifier: MIT
 * What the board was doing, on scenes whose script is known. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "memory_log.h"

/* Share of [from, to) seconds in which a condition holds. */
static double share(const marl_spans *spans, double from, double to)
{
    size_t at = 0;
    int held = 0, n = 0;
    for (double t = from; t < to; t += 0.05) {
        held += marl_spans_hold(spans, (int64_t)(t * 1e9), &at);
        n++;
    }
    return (double)held / n;
}

static marl_conditions conditions_of(marl_scene_kind scene, double seconds, uint64_t seed)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(scene, &sheet, 100, seconds, seed);
    marl_series truth;
    marl_conditions c;
    marl_error error = {0};
    log.info.columns |= MARL_COLUMNS_Q;
    ck_assert_int_eq(marl_series_from_log(&truth, &log, &error), MARL_OK);
    ck_assert_int_eq(marl_conditions_find(&log, NULL, &truth, &c, &error), MARL_OK);
    marl_series_free(&truth);
    marl_log_free(&log);
    return c;
}

/* Scripts as in the scenes: rest until 5 or 10 s, a slew from 18 to 82 s, vibration from 7 to 53 s. */
START_TEST(slew_and_shake)
{
    for (uint64_t seed = 1; seed <= 3; seed++) {
        marl_conditions c = conditions_of(MARL_SCENE_SLEW, 100, seed);
        ck_assert_double_gt(share(&c.spans[MARL_CONDITION_STILL], 1, 9), 0.95);
        ck_assert_double_gt(share(&c.spans[MARL_CONDITION_TURNING], 20, 80), 0.99); /* 11 deg/s and more */
        ck_assert_double_lt(share(&c.spans[MARL_CONDITION_TURNING], 0, 10), 0.001);
        ck_assert_double_lt(share(&c.spans[MARL_CONDITION_SHAKING], 0, 100), 0.001);
        ck_assert_double_lt(share(&c.spans[MARL_CONDITION_DISTURBED], 0, 100), 0.001);
        marl_conditions_free(&c);
        c = conditions_of(MARL_SCENE_SHAKE, 60, seed);
        ck_assert_double_gt(share(&c.spans[MARL_CONDITION_SHAKING], 8, 52), 0.99);
        ck_assert_double_lt(share(&c.spans[MARL_CONDITION_SHAKING], 0, 5), 0.001);
        ck_assert_double_gt(share(&c.spans[MARL_CONDITION_STILL], 56, 59), 0.6);
        marl_conditions_free(&c);
    }
}
END_TEST

/* Three columns of 15 to 30 uT are passed in 4 s each, at 15, 37 and 59 s give or take three. */
START_TEST(steel_disturbs)
{
    for (uint64_t seed = 1; seed <= 3; seed++) {
        marl_conditions c = conditions_of(MARL_SCENE_STEEL, 90, seed);
        const marl_spans *d = &c.spans[MARL_CONDITION_DISTURBED];
        double seconds = marl_spans_seconds(d);
        ck_assert_uint_ge(d->n, 3);
        ck_assert(seconds > 3 * 1.0 && seconds < 3 * 4.5);
        for (int i = 0; i < 3; i++) {
            ck_assert_double_gt(share(d, 10 + 22 * i, 20 + 22 * i), 0.1);
        }
        ck_assert_double_lt(share(d, 0, 9), 0.001);
        ck_assert_double_lt(share(d, 66, 90), 0.001);
        marl_conditions_free(&c);
    }
}
END_TEST

/* Where the reference says nothing, only rest is known. */
START_TEST(beyond_the_reference)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_SHAKE, &sheet, 100, 60, 4);
    marl_series truth;
    marl_conditions c;
    marl_error error = {0};
    log.info.columns |= MARL_COLUMNS_Q;
    ck_assert_int_eq(marl_series_from_log(&truth, &log, &error), MARL_OK);
    truth.n = 3000;
    ck_assert_int_eq(marl_conditions_find(&log, NULL, &truth, &c, &error), MARL_OK);
    ck_assert_double_gt(share(&c.spans[MARL_CONDITION_SHAKING], 8, 29), 0.99);
    ck_assert_double_lt(share(&c.spans[MARL_CONDITION_SHAKING], 31, 60), 0.001);
    ck_assert_double_gt(share(&c.spans[MARL_CONDITION_STILL], 56, 59), 0.6);
    ck_assert_str_eq(marl_condition_name(MARL_CONDITION_DISTURBED), "disturbed");
    marl_conditions_free(&c);
    marl_series_free(&truth);
    marl_log_free(&log);
}
END_TEST

/* Turning is 5 deg/s from end to end of half a second: a reference that turns evenly, slower and faster. */
START_TEST(turning_begins_at_five_degrees_a_second)
{
    static const double rates[] = {1, 3, 4.5, 5.5, 7, 20};
    for (size_t k = 0; k < sizeof rates / sizeof rates[0]; k++) {
        marl_sheet sheet = marl_sheet_grommet();
        marl_log log = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 20, 3);
        marl_series truth = {.n = log.n, .at = calloc(log.n, sizeof(marl_attitude))};
        marl_conditions c;
        for (size_t i = 0; i < log.n; i++) {
            double angle = rates[k] * MARL_DEGREE * 0.01 * (double)i;
            truth.at[i].t_ns = log.row[i].sample.t_ns;
            truth.at[i].q =
                marl_quat_canonical((marl_quat){(float)cos(angle / 2), 0, 0, (float)sin(angle / 2)});
        }
        ck_assert_int_eq(marl_conditions_find(&log, NULL, &truth, &c, NULL), MARL_OK);
        double turning = marl_spans_seconds(&c.spans[MARL_CONDITION_TURNING]);
        ck_assert_msg(rates[k] < 5 ? turning < 0.01 : turning > 19, "%g deg/s: %g s", rates[k], turning);
        marl_conditions_free(&c);
        marl_series_free(&truth);
        marl_log_free(&log);
    }
}
END_TEST

MARL_SUITE("conditions", slew_and_shake, steel_disturbs, beyond_the_reference,
           turning_begins_at_five_degrees_a_second)
