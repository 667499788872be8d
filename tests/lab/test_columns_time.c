/* SPDX-License-Identifier: MIT
 * Times of files from elsewhere: as people write them, and in several columns. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "temporary.h"
#include <math.h>
#include <stdio.h>
#include <time.h>

enum { ROWS = 300, STEP_MS = 10 };

/* What strftime writes, with # for three digits of milliseconds, and what is known of the day and hour by it. */
static const struct {
    const char *header, *format;
    int64_t lost_s; /* the time is known but for multiples of it; 0: all of it is */
    const char *map;
} writings[] = {
    {"when", "%Y-%m-%dT%H:%M:%S.#Z", 0, "t=when[date]"},
    {"when", "%Y/%m/%d %H:%M:%S,#", 0, "t=when[date]"},
    {"when", "%d.%m.%Y %H:%M:%S.#", 0, "t=when[date]"},
    {"when", "%m/%d/%Y %I:%M:%S.# %p", 0, "t=when[date]"},
    {"when", "%Y%m%dT%H%M%S.#", 0, "t=when[date]"},
    {"when", "%H:%M:%S:#", 86400, "t=when[date]"},
    {"when", "%I:%M:%S.# %p", 86400, "t=when[date]"},
    {"when", "%M:%S.#", 3600, "t=when[date]"},
    {"Date;Time", "%Y-%m-%d;%H:%M:%S.#", 0, "t=Date[date]+Time[date]"},
    {"Date;Time;ms", "%d.%m.%Y;%H:%M:%S;#", 0, "t=Date[date]+Time[date]+ms[ms]"},
    {"Time;millis", "%H:%M:%S;#", 86400, "t=Time[date]+millis[ms]"},
    {"hour;minute;second", "%H;%M;%S.#", 86400, "t=hour[3600 s]+minute[60 s]+second[s]"},
    {"hh;mm;ss;msec", "%H;%M;%S;#", 86400, "t=hh[3600 s]+mm[60 s]+ss[s]+msec[ms]"},
    {"min;sec", "%M;%S.#", 3600, "t=min[60 s]+sec[s]"},
    {"stamp.sec;stamp.nsec", "%s;#000000", 0, "t=stamp.sec[s]+stamp.nsec[ns]"},
    {"secs;usecs", "%s;#000", 0, "t=secs[s]+usecs[us]"},
    {"usec;sec", "#000;%s", 0, "t=usec[us]+sec[s]"},
};

/* One moment in the writing; strftime knows the calendar. */
static void write_moment(const char *format, int64_t ms, char *text, size_t size)
{
    char ready[120], plain[120];
    time_t seconds = (time_t)(ms / 1000);
    struct tm calendar;
    gmtime_r(&seconds, &calendar);
    snprintf(ready, sizeof ready, "%s", format);
    char *since = strstr(ready, "%s"); /* is of the local zone in strftime */
    if (since != NULL) {
        snprintf(plain, sizeof plain, "%.*s%lld%s", (int)(since - ready), ready, (long long)seconds,
                 since + 2);
        snprintf(ready, sizeof ready, "%s", plain);
    }
    ck_assert_uint_gt(strftime(plain, sizeof plain, ready, &calendar), 0);
    const char *mark = strchr(plain, '#');
    snprintf(text, size, "%.*s%03d%s", (int)(mark - plain), plain, (int)(ms % 1000), mark + 1);
}

static const char *write_file(temporary *dir, int writing, int64_t from_ms)
{
    static char text[ROWS * 120];
    size_t n = (size_t)snprintf(text, sizeof text, "%s;ax;ay;az\n", writings[writing].header);
    for (int i = 0; i < ROWS; i++) {
        char when[160];
        write_moment(writings[writing].format, from_ms + STEP_MS * i, when, sizeof when);
        n += (size_t)snprintf(text + n, sizeof text - n, "%s;0.1;%.2f;9.8\n", when, 0.01 * i);
    }
    return temporary_text(dir, "times.csv", text);
}

static marl_log load(const char *path, const char *map_text)
{
    marl_column_map map;
    marl_log log;
    marl_error error = {0};
    const marl_log_options options = {.columns = &map};
    ck_assert_msg(marl_column_map_read(&map, map_text, &error) == MARL_OK, "%s", error.text);
    ck_assert_msg(marl_log_load(&log, path, &options, &error) == MARL_OK, "%s: %s", map_text, error.text);
    return log;
}

/* Whatever the writing: the map is found, and gives every time back, over the turn of an hour, a noon and a midnight at the end of a
 * February. */
