/* SPDX-License-Identifier: MIT
 * Rows that are JSON objects. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "random_values.h"
#include "temporary.h"
#include <math.h>
#include <stdio.h>

enum { ROWS = 200 };
static char text[ROWS * 400];

static marl_log load(const char *path, const char *map_text)
{
    marl_column_map map;
    marl_log log;
    marl_error error = {0};
    const marl_log_options options = {.columns = &map};
    ck_assert_msg(marl_column_map_read(&map, map_text, &error) == MARL_OK, "%s", error.text);
    ck_assert_msg(marl_log_load(&log, path, &options, &error) == MARL_OK, "%s", error.text);
    return log;
}

/* What stands around the rows. */
static const struct {
    const char *name, *before, *between, *after;
} wholes[] = {
    {"a line each", "", "\n", "\n"},
    {"a line each, the last without its end", "", "\n", ""},
    {"an array", "[", ",\n ", "]\n"},
    {"an array on one line", "[", ",", "]"},
    {"a member", "{\"device\": \"pod\", \"tags\": [1, 2], \"samples\": [\n", ",\n", "], \"n\": 3}\n"}};

/* Random readings in each of them: the map that is proposed gives all back, with a magnetometer in every fourth row. */
START_TEST(rows_are_read_back)
{
    temporary dir = temporary_make();
    dice d = {23};
    marl_vec3 accel[ROWS], mag[ROWS];
    size_t n = (size_t)snprintf(text, sizeof text, "%s", wholes[_i].before);
    for (int i = 0; i < ROWS; i++) {
        accel[i] = dice_vector(&d, 1);
        accel[i].z += 9.8f;
        mag[i] = dice_vector(&d, 40);
        n += (size_t)snprintf(
            text + n, sizeof text - n,
            "%s{\"time\": {\"ms\": %d}, \"accel\": {\"x\": %.9g, \"y\": %.9g, \"z\": %.9g}, \"ok\": true",
            i > 0 ? wholes[_i].between : "", 5 * i, (double)accel[i].x, (double)accel[i].y,
            (double)accel[i].z);
        if (i % 4 == 0) {
            n += (size_t)snprintf(text + n, sizeof text - n, ", \"mag\": [%.9g, %.9g, %.9g]",
                                  (double)mag[i].x, (double)mag[i].y, (double)mag[i].z);
        }
        n += (size_t)snprintf(text + n, sizeof text - n, "}");
    }
    (void)snprintf(text + n, sizeof text - n, "%s", wholes[_i].after);
    const char *path = temporary_text(&dir, "rows.json", text);
    marl_columns_guess guess;
    ck_assert_int_eq(marl_columns_guess_file(&guess, path, '.', NULL), MARL_OK);
    ck_assert(guess.is_json && !marl_columns_are_ours(&guess));
    ck_assert_str_eq(guess.map,
                     "t=time_ms[ms]; accel=accel_x,accel_y,accel_z[m/s^2]; mag=mag_x,mag_y,mag_z[uT]");
    marl_log log = load(path, guess.map);
    ck_assert_uint_eq(log.n, ROWS);
    ck_assert_uint_eq(log.report.rows_dropped + log.report.cells_missing, 0);
    for (int i = 0; i < ROWS; i++) {
        const marl_sample *s = &log.row[i].sample;
        ck_assert_int_eq(s->t_ns, INT64_C(5000000) * i);
        ck_assert_int_eq((s->fresh & MARL_FRESH_MAG) != 0, i % 4 == 0);
        ck_assert(memcmp(&s->accel, &accel[i], sizeof accel[i]) == 0);
        ck_assert(i % 4 != 0 || memcmp(&s->mag, &mag[i], sizeof mag[i]) == 0);
    }
    marl_log_free(&log);
    temporary_remove(&dir);
}
END_TEST

/* Lines that are none are dropped and named by their number in the file; whole numbers are exact. */
START_TEST(broken_lines_and_exact_times)
{
    temporary dir = temporary_make();
    const char *path = temporary_text(&dir, "a.jsonl",
                                      "{\"ns\": 1793699935000000001, \"temp\": 20}\n"
                                      "{\"ns\": 1793699935000000003, \"temp\": 21.5}\n"
                                      "{\"ns\": 17936999350000\n"
                                      "[1, 2]\n"
                                      "{\"temp\": 3, \"ns\": \"1793699935000000007\", \"new\": null}\n"
                                      "{\"ns\": 1793699935000000009}\n"
                                      "{\"ns\": 1793699935000000010}\n");
    marl_log log = load(path, "t=ns[ns]; temp=temp");
    ck_assert_uint_eq(log.n, 5);
    ck_assert_uint_eq(log.report.rows_dropped, 2);
    ck_assert_int_eq(log.report.first_dropped_line, 3);
    ck_assert_int_eq(log.row[0].sample.t_ns, INT64_C(1793699935000000001));
    ck_assert_int_eq(log.row[2].sample.t_ns, INT64_C(1793699935000000007));
    ck_assert_int_eq(log.row[3].sample.fresh & MARL_FRESH_TEMP, 0);
    marl_log_free(&log);
    temporary_remove(&dir);
}
END_TEST

/* An array of four says nothing of where its w is: the numbers are asked, and it is a guess. */
START_TEST(an_array_of_four_has_no_names)
{
    temporary dir = temporary_make();
    dice d = {29};
    size_t n = 0;
    for (int i = 0; i < ROWS; i++) {
        marl_quat q = dice_attitude(&d);
        n += (size_t)snprintf(text + n, sizeof text - n,
                              "{\"t\": %.2f, \"rotation\": [%.6f, %.6f, %.6f, %.6f]}\n", 0.01 * i,
                              (double)q.w, (double)q.x, (double)q.y, (double)q.z);
    }
    marl_columns_guess guess;
    ck_assert_int_eq(marl_columns_guess_file(&guess, temporary_text(&dir, "q.jsonl", text), '.', NULL),
                     MARL_OK);
    ck_assert_str_eq(guess.map, "t=t[s]; q=2,3,4,5");
    ck_assert_ptr_nonnull(strstr(guess.remark, "w may stand"));
    temporary_remove(&dir);
}
END_TEST

/* JSON that holds no rows is refused as before; what is deep, long or odd does no harm. */
START_TEST(what_holds_no_rows)
{
    static const char *const texts[] = {"{",
                                        "[]",
                                        "{}",

                                        "null",
                                        "{\"a\": \"x,y\\\"\\n\"}",
                                        "[{\"a\": [[[[[[[[[[1]]]]]]]]]]}]"};
    temporary dir = temporary_make();
    for (size_t k = 0; k < sizeof texts / sizeof texts[0]; k++) {
        marl_log log;
        marl_columns_guess guess;
        const char *path = temporary_text(&dir, "a.json", texts[k]);
        ck_assert_msg(marl_log_load(&log, path, NULL, NULL) == MARL_ERR_INPUT, "%s", texts[k]);
        ck_assert_msg(marl_columns_guess_file(&guess, path, '.', NULL) == MARL_ERR_INPUT, "%s", texts[k]);
    }
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE_OF_CASES("json_rows", wholes, rows_are_read_back, broken_lines_and_exact_times,
                    an_array_of_four_has_no_names, what_holds_no_rows)
