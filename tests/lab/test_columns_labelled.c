/* SPDX-License-Identifier: MIT
 * Files whose rows are of several sensors, by a label in each row: read by a map, and what they seem to hold. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "memory_log.h"
#include "random_values.h"
#include "temporary.h"
#include <math.h>
#include <stdio.h>

/* A file, its map, and what is read: so many rows, with the last one's time, and the sum of all accel_x and temp. */
static const struct {
    const char *name, *text, *map;
    unsigned long rows, dropped;
    int64_t last_ns;
    float sum;
} files[] = {{"rows of other lengths", "0 A 1 2 3\n5 B 7\n10 A 4 5 6\n",
              "t=1[ms]; accel=3,4,5 where 2=A; temp=3 where 2=B", 3, 0, 10000000, 12},
             {"one moment is one row, whatever was written first",
              "0,A,1,2,3\n10,A,4,5,6\n20,A,7,8,9\n0,B,10\n20,B,30\n",
              "t=1[ms]; accel=3,4,5 where 2=A; temp=3 where 2=B", 3, 0, 20000000, 52},
             {"by names", "when;what;a;b;c\n0;acc;1;2;3\n1;heat;20;;\n2;acc;4;5;6\n",
              "t=when[s]; accel=a,b,c[m/s^2] where what=acc; temp=a where what=heat", 3, 0, 2000000000, 25},
             {"long names",
              "a_clock_of_the_board_in_seconds;which_sensor_this_row_is_of;acceleration_upwards_or_"
              "degrees\n0;a_temperature_of_the_board;20\n1;x;3\n",
              "t=a_clock_of_the_board_in_seconds[s]; temp=acceleration_upwards_or_degrees where "
              "which_sensor_this_row_is_of=a_temperature_of_the_board",
              1, 0, 0, 20},
             {"quotes and blanks", "0,\"A\",1,2,3\n1, A ,4,5,6\n2,\"B\",8\n",
              "t=1; accel=3,4,5 where 2=A; temp=3 where 2=B", 3, 0, 2000000000, 13},
             {"what has other labels, or none, is passed over",
              "0 A 1 2 3\n1 X\n2 words are no row\n3 C 9 9 9 9\n4 A 4 5 6\n",
              "t=1; accel=3,4,5 where 2=A; temp=3 where 2=A", 0, 0, 0, 0},
             {"one label", "0 A 1 2 3\n1 X\n2 words are no row\n3 C 9 9 9 9\n4 A 4 5 6\n",
              "t=1; accel=3,4,5[g] where 2=A", 2, 0, 4000000000, 5 * 9.80665f},
             {"a broken row is counted", "0 A 1 2 3\n1 B 7\n2 A 4 x 6\n3 A 4 5\n4 A 4 5 6\n",
              "t=1; accel=3,4,5 where 2=A; temp=3 where 2=B", 4, 1, 4000000000, 12},
             {"a column of all rows", "0 A 20 1 2 3\n1 B 21 9\n2 A 22 4 5 6\n",
              "t=1; accel=4,5,6 where 2=A; temp=3; speed=4 where 2=B", 3, 0, 2000000000, 68},
             {"repeats that are not fresh", "0 A 1 2 3\n1 B 7\n2 B 7\n3 B 8\n4 A 1 2 3\n",
              "t=1; accel=3,4,5 where 2=A; temp=3 changed where 2=B", 5, 0, 4000000000, 17}};

START_TEST(rows_by_their_labels)
{
    temporary dir = temporary_make();
    marl_column_map map;
    marl_log log;
    marl_error error = {0};
    float sum = 0;
    const char *path = temporary_text(&dir, "a.txt", files[_i].text);
    marl_status status = marl_column_map_read(&map, files[_i].map, &error);
    status =
        status != MARL_OK ? status : marl_log_load(&log, path, &(marl_log_options){.columns = &map}, &error);
    if (files[_i].rows == 0) { /* two targets of one column */
        ck_assert_int_eq(status, MARL_ERR_USE);
    } else {
        ck_assert_msg(status == MARL_OK, "%s: %s", files[_i].name, error.text);
        for (size_t i = 0; i < log.n; i++) {
            const marl_sample *s = &log.row[i].sample;
            sum +=
                (s->fresh & MARL_FRESH_ACCEL ? s->accel.x : 0) + (s->fresh & MARL_FRESH_TEMP ? s->temp : 0);
        }
        ck_assert_msg(
            log.n == files[_i].rows && log.report.rows == log.n &&
                log.report.rows_dropped == files[_i].dropped &&
                (files[_i].dropped == 0 || strstr(log.report.first_dropped_why, "fewer cells") != NULL),
            "%s: %zu rows, %lu dropped", files[_i].name, log.n, log.report.rows_dropped);
        ck_assert_int_eq(log.row[log.n - 1].sample.t_ns, files[_i].last_ns);
        ck_assert_msg(fabsf(sum - files[_i].sum) < 1e-4f, "%s: %g", files[_i].name, (double)sum);
        marl_log_free(&log);
    }
    temporary_remove(&dir);
}
END_TEST

