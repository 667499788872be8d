/* SPDX-License-Identifier: MIT
 * Rows between threads: every row once and in order, whoever is faster; reading ahead and writing behind give the bytes,
 * counts and errors of doing it one after the other. */
#include "check_main.h"
#include "lab/log/row_pipe.h"
#include "memory_log.h"
#include "temporary.h"
#include <stdatomic.h>

typedef struct source {
    size_t n;
    atomic_size_t put; /* rows that found a place */
} source;

static void put_all(void *context, lab_row_pipe *pipe)
{
    source *s = context;
    for (size_t i = 0; i < s->n; i++) {
        marl_log_row *row = lab_row_pipe_slot(pipe);
        if (row == NULL) {
            return; /* stopped */
        }
        *row = (marl_log_row){.sample = {.t_ns = (int64_t)i}};
        lab_row_pipe_put(pipe);
        atomic_fetch_add(&s->put, 1);
    }
    lab_row_pipe_close(pipe);
}

START_TEST(every_row_passes_once_and_in_order)
{
    static const size_t sizes[] = {0, 1, 511, 1023, 1024, 1025, 6144, 6145, 100000};
    for (size_t k = 0; k < sizeof sizes / sizeof sizes[0]; k++) {
        source s = {.n = sizes[k]};
        lab_row_pipe *pipe = lab_row_pipe_start(put_all, &s);
        const marl_log_row *row;
        size_t n = 0;
        ck_assert_ptr_nonnull(pipe);
        while ((row = lab_row_pipe_take(pipe)) != NULL) {
            ck_assert_int_eq(row->sample.t_ns, (int64_t)n++);
        }
        ck_assert_uint_eq(n, sizes[k]);
        ck_assert_ptr_null(lab_row_pipe_take(pipe));
        lab_row_pipe_join(pipe);
    }
}
END_TEST

/* Who takes no more does not leave the other one waiting, and memory stays flat meanwhile. */
START_TEST(a_pipe_that_is_stopped_ends)
{
    for (size_t taken = 0; taken < 3000; taken += 700) {
        source s = {.n = 1000000};
        lab_row_pipe *pipe = lab_row_pipe_start(put_all, &s);
        for (size_t i = 0; i < taken; i++) {
            ck_assert_ptr_nonnull(lab_row_pipe_take(pipe));
        }
        lab_row_pipe_stop(pipe);
        lab_row_pipe_join(pipe);
        ck_assert_uint_lt(atomic_load(&s.put), 20000);
    }
    lab_row_pipe_join(NULL);
}
END_TEST

/* A log of so many rows, of which one may hold a decimal comma. */
static void write_text(const char *path, int rows, int bad)
{
    FILE *f = fopen(path, "w");
    ck_assert_ptr_nonnull(f);
    fprintf(f, "t[s];gyro_x[rad/s];gyro_y[rad/s];gyro_z[rad/s]\n");
    for (int i = 0; i < rows; i++) {
        fprintf(f, i == bad ? "%d.0;0,5;1;2\n" : i % 7 == 3 ? "%d.0;nonsense;1;2\n" : "%d.0;0.5;1;2\n", i);
    }
    fclose(f);
}

/* Status at the end, text of the error, rows and what was dropped. */
static marl_status read_log(const char *path, int ahead, marl_log_report *report, marl_error *error)
{
    marl_log_reader *reader;
    marl_log_row row;
    marl_status status = marl_log_open(&reader, path, NULL, error);
    ck_assert_int_eq(status, MARL_OK);
    if (ahead) {
        marl_log_read_ahead(reader);
    }
    int64_t last = -1;
    while ((status = marl_log_next(reader, &row, error)) == MARL_OK) {
        ck_assert_int_gt(row.sample.t_ns, last);
        last = row.sample.t_ns;
    }
    ck_assert_int_eq(marl_log_next(reader, &row, NULL), status); /* it stays at its end */
    *report = *marl_log_reader_report(reader);
    marl_log_close(reader);
    return status;
}

START_TEST(reading_ahead_gives_the_same_rows_and_errors)
{
    static const struct {
        int rows, bad;
    } logs[] = {{0, -1}, {10, -1}, {5000, -1}, {20000, 15000}, {20000, 3}};
    temporary dir = temporary_make();
    char path[200];
    snprintf(path, sizeof path, "%s/a.csv", dir.dir);
    for (size_t i = 0; i < sizeof logs / sizeof logs[0]; i++) {
        marl_log_report direct, ahead;
        marl_error why = {0}, also = {0};
        write_text(path, logs[i].rows, logs[i].bad);
        ck_assert_int_eq(read_log(path, 0, &direct, &why), read_log(path, 1, &ahead, &also));
        ck_assert_str_eq(why.text, also.text);
        ck_assert_int_eq(strstr(why.text, "decimal comma") != NULL, logs[i].bad >= 0);
        ck_assert_uint_eq(direct.rows, ahead.rows);
        ck_assert_uint_eq(direct.rows_dropped, ahead.rows_dropped);
        ck_assert_int_eq(direct.first_dropped_line, ahead.first_dropped_line);
    }
    /* closed in the middle, and its report asked for while it is read */
    marl_log_reader *reader;
    marl_log_row row;
    write_text(path, 50000, -1);
    ck_assert_int_eq(marl_log_open(&reader, path, NULL, NULL), MARL_OK);
    marl_log_read_ahead(reader);
    ck_assert_int_eq(marl_log_next(reader, &row, NULL), MARL_OK);
    ck_assert_uint_gt(marl_log_reader_report(reader)->rows, 0);
    marl_log_close(reader);
    temporary_remove(&dir);
}
END_TEST

START_TEST(writing_behind_gives_the_same_bytes)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_LIFT, &sheet, 100, 120, 3);
    temporary dir = temporary_make();
    char path[2][200], *text[2];
    for (int behind = 0; behind < 2; behind++) {
        marl_log_writer *writer;
        marl_log_info info = {.columns = MEMORY_LOG_ALL};
        snprintf(path[behind], sizeof path[behind], "%s/%d.csv", dir.dir, behind);
        ck_assert_int_eq(marl_log_create(&writer, path[behind], &info, NULL), MARL_OK);
        if (behind) {
            marl_log_write_behind(writer);
        }
        for (size_t i = 0; i < log.n; i++) {
            marl_log_write(writer, &log.row[i]);
        }
        ck_assert_int_eq(marl_log_commit(writer, NULL), MARL_OK);
        text[behind] = temporary_read(path[behind]);
    }
    ck_assert_str_eq(text[0], text[1]);
    free(text[0]);
    free(text[1]);
    marl_log_writer *writer; /* given up: nothing is left */
    marl_log_info info = {.columns = MEMORY_LOG_ALL};
    ck_assert_int_eq(remove(path[0]), 0);
    ck_assert_int_eq(marl_log_create(&writer, path[0], &info, NULL), MARL_OK);
    marl_log_write_behind(writer);
    for (size_t i = 0; i < log.n; i++) {
        marl_log_write(writer, &log.row[i]);
    }
    marl_log_abort(writer);
    ck_assert_ptr_null(fopen(path[0], "r"));
    marl_log_free(&log);
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE("row pipe", every_row_passes_once_and_in_order, a_pipe_that_is_stopped_ends,
           reading_ahead_gives_the_same_rows_and_errors, writing_behind_gives_the_same_bytes)
