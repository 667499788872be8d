/* SPDX-License-Identifier: MIT
 * Several sessions of a board in one file: its clock begins anew, and its rows go on. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "random_values.h"
#include "temporary.h"
#include <stdio.h>

static char text[200000];

/* Rows of 10 ms from a time on, whose temperature counts all rows of the file. */
static size_t add_rows(size_t at, int from_ms, int rows, int *count)
{
    for (int i = 0; i < rows; i++) {
        at += (size_t)snprintf(text + at, sizeof text - at, "%d,%d\n", from_ms + 10 * i, (*count)++);
    }
    return at;
}

static marl_log load(temporary *dir, const char *map_text)
{
    marl_column_map map;
    marl_log log;
    marl_error error = {0};
    const marl_log_options options = {.columns = &map};
    const char *path = temporary_text(dir, "card.csv", text);
    ck_assert_int_eq(marl_column_map_read(&map, map_text, &error), MARL_OK);
    ck_assert_msg(marl_log_load(&log, path, &options, &error) == MARL_OK, "%s", error.text);
    return log;
}

/* A card that a logger appends to, with and without its header before each session: no row is lost, all stand in order, and
 * two seconds are between the sessions. */
START_TEST(sessions_follow_each_other)
{
    temporary dir = temporary_make();
    dice d = {17};
    for (int trial = 0; trial < 30; trial++) {
        int count = 0, sessions = 2 + (int)dice_below(&d, 4), has_headers = (int)dice_below(&d, 2);
        int first[8], from_ms[8];
        size_t n = (size_t)snprintf(text, sizeof text, "ms,temp\n");
        for (int k = 0; k < sessions; k++) {
            n += k > 0 && has_headers ? (size_t)snprintf(text + n, sizeof text - n, "ms,temp\n") : 0;
            first[k] = count;
            from_ms[k] = 200 + (int)dice_below(&d, 3000);
            n = add_rows(n, from_ms[k], 500 + (int)dice_below(&d, 1500), &count);
        }
        marl_log log = load(&dir, "t=ms[ms]; temp=temp");
        ck_assert_uint_eq(log.n, (size_t)count);
        ck_assert_uint_eq(log.report.restarts, (unsigned long)sessions - 1);
        ck_assert_uint_eq(log.report.rows_dropped, has_headers ? (unsigned long)sessions - 1 : 0);
        ck_assert_int_eq(log.report.first_restart_ns, log.row[first[1] - 1].sample.t_ns);
        for (int i = 1, k = 0; i < count; i++) {
            k += k + 1 < sessions && i == first[k + 1];
            int64_t step = log.row[i].sample.t_ns - log.row[i - 1].sample.t_ns;
            ck_assert_int_eq(step, i == first[k] && k > 0 ? INT64_C(2000000000) : INT64_C(10000000));
            ck_assert_int_eq((int)log.row[i].sample.temp, i);
        }
        marl_log_free(&log);
    }
    temporary_remove(&dir);
}
END_TEST

/* What comes from the past and is no restart is dropped and counted, as ever: rows that are sent again, in whatever number,
 * where the clock has gone on for long; and too few at the start, also at the end of the file. */
START_TEST(rows_from_the_past_are_no_session)
{
    static const struct {
        int from_ms, rows, then;
    } pasts[] = {{15000, 1, 500}, {15000, 2, 500}, {15000, 40, 500}, {20000, 200, 500},
                 {0, 1, 500},     {0, 2, 500},     {0, 1, 0},        {0, 2, 0}};
    temporary dir = temporary_make();
    for (size_t k = 0; k < sizeof pasts / sizeof pasts[0]; k++) {
        int count = 0;
        size_t n = add_rows(0, 0, 3000, &count);
        n = add_rows(n, pasts[k].from_ms, pasts[k].rows, &count);
        (void)add_rows(n, 30000, pasts[k].then, &count);
        marl_log log = load(&dir, "t=1[ms]; temp=2");
        ck_assert_uint_eq(log.report.restarts, 0);
        ck_assert_uint_eq(log.report.rows_dropped, (unsigned long)pasts[k].rows);
        ck_assert_uint_eq(log.report.time_back, (unsigned long)pasts[k].rows);
        ck_assert_int_eq(log.report.first_dropped_line, 3001);
        ck_assert_uint_eq(log.n, 3000 + (size_t)pasts[k].then);
        marl_log_free(&log);
    }
    temporary_remove(&dir);
}
END_TEST

/* Of rows with labels each label is read for itself, and sessions would come apart: they are dropped, and counted. */
START_TEST(sessions_of_rows_with_labels_are_dropped)
{
    temporary dir = temporary_make();
    size_t n = 0;
    for (int i = 0; i < 300; i++) {
        int ms = i < 200 ? 10 * i : 10 * (i - 200);
        n += (size_t)snprintf(text + n, sizeof text - n, "%d,A,0,0,9.8\n%d,G,0,0,0\n", ms, ms + 3);
    }
    marl_log log = load(&dir, "t=1[ms]; accel=3,4,5 where 2=A; gyro=3,4,5 where 2=G");
    ck_assert_uint_eq(log.n, 400);
    ck_assert_uint_eq(log.report.rows_dropped, 200);
    ck_assert_uint_eq(log.report.restarts, 0);
    marl_log_free(&log);
    temporary_remove(&dir);
}
END_TEST

/* Two files go on at different times behind a restart: they are not put together. */
START_TEST(sessions_in_two_files_are_not_merged)
{
    temporary dir = temporary_make();
    int count = 0;
    (void)add_rows(add_rows(0, 0, 3000, &count), 0, 3000, &count);
    marl_log two = load(&dir, "t=1[ms]; temp=2"), one, merged;
    marl_error error = {0};
    size_t n = 0;
    for (int i = 0; i < 6000; i++) {
        n += (size_t)snprintf(text + n, sizeof text - n, "%d\n", 10 * i);
    }
    one = load(&dir, "t=1[ms]");
    for (int k = 0; k < 2; k++) {
        marl_status status = marl_log_merge(k == 0 ? &one : &two, k == 0 ? &two : &one, 0, &merged, &error);
        ck_assert_int_eq(status, MARL_ERR_INPUT);
        ck_assert_ptr_nonnull(strstr(error.text, "card.csv: its clock begins anew after 29.990 s"));
    }
    marl_log_free(&one);
    marl_log_free(&two);
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE("log_sessions", sessions_in_two_files_are_not_merged, sessions_follow_each_other,
           rows_from_the_past_are_no_session, sessions_of_rows_with_labels_are_dropped)