START_TEST(wrong_labels_are_refused_with_the_reason)
{
    static const struct {
        const char *map, *why;
        marl_status status;
    } maps[] = {
        {"t=1 where 2=A; accel=3,4,5", "t is of all rows", MARL_ERR_USE},
        {"t=1; accel=3,4,5 where 2", "where COLUMN=LABEL: a = is missing", MARL_ERR_USE},
        {"t=1; accel=3,4,5 where 2=", "a word is missing", MARL_ERR_USE},
        {"t=1; accel=3,4,5 where 2=A; temp=3 where 1=B", "labels in two columns", MARL_ERR_USE},
        {"t=@100; accel=3,4,5 where 2=A", "need a column of times", MARL_ERR_USE},
        {"t=1; accel=3,4,5 where 2=A; temp=3 where 2=K", "no line has the label K in column 2",
         MARL_ERR_INPUT},
        {"t=1; accel=3,4,50 where 2=A", "no line has the label A in column 2 and numbers", MARL_ERR_INPUT},
        {"t=1; accel=3,4,5 where kind=A", "no line has all the columns kind", MARL_ERR_INPUT},
        {"t=1; accel=3,4,5[furlong] where 2=A", "unknown unit 'furlong'", MARL_ERR_INPUT}};
    temporary dir = temporary_make();
    const char *path = temporary_text(&dir, "a.txt", "0 A 1 2 3\n1 B 7\n2 A 4 5 6\n");
    for (size_t i = 0; i < sizeof maps / sizeof maps[0]; i++) {
        marl_column_map map;
        marl_log log;
        marl_error error = {0};
        marl_status status = marl_column_map_read(&map, maps[i].map, &error);
        status = status != MARL_OK ? status
                                   : marl_log_load(&log, path, &(marl_log_options){.columns = &map}, &error);
        ck_assert_msg(status == maps[i].status && strstr(error.text, maps[i].why) != NULL, "%s: %s",
                      maps[i].map, error.text);
    }
    temporary_remove(&dir);
}
END_TEST

/* How rows with labels may be written elsewhere. */
typedef struct dialect {
    char delimiter;
    int header;
    size_t batch; /* so many rows of a sensor, then those of the next */
    const char *label[3];
    int degrees;
} dialect;

static void write_row(FILE *f, const dialect *w, const marl_sample *s, int sensor)
{
    static const uint8_t fresh[3] = {MARL_FRESH_ACCEL, MARL_FRESH_GYRO, MARL_FRESH_MAG};
    const marl_vec3 *v[3] = {&s->accel, &s->gyro, &s->mag};
    double factor = sensor == 1 && w->degrees ? 1 / MARL_DEGREE : 1;
    char d = w->delimiter;
    if (s->fresh & fresh[sensor]) {
        fprintf(f, "%lld%c%s%c%.6f%c%.6f%c%.6f\n", (long long)(s->t_ns / 1000), d, w->label[sensor], d,
                (double)v[sensor]->x * factor, d, (double)v[sensor]->y * factor, d,
                (double)v[sensor]->z * factor);
    }
}

static void write_labelled(const dialect *w, const marl_log *log, const char *path)
{
    FILE *f = fopen(path, "w");
    ck_assert_ptr_nonnull(f);
    if (w->header) {
        fprintf(f, "timestamp%csensor%cx%cy%cz\n", w->delimiter, w->delimiter, w->delimiter, w->delimiter);
    }
    for (size_t from = 0; from < log->n; from += w->batch) {
        for (int sensor = 0; sensor < 3; sensor++) {
            for (size_t i = from; i < from + w->batch && i < log->n; i++) {
                write_row(f, w, &log->row[i].sample, sensor);
            }
        }
    }
    fclose(f);
}

