/* SPDX-License-Identifier: MIT
 * Files are complete or absent, whatever fails and when. */
#include "check_main.h"
#include "lab/base/outfile.h"
#include "marlinspike/error.h"
#include "temporary.h"
#include <fcntl.h>
#include <signal.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

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
        char *place = lab_outfile_reserve(out, 16);
        lab_outfile_advance(out, place + sprintf(place, "%08d\n", i));
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
    marl_error error = {0}, device = {0}, folder = {0};
    marl_outfile *out;
    ck_assert_int_eq(marl_outfile_open(&out, "/nonexistent/a", &error), MARL_ERR_SYSTEM);
    ck_assert_str_eq(error.text, "/nonexistent/a: cannot be written: No such file or directory");
    ck_assert_int_eq(marl_outfile_open(&out, "/tmp", &folder), MARL_ERR_SYSTEM);
    ck_assert_str_eq(folder.text, "/tmp: is a folder: only a file is replaced");
    ck_assert_int_eq(marl_outfile_open_rows(&out, "/dev/full", &device), MARL_ERR_SYSTEM);
    ck_assert_str_eq(device.text, "/dev/full: is a device: only a file is replaced");
}
END_TEST

/* Rows go into a FIFO, and it stays one; nothing else does, and a link to one changes nothing. */
START_TEST(a_fifo_takes_rows_alone)
{
    temporary dir = temporary_make();
    char fifo[160], got[40] = "";
    marl_error error = {0}, refused = {0};
    marl_outfile *out;
    struct stat kind;
    snprintf(fifo, sizeof fifo, "%s", temporary_path(&dir, "fifo"));
    ck_assert_int_eq(mkfifo(fifo, 0600), 0);
    ck_assert_int_eq(symlink("fifo", temporary_path(&dir, "link")), 0);
    int reader = open(fifo, O_RDONLY | O_NONBLOCK);
    ck_assert_int_ge(reader, 0);
    ck_assert_int_eq(marl_outfile_open(&out, dir.path, &refused), MARL_ERR_SYSTEM);
    ck_assert_msg(strstr(refused.text, "link: is a FIFO: only a file is replaced") != NULL, "%s",
                  refused.text);
    ck_assert_msg(marl_outfile_open_rows(&out, dir.path, &error) == MARL_OK, "%s", error.text);
    marl_outfile_text(out, "1,2,3");
    ck_assert_int_eq(marl_outfile_commit(out, &error), MARL_OK);
    ck_assert_int_eq(read(reader, got, sizeof got - 1), 5);
    ck_assert_str_eq(got, "1,2,3");
    ck_assert(stat(fifo, &kind) == 0 && S_ISFIFO(kind.st_mode));
    ck_assert_int_eq(temporary_count(&dir), 2);
    close(reader);
    temporary_remove(&dir);
}
END_TEST

static void write_text(const char *path, const char *text)
{
    marl_error error = {0};
    marl_outfile *out = open_or_fail(path);
    marl_outfile_text(out, text);
    ck_assert_msg(marl_outfile_commit(out, &error) == MARL_OK, "%s", error.text);
}

static void holds(const char *path, const char *want)
{
    char *text = temporary_read(path);
    ck_assert_ptr_nonnull(text);
    ck_assert_str_eq(text, want);
    free(text);
}

/* Through a chain of links, relative and absolute, also to a file that is not there yet. */
START_TEST(links_are_followed)
{
    temporary dir = temporary_make();
    char target[160], far[160];
    struct stat kind;
    snprintf(target, sizeof target, "%s", temporary_text(&dir, "a", "old"));
    snprintf(far, sizeof far, "%s", temporary_path(&dir, "far"));
    ck_assert_int_eq(symlink("a", far), 0);
    ck_assert_int_eq(symlink(far, temporary_path(&dir, "near")), 0);
    write_text(temporary_path(&dir, "near"), "new");
    holds(target, "new");
    ck_assert(lstat(far, &kind) == 0 && S_ISLNK(kind.st_mode));
    ck_assert(lstat(temporary_path(&dir, "near"), &kind) == 0 && S_ISLNK(kind.st_mode));
    ck_assert_int_eq(unlink(target), 0);
    write_text(far, "first");
    holds(target, "first");
    ck_assert_int_eq(temporary_count(&dir), 3);

    marl_error error = {0};
    marl_outfile *out;
    ck_assert_int_eq(symlink("loop", temporary_path(&dir, "loop")), 0);
    ck_assert_int_eq(marl_outfile_open(&out, temporary_path(&dir, "loop"), &error), MARL_ERR_SYSTEM);
    temporary_remove(&dir);
}
END_TEST

START_TEST(permissions_stay)
{
    static const mode_t modes[] = {0600, 0640, 0664, 0755};
    temporary dir = temporary_make();
    char path[160];
    struct stat file;
    snprintf(path, sizeof path, "%s", temporary_text(&dir, "a", "old"));
    for (size_t i = 0; i < sizeof modes / sizeof modes[0]; i++) {
        ck_assert_int_eq(chmod(path, modes[i]), 0);
        write_text(path, "new");
        ck_assert(stat(path, &file) == 0 && (file.st_mode & 07777) == modes[i]);
    }
    mode_t mask = umask(027); /* a new file follows the mask */
    write_text(temporary_path(&dir, "b"), "new");
    umask(mask);
    ck_assert(stat(temporary_path(&dir, "b"), &file) == 0 && (file.st_mode & 07777) == 0640);
    temporary_remove(&dir);
}
END_TEST

/* A process that is killed while it writes: the next run with the same target clears what it left, and leaves
 * alone what another one still writes. */
START_TEST(a_killed_run_is_cleared_by_the_next)
{
    temporary dir = temporary_make();
    char path[160];
    snprintf(path, sizeof path, "%s", temporary_text(&dir, "a", "old"));
    for (int i = 0; i < 3; i++) {
        pid_t child = fork();
        if (child == 0) {
            marl_outfile *out = open_or_fail(path);
            marl_outfile_text(out, "half");
            kill(getpid(), SIGKILL);
        }
        int how = 0;
        ck_assert(waitpid(child, &how, 0) == child && WIFSIGNALED(how));
        holds(path, "old");
        ck_assert_int_eq(temporary_count(&dir), 2); /* of the last one only */
    }
    (void)temporary_text(&dir, "a.tmp.notes", "no file of ours");
    (void)temporary_text(&dir, "aa.tmp.ABCDEF", "of another target");
    marl_outfile *slow = open_or_fail(path);
    ck_assert_int_eq(temporary_count(&dir), 4);
    write_text(path, "quick");
    ck_assert_int_eq(temporary_count(&dir), 4);
    marl_error error = {0};
    marl_outfile_text(slow, "slow");
    ck_assert_int_eq(marl_outfile_commit(slow, &error), MARL_OK);
    holds(path, "slow");
    ck_assert_int_eq(temporary_count(&dir), 3);
    temporary_remove(&dir);
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
           where_nothing_can_be_written, a_fifo_takes_rows_alone, links_are_followed, permissions_stay,
           a_killed_run_is_cleared_by_the_next, the_first_reason_is_kept)
