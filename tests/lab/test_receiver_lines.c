/* SPDX-License-Identifier: MIT
 * CSV lines as they come over a line: cases are what was sent, and what became of it. */
#include "check_main.h"
#include "marlinspike/record.h"
#include "random_values.h"
#include <stdio.h>
#include <string.h>

static const struct {
    const char *sent;
    int kind;
    unsigned long rows, dropped, missing;
    const char *fault; /* a part of it; "" = none */
} cases[] = {
    {"t[s],gyro_x[deg/s],gyro_y[deg/s],gyro_z[deg/s]\n1,1,2,3\n2,1,2,3\n", MARL_STREAM_LINES, 2, 0, 0, ""},
    /* begins in the middle of a line, and of a row */
    {"5,2.5\n0.98,1,2,3\nt[s],gyro_x,gyro_y,gyro_z\r\n1,1,2,3\r\n2,1,2,3\r\n", MARL_STREAM_LINES, 2, 0, 0,
     ""},
    /* the header again, as boards send it for those who come late */
    {"t[s],temp[degC]\n1,20\nt[s],temp[degC]\n2,21\n", MARL_STREAM_LINES, 2, 0, 0, ""},
    {"# marlinspike log/1 device=pod-09 corrected=no world=enu\nt[s],temp[degC]\n1,20\n", MARL_STREAM_LINES,
     1, 0, 0, ""},
    {"\xef\xbb\xbft[ms];temp[degC]\n1;20\n2;21\n", MARL_STREAM_LINES, 2, 0, 0, ""},
    /* noise: a short row, a word, a number with a letter in it, a stamp from the past */
    {"t[s],temp[degC]\n1,20\n2\nhello,there\n3,2x\n2,20\n4,20\n", MARL_STREAM_LINES, 3, 3, 1, ""},
    /* a stamp far ahead, behind which time goes on where it was */
    {"t[s],temp[degC]\n1,20\n900000,20\n1.1,20\n1.2,20\n", MARL_STREAM_LINES, 3, 1, 0, ""},
    /* a header with a fault is passed over and kept in mind; a good one may follow */
    {"t[s],temp[degX]\n1,20\n", MARL_STREAM_UNKNOWN, 0, 0, 0, "test:1: temp has the unknown unit 'degX'"},
    {"t[s],temp[degX]\nt[s],temp[degC]\n1,20\n", MARL_STREAM_LINES, 1, 0, 0, "test:1: "},
    {"t[s];temp[degC]\n1,5;20,5\n", MARL_STREAM_LINES, 0, 1, 0, "test:2: a decimal comma"},
    /* the board was tuned, or started, anew: more columns, fewer, others as many; one with a fault changes nothing */
    {"t[s],temp[degC]\n1,20\nt[s],temp[degC],speed[m/s]\n2,21,3\nt[s],temp[degC]\n3,20\n", MARL_STREAM_LINES,
     3, 0, 0, ""},
    {"t[s],temp[degC]\n1,20\nt[s],speed[m/s]\n2,1000\n", MARL_STREAM_LINES, 2, 0, 0, ""},
    {"t[s],temp[degC]\n1,20\nt[s],temp[degX],speed[m/s]\n2,21\n3,21,4\n", MARL_STREAM_LINES, 2, 1, 0,
     "test:3: temp has the unknown unit 'degX'"},
    {"t[s],temp[degC]\n1,20\nt[s],te\"mp[degC]\n2,21\n", MARL_STREAM_LINES, 2, 0, 0, ""},
    {"log begins\nno header here\n1,2,3\n", MARL_STREAM_UNKNOWN, 0, 0, 0, ""},
    {"", MARL_STREAM_UNKNOWN, 0, 0, 0, ""},
};

START_TEST(lines_are_taken_as_they_come)
{
    marl_receiver *receiver;
    marl_log_row row;
    unsigned long rows = 0;
    ck_assert_int_eq(marl_receiver_create(&receiver, "test", NULL, NULL), MARL_OK);
    for (const char *c = cases[_i].sent; *c != '\0'; c++) {
        ck_assert_int_eq(marl_receiver_feed(receiver, (const uint8_t *)c, 1, NULL), MARL_OK);
    }
    ck_assert_int_eq(marl_receiver_finish(receiver, NULL), MARL_OK);
    while (marl_receiver_next(receiver, &row) == MARL_OK) {
        rows++;
    }
    const marl_stream_report *report = marl_receiver_report(receiver);
    ck_assert_int_eq(report->kind, cases[_i].kind);
    ck_assert_uint_eq(rows, cases[_i].rows);
    ck_assert_uint_eq(report->rows.rows_dropped, cases[_i].dropped);
    ck_assert_uint_eq(report->rows.cells_missing, cases[_i].missing);
    ck_assert_msg(cases[_i].fault[0] ? strstr(report->fault, cases[_i].fault) != NULL
                                     : report->fault[0] == '\0',
                  "'%s'", report->fault);
    marl_receiver_free(receiver);
}
END_TEST

