/* SPDX-License-Identifier: MIT
 * Verdicts on data that mislead: a board that turns slowly, a handling move among turns, repeated readings,
 * logs that differ from each other. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "memory_log.h"
#include "random_values.h"
#include <math.h>

static marl_log log_of(marl_scene_kind scene, double seconds, uint64_t seed)
{
    marl_sheet sheet = marl_sheet_grommet();
    return memory_log_simulated(scene, &sheet, 100, seconds, seed);
}

/* The whole bench turns steadily about an axis of the board. */
static void turn_log(marl_log *log, int axis, double rate)
{
    for (size_t i = 0; i < log->n; i++) {
        marl_sample *s = &log->row[i].sample;
        float half = (float)(-0.5e-9 * rate * (double)(s->t_ns - log->row[0].sample.t_ns));
        marl_quat q = {cosf(half), axis == 0 ? sinf(half) : 0, axis == 1 ? sinf(half) : 0,
                       axis == 2 ? sinf(half) : 0};
        float *w[3] = {&s->gyro.x, &s->gyro.y, &s->gyro.z};
        s->accel = marl_quat_rotate(q, s->accel);
        s->mag = marl_quat_rotate(q, s->mag);
        *w[axis] += (float)rate;
    }
}

/* 0.05 deg/s for a minute is 3 degrees: far beyond noise and drift, about any axis with a magnetometer. */
START_TEST(a_steady_turn_is_no_bias)
{
    const double rates[] = {0.05, 0.4, 3};
    for (int axis = 0; axis < 3; axis++) {
        for (int r = 0; r < 3; r++) {
            for (uint64_t seed = 1; seed <= 3; seed++) {
                marl_log log = log_of(MARL_SCENE_STILL, 60, seed);
                marl_still_result still;
                marl_calibration_record record = marl_calibration_record_empty();
                marl_error error = {0}, zero_error = {0};
                marl_span span;
                turn_log(&log, axis, rates[r] * MARL_DEGREE);
                ck_assert_int_eq(marl_calibrate_still(&log, &still, &error), MARL_ERR_INSUFFICIENT);
                ck_assert_int_eq(still.outcome.accepted, 0);
                ck_assert(still.outcome.next[0] != '\0');
                ck_assert(r != 0 || strstr(error.text, "the board turned slowly") != NULL);
                ck_assert(r != 0 || marl_zero(&log, &record, &span, &zero_error) == MARL_ERR_INSUFFICIENT);
                marl_log_free(&log);
            }
        }
    }
}
END_TEST

/* A turn that is too slow to be seen is in the standard error of the bias that it spoils, and not in those of the other axes
 * by more than it is known for them. */
START_TEST(a_turn_too_slow_to_be_seen_is_in_the_error)
{
    const double rates[] = {0.004, 0.01, 0.02, 0.03};
    int accepted = 0;
    double squares = 0;
    for (int r = 0; r < 4; r++) {
        for (uint64_t seed = 1; seed <= 10; seed++) {
            marl_log log = log_of(MARL_SCENE_STILL, seed % 2 ? 60 : 20, seed);
            marl_still_result clean, still;
            ck_assert_int_eq(marl_calibrate_still(&log, &clean, NULL), MARL_OK);
            turn_log(&log, 2, rates[r] * MARL_DEGREE);
            if (marl_calibrate_still(&log, &still, NULL) == MARL_OK) {
                double off = still.outcome.fit.bias[2] - clean.outcome.fit.bias[2];
                ck_assert_double_lt(fabs(off), 5 * still.outcome.fit.bias_sigma[2]);
                squares += pow(off / still.outcome.fit.bias_sigma[2], 2);
                accepted++;
            }
            marl_log_free(&log);
        }
    }
    ck_assert_int_ge(accepted, 20);
    ck_assert_double_lt(squares / accepted, 2);
}
END_TEST

/* Recordings at rest stay accepted; without a magnetometer it is said what cannot be seen; the bias of the
 * next ten minutes lies within three times its stated deviation. */
