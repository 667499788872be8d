/* SPDX-License-Identifier: MIT
 * The smoother against the truth of the simulator: better than any filter that runs along, and as sure as it
 * states. */
#include "calibrated_log.h"
#include "check_main.h"
#include "marlinspike/lab.h"
#include "memory_log.h"
#include <math.h>

static double kalman_rms(const marl_log *log)
{
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    marl_replay_options options = {.degradation = {.every = 1}};
    marl_pipeline pipeline;
    marl_series estimate;
    double squares = 0;
    size_t n = 0;
    ck_assert_int_eq(marl_replay_log(&pipeline, log, &tuning, &options, &estimate, NULL), MARL_OK);
    for (size_t i = 0; i < estimate.n; i++, n++) {
        squares +=
            pow(marl_error_between(estimate.at[i].q, log->row[i + log->n - estimate.n].q).total_deg, 2);
    }
    marl_series_free(&estimate);
    return sqrt(squares / (double)n);
}

static const marl_scene_kind scenes[] = {MARL_SCENE_LIFT, MARL_SCENE_SLEW, MARL_SCENE_HANDLE,
                                         MARL_SCENE_CARRY, MARL_SCENE_SWING};

/* Over four seeds of a scene the mean of squared error over variance is near 1, and a filter is far worse.
 * The bounds of single scenes are those of docs/methods/smoother.md. */
START_TEST(it_beats_the_filter_with_true_standard_deviations)
{
    double smoothed = 0, kalman = 0, tilt = 0, heading = 0;
    enum { SEEDS = 4 };
    for (uint64_t seed = 31; seed < 31 + SEEDS; seed++) {
        marl_log log = corrected_log(scenes[_i], 90, seed);
        marl_smoothed s;
        marl_error error = {0};
        double rms, t, h;
        ck_assert_msg(marl_smooth(&log, NULL, &s, &error) == MARL_OK, "%s", error.text);
        ck_assert_uint_eq(s.n, log.n);
        errors_of(&log, &s, &rms, &t, &h);
        smoothed += rms * rms / SEEDS;
        kalman += pow(kalman_rms(&log), 2) / SEEDS;
        tilt += t / SEEDS;
        heading += h / SEEDS;
        marl_smoothed_free(&s);
        marl_log_free(&log);
    }
    ck_assert_double_lt(sqrt(smoothed), 0.7 * sqrt(kalman));
    ck_assert_double_lt(sqrt(smoothed), 0.5);
    ck_assert(tilt > 0.08 && tilt < 2.5);
    ck_assert(heading > 0.03 && heading < 2.5);
}
END_TEST

/* At rest and between slow turns the direction of gravity is what was measured, and as sure as stated. */
START_TEST(at_rest_tilt_is_as_sure_as_stated)
{
    static const marl_scene_kind quiet[] = {MARL_SCENE_STILL, MARL_SCENE_TURNS};
    for (int k = 0; k < 2; k++) {
        double tilt = 0;
        enum { SEEDS = 2 };
        for (uint64_t seed = 40; seed < 40 + SEEDS; seed++) {
            marl_log log = corrected_log(quiet[k], 60, seed);
            marl_smoothed s;
            double rms, t, heading;
            ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
            errors_of(&log, &s, &rms, &t, &heading);
            tilt += t / SEEDS;
            marl_smoothed_free(&s);
            marl_log_free(&log);
        }
        ck_assert_msg(tilt > 0.02 && tilt < 2.5, "%s: %.2f", marl_scene_name(quiet[k]), tilt);
    }
}
END_TEST

/* Without a magnetometer the heading is relative: exact at the start, and less sure from there. */
START_TEST(without_a_magnetometer_the_heading_is_relative)
{
    marl_log log = corrected_log(MARL_SCENE_LIFT, 90, 7);
    marl_smoothed s;
    double start = 0, worst = 0;
    log.info.columns &= ~MARL_COLUMNS_MAG;
    for (size_t i = 0; i < log.n; i++) {
        log.row[i].sample.fresh = (uint8_t)(log.row[i].sample.fresh & ~MARL_FRESH_MAG);
    }
    ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
    ck_assert_int_eq(s.heading_is_magnetic, 0);
    ck_assert(s.row[0].sigma_heading < s.row[s.n - 1].sigma_heading);
    for (size_t i = 0; i < s.n; i += 100) {
        double heading = marl_error_between(s.row[i].q, log.row[i].q).heading_deg;
        start = i == 0 ? heading : start;
        double off = remainder(heading - start, 360) * MARL_DEGREE;
        worst = fmax(worst, fabs(off) / hypot((double)s.row[i].sigma_heading, 1e-4));
    }
    ck_assert_double_lt(worst, 5);
    marl_smoothed_free(&s);
    marl_log_free(&log);
}
END_TEST