/* Boards that print text of their own, by a map: what was sent, with what is wrong in it, and the last row. */
static const struct {
    const char *map, *sent;
    char point;
    unsigned long rows, dropped;
    int64_t last_ns;
    float accel_z; /* m/s^2, of the last row */
} boards[] = {
    /* words, then numbers divided by blanks, in counts */
    {"t=1[ms]; accel=2,3,4[0.5 mg]; temp=5", "boot\nimu ok\n10 0 0 1990 20\n20  0 0 2000 20 \n", '.', 2, 0,
     20000000, 9.80665f},
    /* a line of names, repeated, with units in brackets; a row that lost cells, one with a letter */
    {"t=millis; accel=ax,ay,az",
     "millis[ms],ax[g],ay[g],az[g]\n1,0,0,1\n2,0\nmillis[ms],ax[g],ay[g],az[g]\n3,0,0,1x\n4,0,0,1\n", '.', 3,
     1, 4000000, 9.80665f},
    /* the first line has lost its beginning: its cells are others */
    {"t=1[us]; accel=2,3,4[mg]", "0,0,1000\n3000\t0\t0\t1000\n4000\t0\t0\t1000\n5000\t0\t0\t1000\n", '.', 3,
     0, 5000000, 9.80665f},
    /* decimal commas */
    {"t=1[s]; accel=2,3,4[g]", "0,5;0;0;1,0\n0,6;0;0;1,0\n", ',', 2, 0, 600000000, 9.80665f},
    /* no time in it, and an axis that points the other way */
    {"t=@50; accel=1,2,-3[g]", "0|0|-1\n0|0|-1\n0|0|-1\n", '.', 3, 0, 40000000, 9.80665f},
    /* a sensor in each row, by its label; two of one moment; a word that the map does not know */
    {"t=2[ms]; accel=3,4,5[g] where 1=A; temp=3 where 1=T",
     "hello\nA 1 0 0 1\nT 1 20\nV 1 3.7\nT 3 21\nA 3 0 0 1\n", '.', 4, 0, 3000001, 9.80665f},
    /* other columns later: what was good is kept */
    {"t=1[ms]; accel=2,3,4[g]", "1 0 0 1\n2 0 0 1\n3 0 0 1\n4 0 0 1\n5 0 0 1 7\n6 0 0 1 7\n", '.', 4, 2,
     4000000, 9.80665f},
    /* nothing that the map finds */
    {"t=1[ms]; accel=2,3,4[g]", "ax: 1 ay: 2\nax: 1 ay: 2\n", '.', 0, 0, 0, 0},
};

START_TEST(text_of_other_boards_by_a_map)
{
    for (size_t i = 0; i < sizeof boards / sizeof boards[0]; i++) {
        marl_column_map map;
        marl_receiver *receiver;
        marl_log_row row = {.sample.t_ns = 0};
        unsigned long rows = 0;
        ck_assert_int_eq(marl_column_map_read(&map, boards[i].map, NULL), MARL_OK);
        const marl_log_options options = {.decimal = boards[i].point, .columns = &map};
        ck_assert_int_eq(marl_receiver_create(&receiver, "test", &options, NULL), MARL_OK);
        ck_assert_int_eq(
            marl_receiver_feed(receiver, (const uint8_t *)boards[i].sent, strlen(boards[i].sent), NULL),
            MARL_OK);
        ck_assert_int_eq(marl_receiver_finish(receiver, NULL), MARL_OK);
        while (marl_receiver_next(receiver, &row) == MARL_OK) {
            rows++;
        }
        const marl_stream_report *report = marl_receiver_report(receiver);
        ck_assert_msg(rows == boards[i].rows && report->rows.rows_dropped == boards[i].dropped,
                      "%zu: %lu rows, %lu dropped, %s", i, rows, report->rows.rows_dropped,
                      report->rows.first_dropped_why);
        ck_assert_msg(row.sample.t_ns == boards[i].last_ns, "%zu: %lld", i, (long long)row.sample.t_ns);
        ck_assert_float_eq_tol(row.sample.accel.z, boards[i].accel_z, 1e-4f);
        marl_receiver_free(receiver);
    }
}
END_TEST