START_TEST(rest_is_still_accepted)
{
    for (uint64_t seed = 1; seed <= 12; seed++) {
        marl_log log = log_of(MARL_SCENE_STILL, seed % 2 ? 60 : 300, seed);
        marl_log later = log_of(MARL_SCENE_STILL, 900, seed);
        marl_still_result r;
        double mean[3] = {0};
        for (size_t i = 60000; i < later.n; i++) {
            mean[0] += (double)later.row[i].sample.gyro.x / 30000;
            mean[1] += (double)later.row[i].sample.gyro.y / 30000;
            mean[2] += (double)later.row[i].sample.gyro.z / 30000;
        }
        ck_assert_int_eq(marl_calibrate_still(&log, &r, NULL), MARL_OK);
        ck_assert_uint_eq(r.turn_seen_by, MARL_FRESH_ACCEL | MARL_FRESH_MAG);
        for (int k = 0; k < 3; k++) {
            ck_assert(r.later_seen[k] >= r.outcome.fit.bias_sigma[k] && r.later_sigma[k] > r.later_seen[k]);
            ck_assert_double_lt(fabs(r.outcome.fit.bias[k] - mean[k]), 3 * r.later_sigma[k]);
        }
        for (size_t i = 0; i < log.n; i++) {
            log.row[i].sample.fresh = (uint8_t)(log.row[i].sample.fresh & ~MARL_FRESH_MAG);
        }
        ck_assert_int_eq(marl_calibrate_still(&log, &r, NULL), MARL_OK);
        ck_assert_uint_eq(r.turn_seen_by, MARL_FRESH_ACCEL);
        marl_log_free(&log);
        marl_log_free(&later);
    }
}
END_TEST

/* A part that warms up: its bias drifts along a line, which is remarked, measured, and in the error, in the whole
 * recording and for the next ten minutes. Without it nothing is remarked. */
START_TEST(a_bias_that_drifts_is_remarked)
{
    const double a_minute = 0.115 * MARL_DEGREE;
    for (uint64_t seed = 31; seed <= 50; seed++) {
        double seconds = seed % 2 ? 60 : 300;
        marl_log log = log_of(MARL_SCENE_STILL, seconds, seed);
        marl_still_result plain, r;
        ck_assert_int_eq(marl_calibrate_still(&log, &plain, NULL), MARL_OK);
        ck_assert_str_eq(plain.outcome.remark, "");
        for (size_t i = 0; i < log.n; i++) {
            double t = 1e-9 * (double)(log.row[i].sample.t_ns - log.row[0].sample.t_ns);
            log.row[i].sample.gyro.y += (float)(a_minute * t / 60);
            log.row[i].sample.temp += (float)(4 * t / 60);
        }
        ck_assert_int_eq(marl_calibrate_still(&log, &r, NULL), MARL_OK);
        ck_assert_msg(strstr(r.outcome.remark, "the bias drifts steadily: gyro_y by +0.1") != NULL, "%s",
                      r.outcome.remark);
        ck_assert_msg(strstr(r.outcome.remark, "the temperature by +") != NULL, "%s", r.outcome.remark);
        ck_assert_double_eq_tol(r.drift[1], a_minute / 60, 0.15 * a_minute / 60);
        ck_assert(r.drift[0] == 0 && r.drift[2] == 0);
        double at_the_end = plain.outcome.fit.bias[1] + a_minute * seconds / 60;
        ck_assert_double_lt(fabs(r.outcome.fit.bias[1] - at_the_end), 2 * r.outcome.fit.bias_sigma[1]);
        ck_assert_double_gt(r.later_sigma[1], 10 * a_minute * 0.85);
        marl_log_free(&log);
    }
}
END_TEST

static void stretch_turn(marl_log *log, const marl_turn *turn, float by)
{
    for (size_t i = 0; i < log->n; i++) {
        marl_sample *s = &log->row[i].sample;
        if (s->t_ns >= turn->span.from_ns && s->t_ns <= turn->span.to_ns) {
            s->gyro = (marl_vec3){by * s->gyro.x, by * s->gyro.y, by * s->gyro.z};
        }
    }
}

