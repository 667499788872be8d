/* SPDX-License-Identifier: MIT
 * Times that are those of reception, or of a coarse clock: seen by the readings, and set evenly; true times stay. */
#include "check_main.h"
#include "marlinspike/inspect.h"
#include "marlinspike/smooth.h"
#include "memory_log.h"
#include "row_time_faults.h"

static const marl_scene_kind scenes[] = {MARL_SCENE_HANDLE, MARL_SCENE_CARRY, MARL_SCENE_SHAKE,
                                         MARL_SCENE_WHIRL,  MARL_SCENE_DRIVE, MARL_SCENE_STEEL};
#define RATE_HZ 100.0
#define STEP_NS INT64_C(10000000)

static marl_log scene_log(marl_scene_kind scene, double rate_hz)
{
    marl_sheet sheet = marl_sheet_grommet();
    return memory_log_simulated(scene, &sheet, rate_hz, 60, 17);
}

/* The true times, to be freed. */
static int64_t *spoil_times(marl_log *log, time_fault fault)
{
    int64_t *true_ns = malloc(log->n * sizeof *true_ns), last_ns = 0;
    dice d = {(uint64_t)fault};
    for (size_t i = 0; i < log->n; i++) {
        true_ns[i] = log->row[i].sample.t_ns;
        last_ns = faulty_time(fault, i, true_ns[i], STEP_NS, last_ns, &d);
        log->row[i].sample.t_ns = last_ns;
    }
    return true_ns;
}

/* Deviation of what the times are late by, ms. */
static double scatter_ms(const marl_log *log, const int64_t *true_ns)
{
    double sum = 0, squares = 0, n = (double)log->n;
    for (size_t i = 0; i < log->n; i++) {
        double late = 1e-6 * (double)(log->row[i].sample.t_ns - true_ns[i]);
        sum += late / n;
        squares += late * late / n;
    }
    return sqrt(squares - sum * sum);
}

static void check_rising(const marl_log *log)
{
    for (size_t i = 1; i < log->n; i++) {
        ck_assert(log->row[i].sample.t_ns > log->row[i - 1].sample.t_ns);
    }
}

/* Motion that shows within some readings when they were taken. */
static int is_quick(marl_scene_kind scene)
{
    return scene != MARL_SCENE_DRIVE && scene != MARL_SCENE_STEEL;
}

/* The mean of some hundred rows, weighted to the middle, is an eighth and less as wide as their scatter, and twice that at the
 * ends; those that wait for the row before are not independent. */
static void faults_are_found_and_set_evenly(marl_scene_kind scene)
{
    for (int fault = TIME_IS_TRUE + 1; fault < TIME_FAULTS; fault++) {
        marl_log log = scene_log(scene, RATE_HZ);
        int64_t *true_ns = spoil_times(&log, (time_fault)fault);
        double before = scatter_ms(&log, true_ns);
        marl_row_times times;
        ck_assert_int_eq(marl_row_times_find(&log, &times, NULL), MARL_OK);
        int is_seen = is_quick(scene) || fault == TIME_OF_PACKET;
        ck_assert_msg(times.are_uneven == is_seen, "fault %d: %g times", fault, times.gain);
        ck_assert_double_eq_tol(times.step_s, 1 / RATE_HZ, 1e-3 / RATE_HZ);
        ck_assert_double_eq_tol(1e3 * times.scatter_s, before, 0.15 * before);
        ck_assert_int_eq(marl_row_times_set_even(&log, &times, NULL), MARL_OK);
        ck_assert_uint_eq(times.breaks, 0);
        ck_assert_msg(scatter_ms(&log, true_ns) < 0.25 * before, "fault %d: %g of %g ms", fault,
                      scatter_ms(&log, true_ns), before);
        check_rising(&log);
        ck_assert_int_eq(marl_row_times_find(&log, &times, NULL), MARL_OK);
        ck_assert(!times.are_uneven);
        free(true_ns);
        marl_log_free(&log);
    }
}

/* Even rows at any rate are not said to be uneven. */
static void true_times_are_not_named(marl_scene_kind scene)
{
    static const double rates[] = {5, 10, 25, 100, 400};
    for (size_t r = 0; r < sizeof rates / sizeof rates[0]; r++) {
        marl_log log = scene_log(scene, rates[r]);
        marl_row_times times;
        marl_warnings warnings = {.n = 0};
        ck_assert_int_eq(marl_row_times_find(&log, &times, NULL), MARL_OK);
        ck_assert_double_eq_tol(times.gain, 1, 1e-3);
        ck_assert_double_eq_tol(times.step_s, 1 / rates[r], 1e-6 / rates[r]);
        ck_assert(!times.are_uneven && times.breaks == 0 && times.scatter_s < 1e-6);
        ck_assert_int_eq(marl_row_times_warn(&warnings, &log, NULL), MARL_OK);
        ck_assert_uint_eq(warnings.n, 0);
        marl_log_free(&log);
    }
}

START_TEST(each_scene)
{
    faults_are_found_and_set_evenly(scenes[_i]);
    true_times_are_not_named(scenes[_i]);
}
END_TEST

