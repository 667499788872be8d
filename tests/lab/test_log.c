/* SPDX-License-Identifier: MIT
 * Logs: what is understood, what is refused and with which message. */
#include "check_main.h"
#include "marlinspike/estimator.h"
#include "marlinspike/files.h"
#include "marlinspike/log.h"
#include "random_values.h"
#include "temporary.h"

/* A row a case: the file, how it ends, the message after the file's name, and what was counted. */
static const struct {
    const char *name, *text;
    marl_status status;
    const char *message;
    unsigned long rows, dropped, missing;
} cases[] = {
    {"plain", "t,temp\n0,20\n1,21\n", MARL_OK, "", 2, 0, 0},
    {"no line end at the end", "t,temp\n0,20\n1,21", MARL_OK, "", 2, 0, 0},
    {"CRLF and BOM", "\xef\xbb\xbft[s],temp[degC]\r\n0,20\r\n1,21\r\n", MARL_OK, "", 2, 0, 0},
    {"semicolons", "t[s];temp[degC]\n0;20\n1;21\n", MARL_OK, "", 2, 0, 0},
    {"tabs", "t[s]\ttemp[degC]\n0\t20\n1\t21\n", MARL_OK, "", 2, 0, 0},
    {"quoted", "\"t[s]\",\"temp[degC]\"\n\"0\",\"20\"\n1,\"21\"\n", MARL_OK, "", 2, 0, 0},
    {"quoted text in a column not known", "t,note,temp\n0,\"a, b\",20\n1,c,21\n", MARL_OK, "", 2, 0, 0},
    {"spaces around", "t [s] , temp[degC]\n 0 ,\t20 \n1 , 21\n", MARL_OK, "", 2, 0, 0},
    {"comments before the header", "# made by hand\n# marlinspike log/1 device=a\nt,temp\n0,20\n", MARL_OK,
     "", 1, 0, 0},
    {"blank lines", "t,temp\n\n0,20\n\n1,21\n\n", MARL_OK, "", 2, 0, 0},
    {"empty cell", "t,temp\n0,20\n1,\n", MARL_OK, "", 2, 0, 0},
    {"word for a number", "t,temp\n0,20\n1,warm\n2,22\n", MARL_OK, "", 3, 0, 1},
    {"NaN and infinity", "t,temp\n0,nan\n1,inf\n2,-Infinity\n3,1e999\n4,20\n", MARL_OK, "", 5, 0, 4},
    {"hexadecimal", "t,temp\n0,0x10\n1,20\n2,20\n", MARL_OK, "", 3, 0, 1},
    {"one axis empty", "t,gyro_x,gyro_y,gyro_z\n0,1,,3\n1,1,2,3\n", MARL_OK, "", 2, 0, 1},
    {"short row", "t,temp\n0,20\n1\n2,22\n", MARL_OK, "", 2, 1, 0},
    {"long row", "t,temp\n0,20\n1,21,5\n2,22\n", MARL_OK, "", 2, 1, 0},
    {"last line cut off", "t,temp,speed\n0,20,1\n1,21,1\n2,2", MARL_OK, "", 2, 1, 0},
    {"last number cut off", "# marlinspike log/1\nt,temp\n0,20\n1,21\n2,2", MARL_OK, "", 2, 1, 0},
    {"time stands still", "t,temp\n0,20\n1,21\n1,22\n2,23\n", MARL_OK, "", 3, 1, 0},
    {"time goes back", "t,temp\n0,20\n2,21\n1,22\n3,23\n", MARL_OK, "", 3, 1, 0},
    {"a spoilt stamp", "t,temp\n0,20\n0.1,21\n900,22\n0.3,23\n0.4,24\n", MARL_OK, "", 4, 1, 0},
    {"two spoilt stamps", "t,temp\n0,20\n900,21\n800,22\n0.3,23\n0.4,24\n", MARL_OK, "", 3, 2, 0},
    {"gaps are no spoilt stamps", "t,temp\n0,20\n5,21\n10,22\n10.1,23\n90,24\n", MARL_OK, "", 5, 0, 0},
    {"repeated behind a gap", "t,temp\n0,20\n5,21\n5,22\n5.1,23\n", MARL_OK, "", 3, 1, 0},
    {"a bad row behind a gap", "t,temp\n0,20\n5,21\n7\n4,22\n4.1,23\n4.2,1\n", MARL_OK, "", 4, 2, 0},
    {"time is a word", "t,temp\n0,20\nnow,21\n2,22\n", MARL_OK, "", 2, 1, 0},
    {"time beyond all clocks", "t,temp\n0,20\n9e9,21\n2,22\n", MARL_OK, "", 2, 1, 0},
    {"stray quote", "t,temp\n0,20\n\"1,21\n2,22\n3,23\n", MARL_OK, "", 3, 1, 0},
    {"unterminated quote at the end", "t,temp\n0,20\n1,21\n2,\"2", MARL_OK, "", 2, 1, 0},
    {"empty file", "", MARL_ERR_INPUT, ":1: the file is empty", 0, 0, 0},
    {"comments alone", "# a\n# b\n", MARL_ERR_INPUT, ":3: no header", 0, 0, 0},
    {"header alone", "t,temp\n", MARL_ERR_INSUFFICIENT, ": a header and no samples", 0, 0, 0},
    {"no time", "accel_x,accel_y\n1,2\n", MARL_ERR_INPUT, ":1: no column t;", 0, 0, 0},
    {"unknown unit", "t[s],gyro_x[turns]\n0,1\n", MARL_ERR_INPUT,
     ":1: gyro_x has the unknown unit 'turns'; known: rad/s, deg/s, mdeg/s", 0, 0, 0},
    {"unit of another quantity", "t[s],gyro_x[g]\n0,1\n", MARL_ERR_INPUT,
     ":1: gyro_x has the unknown unit 'g'", 0, 0, 0},
    {"column twice", "# c\nt,temp,temp\n0,1,2\n", MARL_ERR_INPUT, ":2: column temp stands there twice", 0, 0,
     0},
    {"counts without a sheet", "t,gyro_x[count]\n0,1\n", MARL_ERR_INPUT, ":1: gyro_x is in counts", 0, 0, 0},
    {"decimal comma", "t;temp\n0,01;20,5\n", MARL_ERR_INPUT, ":2: a decimal comma", 0, 0, 0},
    {"most rows bad", "t,temp\n0,20\n1\n2\n", MARL_ERR_INPUT, ":3: fewer cells than the header; 2 of 3 rows",
     1, 2, 0},
    {"not a log", "hello world\nthis is text\n", MARL_ERR_INPUT, ":1: no column t", 0, 0, 0},
};