/* One of eighteen turns goes 8.6 or 5.4 degrees further: it is left out, and the scales are as without it. */
START_TEST(a_handling_move_is_left_out)
{
    for (uint64_t seed = 1; seed <= 6; seed++) {
        marl_log log = log_of(MARL_SCENE_TURNS, 3 * marl_scene_seconds(MARL_SCENE_TURNS), seed);
        marl_turns_result clean, r;
        ck_assert_int_eq(marl_calibrate_turns(&log, 360 * MARL_DEGREE, &clean, NULL), MARL_OK);
        ck_assert_uint_eq(clean.left_out, 0);
        size_t which = (size_t)seed % clean.n;
        stretch_turn(&log, &clean.turn[which], seed % 2 ? 1.024f : 1.015f);
        ck_assert_int_eq(marl_calibrate_turns(&log, 360 * MARL_DEGREE, &r, NULL), MARL_OK);
        ck_assert_uint_eq(r.left_out, 1);
        ck_assert_int_eq(r.turn[which].used, 0);
        for (int k = 0; k < 3; k++) {
            ck_assert_double_eq_tol(r.outcome.fit.matrix[k][k], clean.outcome.fit.matrix[k][k], 5e-4);
        }
        marl_turns_result_free(&clean);
        marl_turns_result_free(&r);
        marl_log_free(&log);
    }
}
END_TEST

/* Where every turn is off by as much, none is the odd one. */
START_TEST(turns_that_all_scatter_are_kept)
{
    marl_log log = log_of(MARL_SCENE_TURNS, 3 * marl_scene_seconds(MARL_SCENE_TURNS), 7);
    marl_turns_result clean, r;
    ck_assert_int_eq(marl_calibrate_turns(&log, 360 * MARL_DEGREE, &clean, NULL), MARL_OK);
    for (size_t i = 0; i < clean.n; i++) {
        stretch_turn(&log, &clean.turn[i], i % 2 ? 1.015f : 0.985f);
    }
    ck_assert_int_eq(marl_calibrate_turns(&log, 360 * MARL_DEGREE, &r, NULL), MARL_OK);
    ck_assert_uint_eq(r.n, clean.n);
    ck_assert_uint_eq(r.left_out, 0);
    marl_turns_result_free(&clean);
    marl_turns_result_free(&r);
    marl_log_free(&log);
}
END_TEST

/* A slow magnetometer written with every row: the fit and its errors are those of its own readings. */
START_TEST(repeated_readings_are_no_readings)
{
    marl_log log = log_of(MARL_SCENE_TUMBLE, 60, 3), once = log_of(MARL_SCENE_TUMBLE, 60, 3);
    const marl_tumble_options options = {.field = NAN};
    marl_tumble_result a, b;
    marl_vec3 held = log.row[0].sample.mag;
    for (size_t i = 0; i < log.n; i++) {
        marl_sample *s = &log.row[i].sample;
        held = s->fresh & MARL_FRESH_MAG ? s->mag : held;
        s->mag = held;
        s->fresh |= MARL_FRESH_MAG;
    }
    ck_assert_int_eq(marl_calibrate_tumble(&once, &options, &a, NULL), MARL_OK);
    ck_assert_int_eq(marl_calibrate_tumble(&log, &options, &b, NULL), MARL_OK);
    ck_assert_uint_gt(b.repeats, log.n / 2);
    for (int k = 0; k < 3; k++) {
        ck_assert_double_eq_tol(a.outcome.fit.bias[k], b.outcome.fit.bias[k], 1e-6);
        ck_assert_double_eq_tol(a.outcome.fit.bias_sigma[k] / b.outcome.fit.bias_sigma[k], 1, 0.02);
    }
    marl_tumble_result_free(&a);
    marl_tumble_result_free(&b);
    marl_log_free(&log);
    marl_log_free(&once);
}
END_TEST

/* A calibration of the magnetometer by this tumble. */
static marl_calibration_record tumbled(const marl_log *log)
{
    const marl_tumble_options options = {.field = NAN};
    marl_calibration_record record = marl_calibration_record_empty();
    marl_tumble_result r;
    ck_assert_int_eq(marl_calibrate_tumble(log, &options, &r, NULL), MARL_OK);
    record.fit[MARL_MAG] = r.outcome.fit;
    marl_tumble_result_free(&r);
    return record;
}