/* Rows that are missing in motion: the standard deviation grows there and holds. */
START_TEST(a_gap_in_motion_is_less_sure)
{
    marl_log log = corrected_log(MARL_SCENE_HANDLE, 90, 9);
    marl_smoothed whole, cut;
    double rms, tilt, heading;
    ck_assert_int_eq(marl_smooth(&log, NULL, &whole, NULL), MARL_OK);
    size_t from = 4000, gone = 150;
    memmove(log.row + from, log.row + from + gone, (log.n - from - gone) * sizeof *log.row);
    log.n -= gone;
    marl_error error = {0};
    ck_assert_msg(marl_smooth(&log, NULL, &cut, &error) == MARL_OK, "%s", error.text);
    ck_assert_double_eq_tol(cut.longest_gap_s, 1.51, 0.011);
    ck_assert(cut.row[from].sigma_heading > whole.row[from].sigma_heading);
    errors_of(&log, &cut, &rms, &tilt, &heading);
    ck_assert_double_lt(tilt, 5);
    ck_assert_double_lt(heading, 5);
    marl_smoothed_free(&whole);
    marl_smoothed_free(&cut);
    marl_log_free(&log);
}
END_TEST

START_TEST(what_cannot_be_smoothed_is_refused_with_its_reason)
{
    marl_smoothed s;
    marl_error error = {0};
    marl_calibration_record record = marl_calibration_record_empty();
    marl_log brief = corrected_log(MARL_SCENE_LIFT, 8, 1), log = corrected_log(MARL_SCENE_LIFT, 20, 1);
    ck_assert_int_eq(marl_smooth(&brief, NULL, &s, &error), MARL_ERR_INSUFFICIENT);
    ck_assert_ptr_nonnull(strstr(error.text, "10 s are needed"));
    error = (marl_error){0};
    ck_assert_int_eq(
        marl_smooth(&log, &(marl_smooth_options){.record = &record, .record_path = "c.json"}, &s, &error),
        MARL_ERR_INPUT);
    ck_assert_ptr_nonnull(strstr(error.text, "corrected already"));
    log.info.columns &= ~MARL_COLUMNS_GYRO;
    ck_assert_int_eq(marl_smooth(&log, NULL, &s, &error), MARL_ERR_INSUFFICIENT);
    ck_assert(s.row == NULL && s.knot == NULL);
    marl_log_free(&brief);
    marl_log_free(&log);
}
END_TEST

/* The same rest again after the board was turned away: found, and its misclosure is as small as stated;
 * another attitude is no closure. */
START_TEST(closures_are_found)
{
    marl_log log = corrected_log(MARL_SCENE_TURNS, 72, 8);
    marl_smoothed s;
    marl_closures c;
    ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
    ck_assert_int_eq(marl_smooth_closures(&log, &s, &c, NULL), MARL_OK);
    ck_assert_uint_ge(c.n, 3);
    ck_assert_int_lt(c.at[0].first.from_ns, 2000000000); /* the first rest, which nothing went before */
    for (size_t i = 0; i < c.n; i++) {
        ck_assert(c.at[i].first.to_ns < c.at[i].again.from_ns && c.at[i].away_deg > 90);
        ck_assert_msg(c.at[i].error_deg < 3 * c.at[i].sigma_deg && c.at[i].sigma_deg < 0.5, "%.3f +- %.3f",
                      c.at[i].error_deg, c.at[i].sigma_deg);
        const marl_log_row *a = &log.row[(c.at[i].first.from_ns + c.at[i].first.to_ns) / 20000000];
        const marl_log_row *b = &log.row[(c.at[i].again.from_ns + c.at[i].again.to_ns) / 20000000];
        ck_assert_double_lt(marl_error_between(a->q, b->q).total_deg, 0.5);
        double away = 0;
        for (const marl_log_row *now = a; now < b; now++) {
            away = fmax(away, marl_error_between(a->q, now->q).total_deg);
        }
        ck_assert_double_eq_tol(c.at[i].away_deg, away, 1);
    }
    marl_smoothed_free(&s);
    marl_log_free(&log);
    log = corrected_log(MARL_SCENE_POSES, 72, 8);
    ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
    ck_assert_int_eq(marl_smooth_closures(&log, &s, &c, NULL), MARL_OK);
    ck_assert_uint_eq(c.n, 0);
    marl_smoothed_free(&s);
    marl_log_free(&log);
}
END_TEST

typedef struct watched {
    double last;
    int calls, forwards;
} watched;

static void watch(void *context, double share)
{
    watched *w = context;
    w->forwards += share > w->last;
    w->calls++;
    w->last = share;
}