START_TEST(each_case)
{
    temporary dir = temporary_make();
    marl_log log;
    marl_error error = {0};
    const char *path = temporary_text(&dir, "a.csv", cases[_i].text);
    marl_status status = marl_log_load(&log, path, NULL, &error);
    ck_assert_msg(status == cases[_i].status, "%s: %s", cases[_i].name, error.text);
    if (status != MARL_OK) {
        ck_assert_msg(strncmp(error.text, path, strlen(path)) == 0, "%s: %s", cases[_i].name, error.text);
        ck_assert_msg(strncmp(error.text + strlen(path), cases[_i].message, strlen(cases[_i].message)) == 0,
                      "%s: %s", cases[_i].name, error.text);
        ck_assert_ptr_null(log.row);
    } else {
        ck_assert_msg(log.n == cases[_i].rows && log.report.rows == cases[_i].rows, "%s: %zu rows",
                      cases[_i].name, log.n);
        ck_assert_msg(log.report.rows_dropped == cases[_i].dropped, "%s: dropped", cases[_i].name);
        ck_assert_msg(log.report.cells_missing == cases[_i].missing, "%s: missing %lu", cases[_i].name,
                      log.report.cells_missing);
    }
    marl_log_free(&log);
    temporary_remove(&dir);
}
END_TEST

static marl_log load(const char *text, const marl_log_options *options)
{
    temporary dir = temporary_make();
    marl_log log;
    marl_error error = {0};
    marl_status status = marl_log_load(&log, temporary_text(&dir, "a.csv", text), options, &error);
    ck_assert_msg(status == MARL_OK, "%s", error.text);
    temporary_remove(&dir);
    return log;
}