/* The magnetometer's bias after another power-on, 0.05 uT of spread, is no failure; 0.35 uT along an axis,
 * most of a degree of heading, is one, though each reading has 0.4 uT of noise. */
START_TEST(a_magnetometer_bias_is_seen_through_the_noise)
{
    for (uint64_t seed = 1; seed <= 6; seed++) {
        marl_log log = log_of(MARL_SCENE_TUMBLE, 60, seed), other = log_of(MARL_SCENE_TUMBLE, 60, seed + 100);
        marl_calibration_record record = tumbled(&log);
        marl_verification v;
        ck_assert_int_eq(marl_verify(&record, &other, MARL_STANDARD_GRAVITY, &v, NULL), MARL_OK);
        ck_assert_msg(v.holds, "seed %d: %g %g %g", (int)seed, v.mag_bias[0], v.mag_bias[1], v.mag_bias[2]);
        int axis = (int)(seed % 3);
        for (size_t i = 0; i < log.n; i++) {
            float *m[3] = {&log.row[i].sample.mag.x, &log.row[i].sample.mag.y, &log.row[i].sample.mag.z};
            *m[axis] += 0.35f;
        }
        ck_assert_int_eq(marl_verify(&record, &log, MARL_STANDARD_GRAVITY, &v, NULL), MARL_OK);
        ck_assert_int_eq(v.holds, 0);
        ck_assert_double_eq_tol(v.mag_bias[axis], 0.35, 0.02);
        ck_assert_double_lt(v.mag_bias_limit[axis], 0.35);
        marl_log_free(&log);
        marl_log_free(&other);
    }
}
END_TEST

/* One percent in a row of the magnetometer's matrix is found; the calibration itself, on another tumble, is not. */
START_TEST(a_row_of_the_magnetometers_matrix_is_seen)
{
    int held = 0, found = 0;
    for (uint64_t seed = 201; seed <= 212; seed++) {
        marl_log log = log_of(MARL_SCENE_TUMBLE, 60, seed), other = log_of(MARL_SCENE_TUMBLE, 60, seed + 100);
        marl_calibration_record record = tumbled(&log);
        marl_verification v;
        ck_assert_int_eq(marl_verify(&record, &other, MARL_STANDARD_GRAVITY, &v, NULL), MARL_OK);
        ck_assert(isfinite(v.mag_matrix_z));
        held += v.holds;
        for (int k = 0; k < 3; k++) {
            record.fit[MARL_MAG].matrix[seed % 3][k] *= 1.01;
        }
        ck_assert_int_eq(marl_verify(&record, &other, MARL_STANDARD_GRAVITY, &v, NULL), MARL_OK);
        found += !v.holds;
        marl_log_free(&log);
        marl_log_free(&other);
    }
    ck_assert_int_ge(held, 11);
    ck_assert_int_ge(found, 11);
}
END_TEST

/* A calibration that states a large error of its bias is not failed by a drift within it. */
START_TEST(the_error_that_a_calibration_states_counts)
{
    for (uint64_t seed = 1; seed <= 8; seed++) {
        marl_log log = log_of(MARL_SCENE_TUMBLE, 60, seed);
        marl_calibration_record record = tumbled(&log);
        marl_verification v;
        record.fit[MARL_MAG].bias[seed % 3] += 0.9;
        ck_assert_int_eq(marl_verify(&record, &log, MARL_STANDARD_GRAVITY, &v, NULL), MARL_OK);
        ck_assert_int_eq(v.holds, 0);
        for (int k = 0; k < 3; k++) {
            record.fit[MARL_MAG].bias_sigma[k] = 1.1;
        }
        ck_assert_int_eq(marl_verify(&record, &log, MARL_STANDARD_GRAVITY, &v, NULL), MARL_OK);
        ck_assert_int_eq(v.holds, 1);
        marl_log_free(&log);
    }
}
END_TEST

/* Some readings that are broken make no calibration wrong: they are left out and counted. A hard iron of 5 uT is no broken
 * reading, whether or not there are such besides. */