/* Leaves the first and last two minutes and those around the middle, where the windows meet. */
static void thin_out(marl_log *log)
{
    size_t n = 0;
    for (size_t i = 0; i < log->n; i++) {
        double t = 1e-9 * (double)log->row[i].sample.t_ns;
        if (t < 120 || (t > 2650 && t < 2950) || t > 5480) {
            log->row[n++] = log->row[i];
        }
    }
    log->n = n;
}

/* A log of over 90 minutes is smoothed in windows: every row is there once, and nothing jumps at a seam. */
/* A clock that jumps by a billion seconds: both sides are smoothed, each for itself; a side that is too short is left
 * out, and without a magnetometer all but the longest. */
START_TEST(a_jump_of_the_clock_leaves_both_sides)
{
    static const struct {
        size_t at;
        int mag;
        unsigned pieces;
        unsigned long left_out;
    } jumps[] = {{4000, 1, 2, 0}, {8500, 1, 1, 500}, {4000, 0, 1, 4000}};
    for (size_t j = 0; j < sizeof jumps / sizeof jumps[0]; j++) {
        marl_log log = corrected_log(MARL_SCENE_HANDLE, 90, 9);
        marl_smoothed s;
        marl_error error = {0};
        log.info.columns &= jumps[j].mag ? ~0u : ~MARL_COLUMNS_MAG;
        for (size_t i = 0; i < log.n; i++) {
            marl_sample *to = &log.row[i].sample;
            to->t_ns += i >= jumps[j].at ? INT64_C(1000000000000000000) : 0;
            to->fresh = (uint8_t)(jumps[j].mag ? to->fresh : to->fresh & ~MARL_FRESH_MAG);
        }
        ck_assert_msg(marl_smooth(&log, NULL, &s, &error) == MARL_OK, "%s", error.text);
        ck_assert_uint_eq(s.pieces, jumps[j].pieces);
        ck_assert_uint_eq(s.rows_left_out, jumps[j].left_out);
        ck_assert_uint_eq(s.n, log.n - jumps[j].left_out);
        ck_assert_double_eq_tol(s.longest_gap_s, 1e9, 1);
        for (size_t i = 0; i < s.n && jumps[j].mag; i++) { /* what is left out is at the end */
            ck_assert(log.row[i].sample.t_ns == s.row[i].t_ns);
            double off = marl_error_between(s.row[i].q, log.row[i].q).total_deg * MARL_DEGREE;
            ck_assert_double_lt(off, 5 * hypot((double)s.row[i].sigma_tilt, (double)s.row[i].sigma_heading));
        }
        marl_smoothed_free(&s);
        marl_log_free(&log);
    }
}
END_TEST

START_TEST(a_long_log_is_smoothed_in_windows)
{
    marl_sheet sheet = calibrated_sheet();
    marl_log log = memory_log_simulated(MARL_SCENE_CARRY, &sheet, 20, 5600, 12);
    marl_smoothed s;
    marl_error error = {0};
    double squares = 0;
    watched seen = {0, 0, 0};
    const marl_smooth_options how = {.progress = watch, .progress_context = &seen};
    log.info.corrected = 1;
    thin_out(&log);
    ck_assert_msg(marl_smooth(&log, &how, &s, &error) == MARL_OK, "%s", error.text);
    ck_assert(seen.calls >= 8 && seen.forwards == seen.calls);
    ck_assert_double_eq_tol(seen.last, 1, 1e-9);
    ck_assert_uint_eq(s.n, log.n);
    for (size_t i = 0; i < s.n; i++) {
        ck_assert(s.row[i].t_ns == log.row[i].sample.t_ns);
        double off = marl_error_between(s.row[i].q, log.row[i].q).total_deg;
        double sigma = hypot((double)s.row[i].sigma_tilt, (double)s.row[i].sigma_heading) / MARL_DEGREE;
        ck_assert_msg(off < 6 * sigma, "row %zu: %.2f +- %.2f", i, off, sigma);
        squares += off * off / (double)s.n;
    }
    ck_assert_double_lt(sqrt(squares), 0.3);
    for (size_t i = 1; i < s.knots; i++) {
        ck_assert(s.knot[i].t_ns > s.knot[i - 1].t_ns);
    }
    ck_assert_int_le(s.knot[0].t_ns, 1000000000);
    ck_assert_int_ge(s.knot[s.knots - 1].t_ns, log.row[log.n - 1].sample.t_ns - 1000000000);
    marl_smoothed_free(&s);
    marl_log_free(&log);
}
END_TEST

MARL_SUITE_OF_TRIALS("smooth", scenes, it_beats_the_filter_with_true_standard_deviations,
                     at_rest_tilt_is_as_sure_as_stated, without_a_magnetometer_the_heading_is_relative,
                     a_gap_in_motion_is_less_sure, what_cannot_be_smoothed_is_refused_with_its_reason,
                     closures_are_found, a_jump_of_the_clock_leaves_both_sides,
                     CAMPAIGN(a_long_log_is_smoothed_in_windows))