START_TEST(units_become_si)
{
    marl_log log =
        load("t[ms],accel_x[g],accel_y[mg],accel_z[m/s^2],gyro_x[deg/s],gyro_y[mdeg/s],gyro_z[rad/s],"
             "mag_x[G],mag_y[mG],mag_z[nT],temp[degF],speed[km/h]\n"
             "1.5,1,1000,9.80665,180,180000,3.14159265,0.5,500,50000,212,36\n",
             NULL);
    const marl_sample *s = &log.row[0].sample;
    ck_assert_int_eq(s->t_ns, 1500000);
    ck_assert_float_eq_tol(s->accel.x, 9.80665f, 1e-6f);
    ck_assert_float_eq_tol(s->accel.y, 9.80665f, 1e-6f);
    ck_assert_float_eq_tol(s->gyro.x, 3.14159265f, 1e-6f);
    ck_assert_float_eq_tol(s->gyro.y, s->gyro.z, 1e-6f);
    ck_assert_float_eq_tol(s->mag.x, 50, 1e-5f);
    ck_assert_float_eq_tol(s->mag.y, 50, 1e-5f);
    ck_assert_float_eq_tol(s->mag.z, 50, 1e-5f);
    ck_assert_float_eq_tol(s->temp, 100, 1e-5f);
    ck_assert_float_eq_tol(s->speed, 10, 1e-5f);
    ck_assert_uint_eq(s->fresh, 31);
    ck_assert_str_eq(log.report.assumed_units, "");
    marl_log_free(&log);
    log = load("t,mag_x[T],mag_y[mT],mag_z,temp[K],depth\n0,1e-6,1e-3,1,273.15,4\n", NULL);
    ck_assert_float_eq_tol(log.row[0].sample.mag.x, 1, 1e-6f);
    ck_assert_float_eq_tol(log.row[0].sample.mag.y, 1, 1e-6f);
    ck_assert_float_eq_tol(log.row[0].sample.temp, 0, 1e-5f);
    ck_assert_str_eq(log.report.assumed_units, "t in s, mag_z in uT");
    ck_assert_str_eq(log.report.unknown_columns, "depth");
    marl_log_free(&log);
}
END_TEST

START_TEST(counts_by_the_sheet_and_decimal_commas)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log_options options = {.sheet = &sheet, .decimal = ','};
    marl_log log = load("t[us];gyro_x[count];accel_x[count]\n0,5;32767;-32768\n10,5;0;1\n", &options);
    ck_assert_float_eq_tol(log.row[0].sample.gyro.x, (float)(500 * MARL_DEGREE * 32767 / 32768), 1e-6f);
    ck_assert_float_eq_tol(log.row[0].sample.accel.x, -8 * 9.80665f, 1e-5f);
    ck_assert_int_eq(log.row[0].sample.t_ns, 500);
    ck_assert_int_eq(log.row[1].sample.t_ns, 10500);
    marl_log_free(&log);
}
END_TEST

START_TEST(a_wrapping_clock_goes_on)
{
    marl_log log = load("t[us],temp\n4294960000,1\n4294967000,2\n500,3\n8000,4\n", NULL);
    ck_assert_uint_eq(log.n, 4);
    ck_assert_uint_eq(log.report.clock_wraps, 1);
    ck_assert_int_eq(log.row[2].sample.t_ns - log.row[1].sample.t_ns, (4294967296 + 500 - 4294967000) * 1000);
    marl_log_free(&log);
    log = load("t[s],temp\n1000,1\n1001,2\n0,3\n1002,3\n", NULL); /* a restart is no wrap */
    ck_assert_uint_eq(log.report.clock_wraps, 0);
    ck_assert_uint_eq(log.report.time_back, 1);
    marl_log_free(&log);
}
END_TEST

START_TEST(metadata_and_attitudes)
{
    marl_log log = load("# marlinspike log/1 device=pod-07 corrected=yes "
                        "world=ned\nt,roll[deg],pitch[deg],yaw[deg]\n0,10,-20,30\n",
                        NULL);
    ck_assert_str_eq(log.info.device, "pod-07");
    ck_assert_int_eq(log.info.corrected, 1);
    ck_assert_int_eq(log.info.world, MARL_WORLD_NED);
    ck_assert_int_eq(log.row[0].has_q, 1);
    marl_quat want =
        marl_quat_from_rpy((float)(10 * MARL_DEGREE), (float)(-20 * MARL_DEGREE), (float)(30 * MARL_DEGREE));
    ck_assert_double_lt(angle_between(log.row[0].q, want), 1e-6);
    marl_log_free(&log);
    log = load("# marlinspike log/1 corrected=yes raw=mag,gyro_scale,later world=enu\nt,temp\n0,1\n", NULL);
    ck_assert_uint_eq(log.info.raw, MARL_FRESH_MAG | MARL_GYRO_SCALE_OPEN);
    marl_log_free(&log);
    log = load("t,q_w,q_x,q_y,q_z\n0,2,0,0,0\n1,0,0,0,0\n", NULL); /* brought to length one; zero is none */
    ck_assert_float_eq(log.row[0].q.w, 1);
    ck_assert_int_eq(log.row[1].has_q, 0);
    marl_log_free(&log);
}
END_TEST