START_TEST(broken_readings_are_left_out_of_the_verification)
{
    dice d = {79};
    for (uint64_t seed = 1; seed <= 4; seed++) {
        marl_log log = log_of(MARL_SCENE_TUMBLE, 60, seed), other = log_of(MARL_SCENE_TUMBLE, 60, seed + 100);
        const marl_tumble_options options = {.field = NAN};
        marl_calibration_record record = marl_calibration_record_empty();
        marl_tumble_result r;
        marl_verification v;
        size_t broken = 0;
        ck_assert_int_eq(marl_calibrate_tumble(&log, &options, &r, NULL), MARL_OK);
        record.fit[MARL_MAG] = r.outcome.fit;
        for (size_t i = 0; i < other.n; i++) {
            marl_sample *s = &other.row[i].sample;
            if ((s->fresh & MARL_FRESH_MAG) && dice_between(&d, 0, 1) < 0.004) {
                s->mag.y += broken % 2 ? 400 : -900; /* a byte that was torn */
                broken++;
            }
        }
        ck_assert_int_eq(marl_verify(&record, &other, MARL_STANDARD_GRAVITY, &v, NULL), MARL_OK);
        ck_assert(broken > 2 && v.holds);
        ck_assert_uint_eq(v.sensor[MARL_MAG].left_out, broken);
        for (size_t i = 0; i < other.n; i++) {
            other.row[i].sample.mag.x += 5;
        }
        ck_assert_int_eq(marl_verify(&record, &other, MARL_STANDARD_GRAVITY, &v, NULL), MARL_OK);
        ck_assert_int_eq(v.holds, 0);
        ck_assert_uint_eq(v.sensor[MARL_MAG].left_out, broken);
        marl_tumble_result_free(&r);
        marl_log_free(&log);
        marl_log_free(&other);
    }
}
END_TEST

static marl_comparison errors_of(double level, dice *d)
{
    enum { N = 600 };
    marl_comparison c = {.n = N, .t_ns = calloc(N, sizeof *c.t_ns), .error = calloc(N, sizeof *c.error)};
    for (size_t i = 0; i < N; i++) {
        double e = fabs(level * dice_normal(d));
        c.t_ns[i] = (int64_t)i * 100000000;
        c.error[i] = (marl_error_angles){e, e, e};
    }
    return c;
}

/* Logs whose levels vary by a factor of 1.5 and more, the second tuning's by its own besides: the interval of the ratio holds that of
 * the levels in 95 of 100 groups, as Student's t promises for logarithms that are nearly normal; 400 groups have a
 * deviation of 1.1 of 100. Both sides of it err alike. */
static void check_groups(int logs, double ratio, double scatter, dice *d)
{
    enum { GROUPS = 400, MAX_LOGS = 10 };
    int below = 0, above = 0, wrong = 0;
    for (int g = 0; g < GROUPS; g++) {
        marl_comparison c[2 * MAX_LOGS];
        const marl_comparison *of[2 * MAX_LOGS];
        marl_rank rank[2];
        for (int i = 0; i < logs; i++) {
            double level = exp(0.4 * dice_normal(d));
            c[i] = errors_of(level, d);
            c[logs + i] = errors_of(level * ratio * exp(scatter * dice_normal(d)), d);
            of[i] = &c[i];
            of[logs + i] = &c[logs + i];
        }
        ck_assert_int_eq(
            marl_rank_tunings(&(marl_contest){of, 2, (size_t)logs, MARL_RANK_BY_TOTAL}, rank, NULL), MARL_OK);
        double wanted = rank[0].tuning == 0 ? ratio : 1 / ratio;
        below += wanted < rank[1].ratio_low;
        above += wanted > rank[1].ratio_high;
        wrong += marl_rank_is_worse_elsewhere(&rank[1]) && wanted < 1;
        for (int i = 0; i < 2 * logs; i++) {
            marl_comparison_free(&c[i]);
        }
    }
    ck_assert_msg(below + above >= GROUPS * 2 / 100 && below + above <= GROUPS * 8 / 100,
                  "%d logs: %d below, %d above", logs, below, above);
    ck_assert_int_le(wrong, GROUPS / 100);
}

START_TEST(a_ratio_over_logs_holds_for_further_logs)
{
    dice d = {77};
    check_groups(3, 1.3, 0.3, &d);
    check_groups(10, 1.3, 0.3, &d);
    check_groups(5, 1.05, 0.05, &d);
}
END_TEST

