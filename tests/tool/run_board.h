/* SPDX-License-Identifier: MIT
 * The board example behind its pseudo-terminal, and the tool on a terminal of its own. */
#ifndef RUN_BOARD_H
#define RUN_BOARD_H

#include "run_tool.h"
#include <errno.h>
#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <sys/ioctl.h>
#include <termios.h>
#include <time.h>

typedef struct board_run {
    pid_t pid;
    char device[64];
} board_run;

/* Starts `board ...` and reads the device's name from it. */
static inline board_run board_start(const char *options)
{
    char command[400];
    board_run b = {0};
    int pipe_fd[2];
    ck_assert_int_eq(pipe(pipe_fd), 0);
    snprintf(command, sizeof command, "exec '%s' %s", BOARD, options);
    b.pid = fork();
    if (b.pid == 0) {
        dup2(pipe_fd[1], STDOUT_FILENO);
        close(pipe_fd[0]);
        close(pipe_fd[1]);
        execl("/bin/sh", "sh", "-c", command, (char *)NULL);
        _exit(127);
    }
    close(pipe_fd[1]);
    FILE *f = fdopen(pipe_fd[0], "r");
    ck_assert_ptr_nonnull(fgets(b.device, sizeof b.device, f));
    b.device[strcspn(b.device, "\n")] = '\0';
    fclose(f);
    return b;
}

static inline void board_stop(board_run *b)
{
    int result;
    kill(b->pid, SIGTERM);
    waitpid(b->pid, &result, 0);
}

/* The tool with a pseudo-terminal as its stderr. */
typedef struct terminal_run {
    pid_t pid;
    int fd;
    size_t n;
    char text[1 << 17];
} terminal_run;

static inline void terminal_start(terminal_run *t, const char *words, unsigned short columns)
{
    char command[1000];
    const struct winsize size = {.ws_row = 24, .ws_col = columns};
    memset(t, 0, sizeof *t);
    snprintf(command, sizeof command, "exec '%s' %s >.out", TOOL, words);
    t->fd = posix_openpt(O_RDWR | O_NOCTTY);
    ck_assert(t->fd >= 0 && grantpt(t->fd) == 0 && unlockpt(t->fd) == 0);
    int slave = open(ptsname(t->fd), O_RDWR | O_NOCTTY);
    ck_assert_int_ge(slave, 0);
    ioctl(slave, TIOCSWINSZ, &size);
    t->pid = fork();
    if (t->pid == 0) {
        dup2(slave, STDERR_FILENO);
        close(t->fd);
        close(slave);
        execl("/bin/sh", "sh", "-c", command, (char *)NULL);
        _exit(127);
    }
    close(slave);
}

/* Reads what it writes until it ends; returns its exit code. */
static inline int terminal_wait(terminal_run *t)
{
    int result;
    for (ssize_t got; (got = read(t->fd, t->text + t->n, sizeof t->text - 1 - t->n)) > 0;) {
        t->n += (size_t)got;
    }
    t->text[t->n] = '\0';
    close(t->fd);
    ck_assert_int_eq(waitpid(t->pid, &result, 0), t->pid);
    ck_assert(WIFEXITED(result));
    return WEXITSTATUS(result);
}

/* What stands on the screen at the end: redrawn lines over each other. */
static inline void terminal_screen(const terminal_run *t, char screen[][200], int lines)
{
    int row = 0, column = 0;
    memset(screen, 0, (size_t)lines * 200);
    for (const char *c = t->text; *c != '\0'; c++) {
        if (*c == '\033') {
            int number = atoi(c + 2);
            c += 2 + strcspn(c + 2, "AK");
            if (*c == 'A') {
                row -= number;
                ck_assert_int_ge(row, 0);
            } else {
                memset(screen[row] + column, 0, (size_t)(200 - column));
            }
        } else if (*c == '\r') {
            column = 0;
        } else if (*c == '\n') {
            row++;
            ck_assert_int_lt(row, lines);
        } else if (column < 199) {
            screen[row][column++] = *c;
        }
    }
}

#endif