/* The values that come through, in order: a spoilt stamp costs its own row and no other. */
START_TEST(a_spoilt_stamp_costs_one_row)
{
    marl_log log = load("t,temp\n0,0\n0.1,1\n7000,2\n0.3,3\n20,4\n20.1,5\n21.5,6\n", NULL);
    const float want[] = {0, 1, 3, 4, 5, 6};
    ck_assert_uint_eq(log.n, 6);
    for (size_t i = 0; i < 6; i++) {
        ck_assert_float_eq(log.row[i].sample.temp, want[i]);
    }
    ck_assert_int_eq(log.report.first_dropped_line, 4);
    ck_assert_str_eq(log.report.first_dropped_why, "time jumps ahead and comes back");
    marl_log_free(&log);
}
END_TEST

/* A card that lost its power: NUL bytes behind the last row, of any number, are left out and counted, and the row that
 * they cut is dropped; within a log they spoil one row. */
START_TEST(nul_bytes_of_a_power_cut)
{
    static const size_t tails[] = {1, 37, 1u << 20, 3u << 20};
    static const char rows[] = "# marlinspike log/1\nt,temp\n0,20\n0.01,21\n0.02,22\n0.03,2";
    const size_t n = sizeof rows - 1;
    for (size_t i = 0; i < sizeof tails / sizeof tails[0]; i++) {
        temporary dir = temporary_make();
        marl_error error = {0};
        marl_log log;
        char *text = calloc(n + tails[i] + 20, 1);
        memcpy(text, rows, n);
        temporary_write(&dir, "a.csv", text, n + tails[i]);
        ck_assert_msg(marl_log_load(&log, dir.path, NULL, &error) == MARL_OK, "%s", error.text);
        ck_assert_uint_eq(log.n, 3);
        ck_assert_uint_eq(log.report.nuls_at_end, tails[i]);
        ck_assert_uint_eq(log.report.rows_dropped, 1);
        ck_assert_int_eq(log.report.truncated, 1);
        marl_log_free(&log);
        memcpy(text + n + tails[i], "\n0.04,24\n", 9);
        temporary_write(&dir, "a.csv", text, n + tails[i] + 9);
        ck_assert_msg(marl_log_load(&log, dir.path, NULL, &error) == MARL_OK, "%s", error.text);
        ck_assert_uint_eq(log.report.nuls_at_end, 0);
        ck_assert_uint_eq(log.report.rows_dropped + log.report.cells_missing, 1);
        ck_assert_int_eq(log.row[log.n - 1].sample.t_ns, 40000000);
        marl_log_free(&log);
        free(text);
        temporary_remove(&dir);
    }
}
END_TEST

/* What is written is read back to the same bits, times to the nanosecond, empty where it was not fresh. */
START_TEST(round_trip_to_the_bit)
{
    dice d = {41};
    temporary dir = temporary_make();
    char path[160];
    marl_error error = {0};
    marl_log_writer *writer;
    enum { N = 3000 };
    static marl_log_row row[N];
    marl_log_info info = {.device = "pod-07",
                          .columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG |
                                     MARL_COLUMNS_TEMP | MARL_COLUMNS_SPEED | MARL_COLUMNS_Q};
    snprintf(path, sizeof path, "%s", temporary_path(&dir, "a.csv"));
    ck_assert_int_eq(marl_log_create(&writer, path, &info, &error), MARL_OK);
    int64_t t = -1000000000000;
    for (int i = 0; i < N; i++) {
        t += 1 + (int64_t)(dice_bits(&d) % 20000000);
        row[i] = (marl_log_row){.sample = {.t_ns = t,
                                           .accel = dice_vector(&d, 20),
                                           .gyro = dice_vector(&d, 1e-3),
                                           .mag = dice_vector(&d, 1e6),
                                           .temp = (float)dice_between(&d, -40, 85),
                                           .speed = 1e-30f,
                                           .fresh = (uint8_t)(dice_bits(&d) % 32)},
                                .q = marl_quat_canonical(dice_attitude(&d)),
                                .has_q = i % 3 == 0};
        marl_log_write(writer, &row[i]);
    }
    ck_assert_int_eq(marl_log_commit(writer, &error), MARL_OK);
    marl_log log;
    ck_assert_int_eq(marl_log_load(&log, path, NULL, &error), MARL_OK);
    ck_assert_uint_eq(log.n, N);
    for (int i = 0; i < N; i++) {
        const marl_sample *a = &row[i].sample, *b = &log.row[i].sample;
        int same = a->t_ns == b->t_ns && a->fresh == b->fresh && row[i].has_q == log.row[i].has_q;
        same &= !(a->fresh & MARL_FRESH_ACCEL) || memcmp(&a->accel, &b->accel, sizeof a->accel) == 0;
        same &= !(a->fresh & MARL_FRESH_GYRO) || memcmp(&a->gyro, &b->gyro, sizeof a->gyro) == 0;
        same &= !(a->fresh & MARL_FRESH_MAG) || memcmp(&a->mag, &b->mag, sizeof a->mag) == 0;
        same &= !(a->fresh & MARL_FRESH_TEMP) || (bits_of(a->temp) == bits_of(b->temp));
        same &= !(a->fresh & MARL_FRESH_SPEED) || (bits_of(a->speed) == bits_of(b->speed));
        if (!same) {
            ck_abort_msg("row %d", i);
        }
    }
    marl_log_free(&log);
    temporary_remove(&dir);
}
END_TEST