/* A board that reads when it comes to it, and notes the true time: a third of the rows of a faster one. */
START_TEST(times_that_are_true_stay)
{
    marl_log log = scene_log(MARL_SCENE_HANDLE, 300);
    dice d = {5};
    size_t n = 0;
    for (size_t i = 0; i < log.n; i++) {
        if (dice_below(&d, 3) == 0) {
            log.row[n++] = log.row[i];
        }
    }
    log.n = n;
    marl_row_times times;
    marl_error error = {0};
    const int64_t middle_ns = log.row[n / 2].sample.t_ns;
    ck_assert_int_eq(marl_row_times_find(&log, &times, NULL), MARL_OK);
    ck_assert(!times.are_uneven && times.gain < 0.5);
    ck_assert_int_eq(marl_row_times_set_even(&log, &times, &error), MARL_ERR_INSUFFICIENT);
    ck_assert_ptr_nonnull(strstr(error.text, "made.csv: its readings fit the times of its rows better"));
    ck_assert_int_eq(log.row[n / 2].sample.t_ns, middle_ns);
    marl_log_free(&log);
}
END_TEST

/* A packet that is lost, and a minute without a board, leave gaps as long as they were. */
START_TEST(gaps_stay_gaps)
{
    static const size_t lost = 16;
    const int64_t pause_ns = INT64_C(60000000000);
    marl_log log = scene_log(MARL_SCENE_HANDLE, RATE_HZ);
    int64_t *true_ns = spoil_times(&log, TIME_OF_PACKET);
    for (size_t i = 2000; i + lost < log.n; i++) {
        log.row[i] = log.row[i + lost];
        true_ns[i] = true_ns[i + lost];
        log.row[i].sample.t_ns += i >= 4000 ? pause_ns : 0;
        true_ns[i] += i >= 4000 ? pause_ns : 0;
    }
    log.n -= lost;
    marl_row_times times;
    ck_assert_int_eq(marl_row_times_set_even(&log, &times, NULL), MARL_OK);
    ck_assert_uint_eq(times.breaks, 2);
    ck_assert_double_lt(scatter_ms(&log, true_ns), 2);
    ck_assert_double_eq_tol(1e-9 * (double)(log.row[2000].sample.t_ns - log.row[1999].sample.t_ns),
                            1e-9 * (double)(true_ns[2000] - true_ns[1999]), 0.01);
    ck_assert_double_eq_tol(1e-9 * (double)(log.row[4000].sample.t_ns - log.row[3999].sample.t_ns),
                            1e-9 * (double)(true_ns[4000] - true_ns[3999]), 0.01);
    free(true_ns);
    marl_log_free(&log);
}
END_TEST

/* In the rest of a log nothing shows when rows came, but clumps cannot be true; scatter may be. */
START_TEST(at_rest_clumps_alone_are_named)
{
    marl_log log = scene_log(MARL_SCENE_STILL, RATE_HZ);
    marl_row_times times;
    free(spoil_times(&log, TIME_SCATTERS));
    ck_assert_int_eq(marl_row_times_find(&log, &times, NULL), MARL_OK);
    ck_assert(!times.are_uneven);
    for (size_t i = 0; i < log.n; i++) {
        log.row[i].sample.t_ns = (int64_t)i * STEP_NS;
    }
    free(spoil_times(&log, TIME_OF_PACKET));
    ck_assert_int_eq(marl_row_times_find(&log, &times, NULL), MARL_OK);
    ck_assert(times.are_uneven);
    marl_log_free(&log);
}
END_TEST

START_TEST(too_little_is_refused)
{
    marl_log log = scene_log(MARL_SCENE_HANDLE, RATE_HZ), few = log;
    marl_row_times times;
    marl_error error = {0};
    few.n = 39;
    ck_assert_int_eq(marl_row_times_find(&few, &times, &error), MARL_ERR_INSUFFICIENT);
    ck_assert(isnan(times.step_s) && isnan(times.gain));
    error = (marl_error){0};
    for (size_t i = 0; i < log.n; i++) { /* two sensors take turns */
        log.row[i].sample.fresh = i % 2 ? MARL_FRESH_GYRO : MARL_FRESH_ACCEL;
    }
    ck_assert_int_eq(marl_row_times_find(&log, &times, &error), MARL_ERR_INSUFFICIENT);
    ck_assert_ptr_nonnull(strstr(error.text, "neither gyroscope nor accelerometer has a reading"));
    error = (marl_error){0};
    for (size_t i = 0; i < log.n; i++) {
        log.row[i].sample.fresh = MARL_FRESH_ACCEL;
        log.row[i].sample.t_ns = (int64_t)i;
    }
    ck_assert_int_eq(marl_row_times_set_even(&log, &times, &error), MARL_ERR_INSUFFICIENT);
    ck_assert_ptr_nonnull(strstr(error.text, "time stands still in most rows"));
    marl_log_free(&log);
}
END_TEST

/* A median step of next to nothing is no rate. */
START_TEST(clumps_are_inspected_and_smoothed)
{
    marl_log log = scene_log(MARL_SCENE_HANDLE, RATE_HZ);
    marl_inspection seen;
    marl_smoothed smoothed;
    for (size_t i = 0; i < log.n; i++) {
        log.row[i].sample.t_ns = (int64_t)(i / 5 * 5) * STEP_NS + (int64_t)(i % 5);
    }
    ck_assert_int_eq(marl_inspect(&log, &seen, NULL), MARL_OK);
    ck_assert_double_eq_tol(seen.sensor[MARL_GYRO].rate_hz, RATE_HZ, 0.01 * RATE_HZ);
    marl_inspection_free(&seen);
    ck_assert_int_eq(marl_smooth(&log, NULL, &smoothed, NULL), MARL_OK);
    ck_assert_uint_eq(smoothed.n, log.n);
    marl_smoothed_free(&smoothed);
    marl_log_free(&log);
}
END_TEST

MARL_SUITE_OF_CASES("row times", scenes, each_scene, times_that_are_true_stay, gaps_stay_gaps,
                    at_rest_clumps_alone_are_named, too_little_is_refused, clumps_are_inspected_and_smoothed)