/* A reading that a board writes again and again is fresh where it changes; counts without a sheet end the stream. */
START_TEST(slow_sensors_and_counts_of_other_boards)
{
    static const char sent[] = "0 0 0 9 1 2 3\n1 0 0 9 1 2 3\n2 0 0 9 1 2 4\n3 0 0 9 1 2 4\n";
    marl_column_map map;
    marl_receiver *receiver;
    marl_log_row row;
    marl_error error = {0};
    int fresh = 0;
    ck_assert_int_eq(marl_column_map_read(&map, "t=1[ms]; accel=2,3,4; mag=5,6,7[uT] changed", NULL),
                     MARL_OK);
    const marl_log_options options = {.columns = &map};
    ck_assert_int_eq(marl_receiver_create(&receiver, "test", &options, NULL), MARL_OK);
    ck_assert_int_eq(marl_receiver_feed(receiver, (const uint8_t *)sent, sizeof sent - 1, NULL), MARL_OK);
    ck_assert_int_eq(marl_receiver_finish(receiver, NULL), MARL_OK);
    while (marl_receiver_next(receiver, &row) == MARL_OK) {
        fresh += (row.sample.fresh & MARL_FRESH_MAG) != 0;
        ck_assert(row.sample.fresh & MARL_FRESH_ACCEL);
    }
    ck_assert_int_eq(fresh, 2);
    marl_receiver_free(receiver);
    ck_assert_int_eq(marl_column_map_read(&map, "t=1[ms]; accel=2,3,4[count]", NULL), MARL_OK);
    ck_assert_int_eq(marl_receiver_create(&receiver, "test", &options, NULL), MARL_OK);
    ck_assert_int_eq(marl_receiver_feed(receiver, (const uint8_t *)sent, sizeof sent - 1, &error),
                     MARL_ERR_INPUT);
    ck_assert_ptr_nonnull(strstr(error.text, "sheet"));
    marl_receiver_free(receiver);
}
END_TEST

START_TEST(device_and_columns_come_from_the_header)
{
    static const char sent[] =
        "# marlinspike log/1 device=pod-09 corrected=yes world=ned\nt,mag_x,mag_y,mag_z,q_w,q_x,q_y,q_z\n";
    marl_receiver *receiver;
    ck_assert_int_eq(marl_receiver_create(&receiver, "test", NULL, NULL), MARL_OK);
    ck_assert_int_eq(marl_receiver_feed(receiver, (const uint8_t *)sent, sizeof sent - 1, NULL), MARL_OK);
    const marl_log_info *info = marl_receiver_info(receiver);
    ck_assert_str_eq(info->device, "pod-09");
    ck_assert_int_eq(info->corrected, 1);
    ck_assert_int_eq(info->world, MARL_WORLD_NED);
    ck_assert_uint_eq(info->columns & ~(1u << MARL_COLUMN_T), MARL_COLUMNS_MAG | MARL_COLUMNS_Q);
    marl_receiver_free(receiver);
}
END_TEST

/* A single spoilt stamp changes nothing; rows in a row from the past are those of a board that restarted, and go on
 * two seconds later. */
START_TEST(a_board_that_restarts_goes_on)
{
    marl_receiver *receiver;
    marl_log_row row;
    int came = 0;
    char text[64];
    ck_assert_int_eq(marl_receiver_create(&receiver, "test", NULL, NULL), MARL_OK);
    ck_assert_int_eq(marl_receiver_feed(receiver, (const uint8_t *)"t[s],temp[degC]\n", 16, NULL), MARL_OK);
    for (int i = 0; i < 200; i++) {
        double t = 100 + 0.01 * i - (i == 50 ? 60 : 0) - (i >= 150 ? 101.5 : 0);
        int n = snprintf(text, sizeof text, "%.3f,%d\n", t, i);
        ck_assert_int_eq(marl_receiver_feed(receiver, (const uint8_t *)text, (size_t)n, NULL), MARL_OK);
    }
    ck_assert_int_eq(marl_receiver_finish(receiver, NULL), MARL_OK);
    for (; marl_receiver_next(receiver, &row) == MARL_OK; came++) {
        int i = (int)row.sample.temp;
        double t = i < 150 ? 100 + 0.01 * i : 101.49 + 2 + 0.01 * (i - 150);
        ck_assert_double_eq_tol(1e-9 * (double)row.sample.t_ns, t, 1e-6);
    }
    ck_assert_int_eq(came, 199);
    ck_assert_uint_eq(marl_receiver_report(receiver)->rows.restarts, 1);
    ck_assert_double_eq_tol(1e-9 * (double)marl_receiver_report(receiver)->rows.first_restart_ns, 101.49,
                            1e-6);
    marl_receiver_free(receiver);
}
END_TEST

/* Of stamps that are mostly absurd, all over what 64 bits hold, those that are not are kept, every one that follows
 * another good one, and nothing else. */