/* A log cut at any byte never crashes, never gives a row that was not written, and is reported as cut. */
START_TEST(cut_at_every_byte)
{
    const char *text =
        "# marlinspike log/1 device=pod-07\nt[s],temp[degC]\n0.5,20.25\n1.5,21.25\n2.5,22.25\n";
    temporary dir = temporary_make();
    for (size_t n = 0; n <= strlen(text); n++) {
        marl_log log;
        marl_error error = {0};
        marl_status status = marl_log_load(&log, temporary_write(&dir, "a.csv", text, n), NULL, &error);
        ck_assert(status == MARL_OK || status == MARL_ERR_INPUT || status == MARL_ERR_INSUFFICIENT);
        for (size_t i = 0; i < log.n; i++) {
            ck_assert_float_eq(log.row[i].sample.temp, 20.25f + (float)i);
        }
        marl_log_free(&log);
    }
    temporary_remove(&dir);
}
END_TEST

/* Random bytes and random damage: whatever comes, an answer and no crash (the sanitizers watch). */
START_TEST(noise_on_the_line)
{
    dice d = {42};
    temporary dir = temporary_make();
    for (int round = 0; round < 300; round++) {
        char text[4000];
        size_t n = 0;
        n += (size_t)sprintf(text, "t[s],accel_x,accel_y,accel_z,temp\n");
        for (int i = 0; i < 60; i++) {
            n += (size_t)sprintf(text + n, "%.3f,%.6f,%.6f,9.8,20\n", i * 0.01, dice_normal(&d),
                                 dice_normal(&d));
        }
        for (uint64_t k = dice_bits(&d) % 30; k > 0; k--) {
            text[dice_bits(&d) % n] = (char)dice_bits(&d);
        }
        marl_log log;
        marl_error error = {0};
        marl_status status = marl_log_load(&log, temporary_write(&dir, "a.csv", text, n), NULL, &error);
        if (status == MARL_OK && log.report.rows + log.report.rows_dropped > 90) {
            ck_abort_msg("more rows than lines");
        }
        for (size_t i = 1; i < log.n; i++) {
            ck_assert(log.row[i].sample.t_ns > log.row[i - 1].sample.t_ns);
        }
        marl_log_free(&log);
    }
    temporary_remove(&dir);
}
END_TEST

START_TEST(missing_columns_are_named)
{
    marl_error error = {0};
    marl_log_info info = {.has_metadata = 1, .columns = MARL_COLUMNS_ACCEL | 1u << MARL_COLUMN_GYRO_X};
    ck_assert_int_eq(marl_log_require(&info, "a.csv", MARL_COLUMNS_GYRO | MARL_COLUMNS_TEMP, &error),
                     MARL_ERR_INSUFFICIENT);
    ck_assert_str_eq(error.text, "a.csv: needs gyro_y, gyro_z, temp, which the log does not have");
    info.has_metadata = 0;
    error = (marl_error){0};
    ck_assert_int_eq(marl_log_require(&info, "a.csv", MARL_COLUMNS_TEMP, &error), MARL_ERR_INSUFFICIENT);
    ck_assert_ptr_nonnull(strstr(error.text, "; inspect says what else"));
    ck_assert_int_eq(marl_log_open(&(marl_log_reader *){NULL}, "/nonexistent/a.csv", NULL, NULL),
                     MARL_ERR_INPUT);
}
END_TEST

MARL_SUITE_OF_CASES("log", cases, each_case, units_become_si, counts_by_the_sheet_and_decimal_commas,
                    a_wrapping_clock_goes_on, a_spoilt_stamp_costs_one_row, nul_bytes_of_a_power_cut,
                    metadata_and_attitudes, round_trip_to_the_bit, cut_at_every_byte, noise_on_the_line,
                    missing_columns_are_named)