START_TEST(times_as_people_write_them)
{
    const int64_t from_ms[] = {INT64_C(1793699998400), INT64_C(1793707198900), INT64_C(1709251198700)};
    temporary dir = temporary_make();
    for (int k = 0; k < 3; k++) {
        marl_columns_guess guess;
        const char *path = write_file(&dir, _i, from_ms[k]);
        ck_assert_int_eq(marl_columns_guess_file(&guess, path, '.', NULL), MARL_OK);
        ck_assert_msg(strncmp(guess.map, writings[_i].map, strlen(writings[_i].map)) == 0, "%s", guess.map);
        marl_log log = load(path, guess.map);
        ck_assert_uint_eq(log.n, ROWS);
        for (int i = 0; i < ROWS; i++) {
            int64_t lost = 1000 * writings[_i].lost_s, from = lost > 0 ? from_ms[k] % lost : from_ms[k];
            ck_assert_int_eq(log.row[i].sample.t_ns, (from + STEP_MS * i) * 1000000);
        }
        marl_log_free(&log);
    }
    temporary_remove(&dir);
}
END_TEST

/* A row whose time is not whole has none; parts beyond int64 do not wrap. */
START_TEST(a_part_is_missing)
{
    temporary dir = temporary_make();
    const char *path = temporary_text(
        &dir, "a.csv", "1,0,5\n1,500,6\n2,,7\n,100,8\n2,x,9\n2,200,10\n3,0,11\n4,0,12\n5,0,13\n");
    marl_log log = load(path, "t=1[s]+2[ms]; temp=3");
    ck_assert_uint_eq(log.n, 6);
    ck_assert_uint_eq(log.report.rows_dropped, 3);
    ck_assert_int_eq(log.row[1].sample.t_ns, INT64_C(1500000000));
    ck_assert_int_eq(log.row[2].sample.t_ns, INT64_C(2200000000));
    marl_log_free(&log);
    path = temporary_text(&dir, "b.csv", "9000000000,9000000000,5\n1,0,6\n2,0,7\n3,0,8\n");
    log = load(path, "t=1[s]+2[s]; temp=3");
    ck_assert_uint_eq(log.n, 3);
    marl_log_free(&log);
    temporary_remove(&dir);
}
END_TEST

/* Quotes, names with a plus in them, signs. */
START_TEST(parts_in_a_map)
{
    static const struct {
        const char *map;
        marl_status status;
    } maps[] = {{"t=1[s]+2[ns]; temp=3", MARL_OK},
                {"t=\"a+b\"[s] + c[ns] ; temp=3", MARL_OK},
                {"t=1+2+3+4+5", MARL_OK},
                {"t=1+2+3+4+5+6", MARL_ERR_USE},
                {"t=1[s]+; temp=3", MARL_ERR_USE},
                {"t=1[s]; t=2[ns]", MARL_ERR_USE},
                {"t=1[s]+2[ns]; t=3", MARL_ERR_USE},
                {"t=@100+2[ns]", MARL_ERR_USE},
                {"t=1[s]+1[ns]; temp=3", MARL_OK}};
    marl_column_map map;
    for (size_t k = 0; k < sizeof maps / sizeof maps[0]; k++) {
        marl_status status = marl_column_map_read(&map, maps[k].map, NULL);
        ck_assert_msg(status == maps[k].status, "%s", maps[k].map);
    }
    temporary dir = temporary_make();
    marl_log log;
    const marl_log_options options = {.columns = &map};
    const char *path = temporary_text(&dir, "a.csv", "1,0,5\n2,500,6\n");
    ck_assert_int_eq(marl_column_map_read(&map, "t=1[s]+1[ns]; temp=3", NULL), MARL_OK);
    ck_assert_int_eq(marl_log_load(&log, path, &options, NULL), MARL_ERR_USE);
    temporary_remove(&dir);
}
END_TEST

/* Columns that look like parts and are none: a count beside a time, seconds beside a clock of milliseconds. */
START_TEST(what_is_no_part)
{
    char count[ROWS * 40], both[ROWS * 40];
    size_t n = (size_t)snprintf(count, sizeof count, "time,ms,ax,ay,az\n");
    size_t m = (size_t)snprintf(both, sizeof both, "millis,sec,ax,ay,az\n");
    for (int i = 0; i < ROWS; i++) {
        n += (size_t)snprintf(count + n, sizeof count - n, "%.2f,%d,0,0,9.8\n", 0.01 * i, i * 7 % 13);
        m += (size_t)snprintf(both + m, sizeof both - m, "%d,%d,0,0,9.8\n", 10 * i, i / 100);
    }
    temporary dir = temporary_make();
    marl_columns_guess guess;
    const char *path = temporary_text(&dir, "a.csv", count);
    ck_assert_int_eq(marl_columns_guess_file(&guess, path, '.', NULL), MARL_OK);
    ck_assert_msg(strncmp(guess.map, "t=time[s];", 10) == 0, "%s", guess.map);
    path = temporary_text(&dir, "b.csv", both);
    ck_assert_int_eq(marl_columns_guess_file(&guess, path, '.', NULL), MARL_OK);
    ck_assert_msg(strncmp(guess.map, "t=millis[ms];", 13) == 0, "%s", guess.map);
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE_OF_CASES("columns_time", writings, times_as_people_write_them, a_part_is_missing, parts_in_a_map,
                    what_is_no_part)