START_TEST(among_absurd_stamps_the_good_ones_are_kept)
{
    marl_receiver *receiver;
    marl_log_row row;
    dice d = {77};
    char text[80];
    int good = 0, came = 0;
    ck_assert_int_eq(marl_receiver_create(&receiver, "test", NULL, NULL), MARL_OK);
    ck_assert_int_eq(marl_receiver_feed(receiver, (const uint8_t *)"t[ns],temp[degC]\n", 17, NULL), MARL_OK);
    for (int i = 0; i < 5000; i++) {
        int absurd = dice_below(&d, 10) < 6;
        int64_t t = absurd && i > 0 ? (int64_t)dice_bits(&d) : INT64_C(10000000) * i;
        int n = snprintf(text, sizeof text, "%lld,%d\n", (long long)t, i);
        ck_assert_int_eq(marl_receiver_feed(receiver, (const uint8_t *)text, (size_t)n, NULL), MARL_OK);
        good += !absurd || i == 0;
    }
    ck_assert_int_eq(marl_receiver_finish(receiver, NULL), MARL_OK);
    for (; marl_receiver_next(receiver, &row) == MARL_OK; came++) {
        ck_assert_int_eq(row.sample.t_ns, INT64_C(10000000) * (int)row.sample.temp);
    }
    ck_assert_int_le(came, good);
    ck_assert_int_ge(came, good - 8); /* at the start, until two in a row have come */
    ck_assert_uint_eq(marl_receiver_report(receiver)->rows.restarts, 0);
    marl_receiver_free(receiver);
}
END_TEST

/* The last reading of a slow sensor with each row is named as in a file; vectors may come in brackets. */
START_TEST(held_readings_in_brackets)
{
    marl_column_map map;
    marl_receiver *receiver;
    marl_log_row row;
    dice d = {5};
    int came = 0, mag[3] = {0};
    const marl_log_options options = {.columns = &map};
    ck_assert_int_eq(marl_column_map_read(&map, "t=1[ms]; accel=2,3,4; mag=5,6,7[uT]", NULL), MARL_OK);
    ck_assert_int_eq(marl_receiver_create(&receiver, "test", &options, NULL), MARL_OK);
    for (int i = 0; i < 1000; i++) {
        char text[120];
        for (int k = 0; k < 3 && i % 4 == 0; k++) {
            mag[k] = (int)dice_below(&d, 200);
        }
        int n = snprintf(text, sizeof text, "%d (0.%u, 0.2, 9.8%u) [%d, %d, %d]\n", 10 * i,
                         dice_below(&d, 10), dice_below(&d, 10), mag[0], mag[1], mag[2]);
        ck_assert_int_eq(marl_receiver_feed(receiver, (const uint8_t *)text, (size_t)n, NULL), MARL_OK);
    }
    ck_assert_int_eq(marl_receiver_finish(receiver, NULL), MARL_OK);
    for (; marl_receiver_next(receiver, &row) == MARL_OK; came++) {
        ck_assert_float_eq_tol(row.sample.accel.y, 0.2f, 1e-6f);
    }
    const marl_log_report *rows = &marl_receiver_report(receiver)->rows;
    ck_assert_int_eq(came, 1000);
    ck_assert(marl_log_is_held(rows, MARL_MAG) && !marl_log_is_held(rows, MARL_ACCEL));
    marl_receiver_free(receiver);
}
END_TEST

START_TEST(a_line_without_end_is_no_line)
{
    static char text[10000];
    marl_receiver *receiver;
    marl_log_row row;
    memset(text, '7', sizeof text);
    memcpy(text, "t[s],temp[degC]\n1,20\n", 21);
    memcpy(text + sizeof text - 8, "\n2,20.5\n", 8);
    ck_assert_int_eq(marl_receiver_create(&receiver, "test", NULL, NULL), MARL_OK);
    ck_assert_int_eq(marl_receiver_feed(receiver, (const uint8_t *)text, sizeof text, NULL), MARL_OK);
    ck_assert_int_eq(marl_receiver_next(receiver, &row), MARL_OK);
    ck_assert_int_eq(marl_receiver_next(receiver, &row), MARL_OK);
    ck_assert_float_eq(row.sample.temp, 20.5f);
    ck_assert_uint_gt(marl_receiver_report(receiver)->bytes_skipped, 4000);
    marl_receiver_free(receiver);
}
END_TEST

MARL_SUITE_OF_CASES("receiver_lines", cases, lines_are_taken_as_they_come, text_of_other_boards_by_a_map,
                    slow_sensors_and_counts_of_other_boards, device_and_columns_come_from_the_header,
                    a_board_that_restarts_goes_on, among_absurd_stamps_the_good_ones_are_kept,
                    held_readings_in_brackets, a_line_without_end_is_no_line)