/* Three logs that agree by factors, of which the third has small errors: worse on all of them. */
START_TEST(logs_that_agree_are_not_undecided)
{
    const double level[2][3] = {{1.0, 0.9, 0.3}, {16, 15, 2.4}};
    dice d = {78};
    marl_comparison c[6];
    const marl_comparison *of[6];
    marl_rank rank[2];
    for (int i = 0; i < 6; i++) {
        c[i] = errors_of(level[i / 3][i % 3], &d);
        of[i] = &c[i];
    }
    ck_assert_int_eq(marl_rank_tunings(&(marl_contest){of, 2, 3, MARL_RANK_BY_TOTAL}, rank, NULL), MARL_OK);
    ck_assert_uint_eq(rank[0].tuning, 0);
    ck_assert_double_eq_tol(rank[1].ratio, cbrt(16 * 15 / 0.9 * 8), 1);
    ck_assert(marl_rank_is_worse(&rank[1]) && marl_rank_is_worse_elsewhere(&rank[1]));
    for (int i = 0; i < 6; i++) {
        marl_comparison_free(&c[i]);
    }
}
END_TEST

/* Readings are repeats where all three axes are the same: one axis that moves makes another reading. */
START_TEST(one_axis_makes_another_reading)
{
    for (int axis = 0; axis < 3; axis++) {
        marl_log log = log_of(MARL_SCENE_TUMBLE, 60, 3);
        const marl_tumble_options options = {.field = NAN};
        marl_tumble_result r;
        size_t pairs = 0;
        marl_vec3 last = {0, 0, 0};
        for (size_t i = 0, n = 0; i < log.n;
             i++) { /* every second reading differs from the one before in one axis */
            marl_sample *s = &log.row[i].sample;
            if (!(s->fresh & MARL_FRESH_MAG)) {
                continue;
            }
            if (n++ % 2 == 1) {
                float *now = &s->mag.x, moved[3] = {last.x, last.y, last.z};
                moved[axis] += 0.01f;
                memcpy(now, moved, sizeof moved);
                pairs++;
            }
            last = s->mag;
        }
        (void)!marl_calibrate_tumble(&log, &options, &r, NULL);
        ck_assert_uint_gt(pairs, 100);
        ck_assert_uint_eq(r.repeats, 0);
        marl_tumble_result_free(&r);
        marl_log_free(&log);
    }
}
END_TEST

/* An axis that keeps one value in most readings is stuck, also when it moves in some. */
START_TEST(an_axis_stuck_most_of_the_time_is_refused)
{
    for (int share = 1; share < 10; share += 4) { /* of ten parts of the recording */
        marl_log log = log_of(MARL_SCENE_TUMBLE, 60, 3);
        const marl_tumble_options options = {.field = NAN};
        marl_tumble_result r;
        marl_error error = {0};
        for (size_t i = 0; i < log.n * (size_t)share / 10; i++) {
            log.row[i].sample.mag.y = 3;
        }
        marl_status status = marl_calibrate_tumble(&log, &options, &r, &error);
        ck_assert_int_eq(strstr(error.text, "mag_y is stuck") != NULL, share > 5);
        ck_assert(share <= 5 || status == MARL_ERR_INSUFFICIENT);
        marl_tumble_result_free(&r);
        marl_log_free(&log);
    }
}
END_TEST

MARL_SUITE("verdicts", a_steady_turn_is_no_bias, a_turn_too_slow_to_be_seen_is_in_the_error,
           CAMPAIGN(rest_is_still_accepted), a_bias_that_drifts_is_remarked, a_handling_move_is_left_out,
           turns_that_all_scatter_are_kept, repeated_readings_are_no_readings,
           a_magnetometer_bias_is_seen_through_the_noise, a_row_of_the_magnetometers_matrix_is_seen,
           the_error_that_a_calibration_states_counts, broken_readings_are_left_out_of_the_verification,
           a_ratio_over_logs_holds_for_further_logs, logs_that_agree_are_not_undecided,
           one_axis_makes_another_reading, an_axis_stuck_most_of_the_time_is_refused)
