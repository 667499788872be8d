/* SPDX-License-Identifier: MIT
 * Files are complete or absent, whatever fails and when. */
#include "check_main.h"
#include "marlinspike/outfile.h"
#include "temporary.h"
#include <signal.h>
#include <sys/resource.h>
#include <sys/stat.h>

static marl_outfile *open_or_fail(const char *path)
{
    marl_error error = {0};
    marl_outfile *out;
    ck_assert_int_eq(marl_outfile_open(&out, path, &error), MARL_OK);
    return out;
}

START_TEST(nothing_is_there_before_commit)
{
    temporary dir = temporary_make();
    marl_error error = {0};
    char path[160];
    snprintf(path, sizeof path, "%s", temporary_text(&dir, "a", "old"));
    marl_outfile *out = open_or_fail(path);
    marl_outfile_text(out, "new");
    char *text = temporary_read(path);
    ck_assert_str_eq(text, "old");
    free(text);
    ck_assert_int_eq(marl_outfile_commit(out, &error), MARL_OK);
    text = temporary_read(path);
    ck_assert_str_eq(text, "new");
    free(text);
    out = open_or_fail(path);
    marl_outfile_text(out, "never");
    marl_outfile_abort(out);
    marl_outfile_abort(NULL);
    text = temporary_read(path);
    ck_assert_str_eq(text, "new");
    free(text);
    ck_assert_int_eq(temporary_count(&dir), 1);
    temporary_remove(&dir);
}
END_TEST

START_TEST(everything_arrives_in_order)
{
    temporary dir = temporary_make();
    marl_error error = {0};
    char path[160];
    snprintf(path, sizeof path, "%s", temporary_path(&dir, "a"));
    marl_outfile *out = open_or_fail(path);
    char *big = malloc(1000000);
    memset(big, 'x', 1000000);
    for (int i = 0; i < 100000; i++) {
        char *room = marl_outfile_room(out, 16);
        marl_outfile_advance(out, room + sprintf(room, "%08d\n", i));
        if (i == 50000) {
            marl_outfile_write(out, big, 1000000); /* larger than any buffer */
        }
    }
    free(big);
    ck_assert_int_eq(marl_outfile_commit(out, &error), MARL_OK);
    char *text = temporary_read(path);
    ck_assert_uint_eq(strlen(text), 1900000);
    ck_assert_int_eq(strncmp(text + 9 * 50000, "00050000\nxxx", 12), 0);
    ck_assert_str_eq(text + 1900000 - 9, "00099999\n");
    free(text);
    temporary_remove(&dir);
}
END_TEST

/* The disk fills up after every number of bytes: an error, and no file. */
START_TEST(a_full_disk_leaves_nothing)
{
    temporary dir = temporary_make();
    char path[160];
    snprintf(path, sizeof path, "%s", temporary_path(&dir, "a"));
    signal(SIGXFSZ, SIG_IGN);
    for (rlim_t limit = 0; limit <= 600000; limit += 100000) {
        marl_error error = {0};
        struct rlimit small = {limit, RLIM_INFINITY};
        marl_outfile *out = open_or_fail(path);
        setrlimit(RLIMIT_FSIZE, &small);
        for (int i = 0; i < 70000; i++) {
            marl_outfile_text(out, "0123456789");
        }
        marl_status status = marl_outfile_commit(out, &error);
        setrlimit(RLIMIT_FSIZE, &(struct rlimit){RLIM_INFINITY, RLIM_INFINITY});
        ck_assert_int_eq(status, MARL_ERR_SYSTEM);
        ck_assert_ptr_nonnull(strstr(error.text, "cannot be written"));
        ck_assert_int_eq(temporary_count(&dir), 0);
    }
    temporary_remove(&dir);
}
END_TEST

START_TEST(where_nothing_can_be_written)
{
    marl_error error = {0}, full = {0};
    marl_outfile *out;
    ck_assert_int_eq(marl_outfile_open(&out, "/nonexistent/a", &error), MARL_ERR_SYSTEM);
    ck_assert_str_eq(error.text, "/nonexistent/a: cannot be written: No such file or directory");
    error = (marl_error){0};
    ck_assert_int_eq(marl_outfile_open(&out, "/tmp", &error), MARL_ERR_SYSTEM);
    out = open_or_fail("/dev/full"); /* no regular file: written directly */
    marl_outfile_text(out, "x");
    ck_assert_int_eq(marl_outfile_commit(out, &full), MARL_ERR_SYSTEM);
    struct stat device;
    ck_assert(stat("/dev/full", &device) == 0 && S_ISCHR(device.st_mode));
}
END_TEST

START_TEST(the_first_reason_is_kept)
{
    marl_error error = {0};
    ck_assert_int_eq(marl_fail(&error, MARL_ERR_INPUT, "first %d", 1), MARL_ERR_INPUT);
    ck_assert_int_eq(marl_fail(&error, MARL_ERR_SYSTEM, "second"), MARL_ERR_SYSTEM);
    ck_assert_str_eq(error.text, "first 1");
    ck_assert_int_eq(error.status, MARL_ERR_INPUT);
    ck_assert_int_eq(marl_fail(NULL, MARL_ERR_INPUT, "x"), MARL_ERR_INPUT);
}
END_TEST

MARL_SUITE("outfile", nothing_is_there_before_commit, everything_arrives_in_order, a_full_disk_leaves_nothing,
           where_nothing_can_be_written, the_first_reason_is_kept)