/* A tumble, written by label in several ways: the map that is proposed reads it back, row by row. */
START_TEST(a_guessed_map_reads_labelled_rows_back)
{
    static const dialect dialects[] = {{',', 1, 1, {"accelerometer", "gyroscope", "magnetometer"}, 0},
                                       {' ', 0, 50, {"ACC", "GYR", "MAG"}, 1},
                                       {';', 1, 7, {"a", "g", "m"}, 1},
                                       {'\t', 0, 1, {"acc:", "gyro:", "mag:"}, 0},
                                       {',', 0, 9, {"1", "4", "2"}, 0}};
    temporary dir = temporary_make();
    marl_sheet sheet = marl_sheet_grommet();
    marl_log all = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 30, 6);
    const char *path = temporary_path(&dir, "a.txt");
    for (size_t k = 0; k < sizeof dialects / sizeof dialects[0]; k++) {
        static marl_columns_guess guess;
        marl_column_map map;
        marl_log log;
        marl_error error = {0};
        write_labelled(&dialects[k], &all, path);
        ck_assert_msg(marl_columns_guess_file(&guess, path, '.', &error) == MARL_OK, "%s", error.text);
        ck_assert_uint_eq(guess.labels, 3);
        ck_assert_uint_eq(guess.label_column, 2);
        ck_assert_msg(marl_column_map_read(&map, guess.map, &error) == MARL_OK, "%s: %s", guess.map,
                      error.text);
        ck_assert_msg(marl_log_load(&log, path, &(marl_log_options){.columns = &map}, &error) == MARL_OK,
                      "%s: %s", guess.map, error.text);
        ck_assert_uint_eq(log.n, all.n);
        for (size_t i = 0; i < all.n; i++) {
            const marl_sample *was = &all.row[i].sample, *is = &log.row[i].sample;
            ck_assert_msg(llabs(was->t_ns - is->t_ns) < 1001 && was->fresh == (is->fresh | MARL_FRESH_TEMP),
                          "%s: row %zu", guess.map, i);
            ck_assert_msg(fabsf(was->accel.z - is->accel.z) < 1e-5f &&
                              fabsf(was->gyro.y - is->gyro.y) < 1e-5f,
                          "%s: row %zu", guess.map, i);
            ck_assert(!(is->fresh & MARL_FRESH_MAG) || fabsf(was->mag.x - is->mag.x) < 1e-4f);
        }
        marl_log_free(&log);
    }
    marl_log_free(&all);
    temporary_remove(&dir);
}
END_TEST

/* Two sensors in the rows of one label, one in those of another, and labels of what is not read: first the one whose label
 * says of what, then what the numbers show, which leaves the other's alone. */
START_TEST(labels_of_two_sensors_and_of_none)
{
    temporary dir = temporary_make();
    marl_sheet sheet = marl_sheet_grommet();
    marl_log all = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 30, 7);
    const char *path = temporary_path(&dir, "a.txt");
    FILE *f = fopen(path, "w");
    static marl_columns_guess guess;
    ck_assert_ptr_nonnull(f);
    for (size_t i = 0; i < all.n; i++) {
        const marl_sample *s = &all.row[i].sample;
        double t = 1e-9 * (double)s->t_ns;
        fprintf(f, "IMU,%.3f,%.5f,%.5f,%.5f,%.5f,%.5f,%.5f\n", t, (double)s->accel.x, (double)s->accel.y,
                (double)s->accel.z, (double)s->gyro.x, (double)s->gyro.y, (double)s->gyro.z);
        fprintf(f, "linear accel,%.3f,%.5f,%.5f,%.5f\n", t, 0.1 * (double)s->accel.x, 0.2, 9.8);
        if (s->fresh & MARL_FRESH_MAG) {
            fprintf(f, "MAG,%.3f,%.4f,%.4f,%.4f\nlight,%.3f,%zu\n", t, (double)s->mag.x, (double)s->mag.y,
                    (double)s->mag.z, t, i % 7);
        }
    }
    fclose(f);
    ck_assert_int_eq(marl_columns_guess_file(&guess, path, '.', NULL), MARL_OK);
    ck_assert_str_eq(guess.map, "t=2[s]; mag=3,4,5[uT] where 1=MAG; accel=3,4,5[m/s^2] where 1=IMU; "
                                "gyro=6,7,8[rad/s] where 1=IMU");
    ck_assert_uint_eq(guess.labels, 4);
    for (size_t i = 0; i < guess.labels; i++) {
        const marl_label_guess *l = &guess.label[i];
        unsigned wanted = strcmp(l->text, "MAG") == 0   ? MARL_COLUMNS_MAG
                          : strcmp(l->text, "IMU") == 0 ? MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO
                                                        : 0;
        ck_assert_msg(l->targets == wanted, "%s: %x", l->text, l->targets);
    }
    marl_log_free(&all);
    temporary_remove(&dir);
}
END_TEST

