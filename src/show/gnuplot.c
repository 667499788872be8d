/* SPDX-License-Identifier: MIT
 * gnuplot as a child process: the script goes to its standard input, the image comes from its standard output.
 */
#include "show/gnuplot.h"
#include "show/script.h"
#include <errno.h>
#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <spawn.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

/* What has been handed over and what has come back. */
typedef struct transfer {
    const char *script;
    size_t left;
    show_script image;
    pid_t child;
    int ended, result; /* of the child */
} transfer;

enum { PIECE = 1 << 14, SILENCE_MS = 500 };

extern char **environ;

/* A PNG starts with its signature and ends with an empty chunk IEND and its checksum (PNG specification, 5);
 * an SVG ends with its end tag. */
static int is_whole(const char *image, size_t n)
{
    static const char signature[] = "\x89PNG\r\n\x1a\n", png_end[] = "\0\0\0\0IEND\xae\x42\x60\x82";
    static const char tag[] = "</svg>";
    const size_t signature_n = sizeof signature - 1, png_end_n = sizeof png_end - 1, tag_n = sizeof tag - 1;
    if (n >= signature_n + png_end_n && memcmp(image, signature, signature_n) == 0) {
        return memcmp(image + n - png_end_n, png_end, png_end_n) == 0;
    }
    while (n > 0 && strchr("\r\n\t ", image[n - 1]) != NULL) {
        n--;
    }
    return n > tag_n && image[0] == '<' && memcmp(image + n - tag_n, tag, tag_n) == 0;
}

/* gnuplot with its ends of both channels; without the user's own settings, which may hold anything. */
static int start(pid_t *child, int in, int out)
{
    char program[] = "gnuplot", no_habits[] = "-d";
    char *arguments[] = {program, no_habits, NULL};
    posix_spawn_file_actions_t actions;
    if (posix_spawn_file_actions_init(&actions) != 0) {
        return 0;
    }
    int started = posix_spawn_file_actions_adddup2(&actions, in, STDIN_FILENO) == 0 &&
                  posix_spawn_file_actions_adddup2(&actions, out, STDOUT_FILENO) == 0 &&
                  posix_spawnp(child, program, &actions, NULL, arguments, environ) == 0;
    posix_spawn_file_actions_destroy(&actions);
    return started;
}

/* Hands over as much as gnuplot takes now. Returns 0 when it takes no more. */
static int hand_over(transfer *t, int to)
{
    ssize_t n = send(to, t->script, t->left, MSG_NOSIGNAL | MSG_DONTWAIT);
    if (n > 0) {
        t->script += n;
        t->left -= (size_t)n;
    }
    return t->left > 0 && (n > 0 || errno == EAGAIN || errno == EINTR);
}

/* Takes what gnuplot has printed. Returns 0 at its end. */
static int take(transfer *t, int from)
{
    if (!show_room(&t->image, PIECE)) {
        return 0;
    }
    ssize_t n = read(from, t->image.text + t->image.n, PIECE);
    t->image.n += n > 0 ? (size_t)n : 0;
    return n > 0 || (n < 0 && errno == EINTR);
}

static void wait_for_child(transfer *t, int options)
{
    pid_t got = 0;
    while (!t->ended && ((got = waitpid(t->child, &t->result, options)) < 0) && errno == EINTR) {
    }
    t->ended |= got != 0;
    t->result = got < 0 ? -1 : t->result;
}

/* Both ways at once: gnuplot prints before it has read all. Its end is seen by the end of what it prints, or by a
 * silence behind which it is gone, since another process may hold the channel open. */
static void exchange(transfer *t, int to, int from)
{
    struct pollfd end[2] = {{.fd = from, .events = POLLIN}, {.fd = to, .events = POLLOUT}};
    while (end[0].fd >= 0 && !t->ended) {
        int events = poll(end, 2, SILENCE_MS);
        if (events < 0 && errno != EINTR) {
            return;
        }
        if (events <= 0) {
            wait_for_child(t, WNOHANG);
            continue;
        }
        if (end[1].fd >= 0 && end[1].revents != 0 && !hand_over(t, to)) {
            (void)shutdown(to, SHUT_WR);
            end[1].fd = -1;
        }
        if (end[0].revents != 0 && !take(t, from)) {
            end[0].fd = -1;
        }
    }
}

static marl_status run(transfer *t, const int script[2], const int image[2], marl_error *error)
{
    for (int i = 0; i < 2; i++) {
        (void)fcntl(script[i], F_SETFD, FD_CLOEXEC);
        (void)fcntl(image[i], F_SETFD, FD_CLOEXEC);
    }
    int started = start(&t->child, script[1], image[1]);
    close(script[1]);
    close(image[1]);
    if (started) {
        exchange(t, script[0], image[0]);
    }
    close(script[0]);
    close(image[0]);
    if (!started) {
        return marl_fail(error, MARL_ERR_SYSTEM,
                         "gnuplot is missing: install it, or ask for a .gp file and draw it elsewhere");
    }
    wait_for_child(t, 0);
    if (t->image.no_memory) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    return WIFEXITED(t->result) && WEXITSTATUS(t->result) == 0 && is_whole(t->image.text, t->image.n)
               ? MARL_OK
               : marl_fail(error, MARL_ERR_SYSTEM, "gnuplot could not draw the figure");
}

marl_status show_gnuplot_draw(const char *script, size_t n, char **image, size_t *size, marl_error *error)
{
    int to[2], from[2];
    transfer t = {.script = script, .left = n};
    *image = NULL;
    /* a socket, since a pipe that nobody reads any more would end this process */
    if (socketpair(AF_UNIX, SOCK_STREAM, 0, to) != 0) {
        return marl_fail(error, MARL_ERR_SYSTEM, "gnuplot cannot be started: %s", strerror(errno));
    }
    if (pipe(from) != 0) {
        marl_status status =
            marl_fail(error, MARL_ERR_SYSTEM, "gnuplot cannot be started: %s", strerror(errno));
        close(to[0]);
        close(to[1]);
        return status;
    }
    marl_status status = run(&t, to, from, error);
    if (status != MARL_OK) {
        free(t.image.text);
        return status;
    }
    *image = t.image.text;
    *size = t.image.n;
    return MARL_OK;
}