/* Two boards in turn, numbered: only the first is read. One board whose rows have a mode that changes now and then is read whole. */
START_TEST(rows_of_two_boards)
{
    temporary dir = temporary_make();
    marl_sheet sheet = marl_sheet_grommet();
    marl_log board[2] = {memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 30, 8),
                         memory_log_simulated(MARL_SCENE_HANDLE, &sheet, 100, 30, 9)};
    const char *path = temporary_path(&dir, "a.csv");
    static marl_columns_guess guess;
    for (int boards = 1; boards <= 2; boards++) {
        FILE *f = fopen(path, "w");
        ck_assert_ptr_nonnull(f);
        fprintf(f, "time_ms,node,ax_g,ay_g,az_g\n");
        for (size_t i = 0; i < board[0].n; i++) {
            for (int k = 0; k < boards; k++) {
                const marl_sample *s = &board[k].row[i].sample;
                int number = boards == 2 ? 3 + k : 3 + (int)(i / 300) % 2;
                fprintf(f, "%.0f,%d,%.5f,%.5f,%.5f\n", 1e-6 * (double)s->t_ns + k, number,
                        (double)s->accel.x / 9.80665, (double)s->accel.y / 9.80665,
                        (double)s->accel.z / 9.80665);
            }
        }
        fclose(f);
        ck_assert_int_eq(marl_columns_guess_file(&guess, path, '.', NULL), MARL_OK);
        ck_assert_uint_eq(guess.labels, boards == 2 ? 2 : 0);
        ck_assert_str_eq(guess.map, boards == 2 ? "t=time_ms[ms]; accel=ax_g,ay_g,az_g[g] where 2=3"
                                                : "t=time_ms[ms]; accel=ax_g,ay_g,az_g[g]");
    }
    marl_log_free(&board[0]);
    marl_log_free(&board[1]);
    temporary_remove(&dir);
}
END_TEST

/* A word in each row that is always the same, notes here and there, and words that are all different: no labels. */
START_TEST(words_that_are_no_labels)
{
    temporary dir = temporary_make();
    static marl_columns_guess guess;
    for (size_t k = 0; k < 3; k++) {
        const char *path = temporary_path(&dir, "a.csv");
        FILE *f = fopen(path, "w");
        ck_assert_ptr_nonnull(f);
        for (int i = 0; i < 200; i++) {
            char word[16] = "imu";
            if (k == 1) {
                snprintf(word, sizeof word, "%s", i % 40 == 3 ? "bump" : "");
            } else if (k == 2) {
                snprintf(word, sizeof word, "row%d", i);
            }
            fprintf(f, "%s,%d,%.3f,%.3f,9.8\n", word, 10 * i, 0.01 * (i % 7), 0.02 * (i % 5));
        }
        fclose(f);
        ck_assert_int_eq(marl_columns_guess_file(&guess, path, '.', NULL), MARL_OK);
        ck_assert_uint_eq(guess.labels, 0);
        ck_assert_msg(strcmp(guess.map, "t=2[ms]; accel=3,4,5[m/s^2]") == 0, "%zu: %s", k, guess.map);
    }
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE_OF_CASES("labelled columns", files, rows_by_their_labels, wrong_labels_are_refused_with_the_reason,
                    a_guessed_map_reads_labelled_rows_back, labels_of_two_sensors_and_of_none,
                    rows_of_two_boards, words_that_are_no_labels)
