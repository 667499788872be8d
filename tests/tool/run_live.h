/* SPDX-License-Identifier: MIT
 * The tool's live command while it runs: its page is asked as a browser, or something worse, would ask. */
#ifndef RUN_LIVE_H
#define RUN_LIVE_H

#include "run_board.h"
#include <arpa/inet.h>
#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <sys/socket.h>
#include <time.h>

typedef struct live_tool {
    pid_t pid;
    int err; /* its stderr */
    int port;
    char token[40];
} live_tool;

/* What the shell does before it starts it. */
static const char *live_before = "";

enum { LIVE_ANSWER = 1 << 21, LIVE_PATIENCE_MS = 20000 };

static inline __attribute__((format(printf, 1, 2))) live_tool live_start(const char *format, ...)
{
    live_tool t = {.pid = -1};
    char words[1500], command[2000], line[400] = "";
    int ends[2];
    va_list arguments;
    va_start(arguments, format);
    vsnprintf(words, sizeof words, format, arguments);
    va_end(arguments);
    snprintf(command, sizeof command, "%s exec '%s' live %s >.live.out", live_before, TOOL, words);
    ck_assert_int_eq(pipe(ends), 0);
    t.pid = fork();
    if (t.pid == 0) {
        dup2(ends[1], STDERR_FILENO);
        close(ends[0]);
        close(ends[1]);
        execl("/bin/sh", "sh", "-c", command, (char *)NULL);
        _exit(127);
    }
    close(ends[1]);
    t.err = ends[0];
    for (size_t n = 0; n + 1 < sizeof line && read(t.err, line + n, 1) == 1 && line[n] != '\n';) {
        line[++n] = '\0';
    }
    const char *address = strstr(line, "http://127.0.0.1:");
    ck_assert_msg(address != NULL, "%s: %s", command, line);
    ck_assert_int_eq(sscanf(address, "http://127.0.0.1:%d/?token=%39s", &t.port, t.token), 2);
    return t;
}

/* Its exit code, once it has ended. */
static inline int live_end(live_tool *t)
{
    int status;
    char rest[4000];
    size_t n = 0;
    for (ssize_t got; n + 1 < sizeof rest && (got = read(t->err, rest + n, sizeof rest - n - 1)) > 0;
         n += (size_t)got) {
    }
    rest[n] = '\0';
    ck_assert_int_eq(waitpid(t->pid, &status, 0), t->pid);
    ck_assert_msg(WIFEXITED(status) && strstr(rest, "Sanitizer") == NULL, "%s", rest);
    close(t->err);
    return WEXITSTATUS(status);
}

/* Ends it as Ctrl-C does; the exit code. */
static inline int live_stop(live_tool *t)
{
    kill(t->pid, SIGINT);
    return live_end(t);
}

static inline int live_connect(const live_tool *t)
{
    struct sockaddr_in at = {.sin_family = AF_INET, .sin_port = htons((uint16_t)t->port)};
    at.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    int fd = socket(AF_INET, SOCK_STREAM, 0);
    ck_assert_int_ge(fd, 0);
    ck_assert_int_eq(connect(fd, (struct sockaddr *)&at, sizeof at), 0);
    return fd;
}

/* What comes until the other side closes, or `wanted` (NULL: anything) is in it; to be freed. */
static inline char *live_read(int fd, const char *wanted)
{
    char *text = calloc(1, LIVE_ANSWER);
    size_t n = 0;
    struct pollfd in = {.fd = fd, .events = POLLIN};
    while (n + 1 < LIVE_ANSWER && poll(&in, 1, LIVE_PATIENCE_MS) > 0) {
        ssize_t got = read(fd, text + n, LIVE_ANSWER - n - 1);
        if (got <= 0) {
            break;
        }
        n += (size_t)got;
        if (wanted != NULL && strstr(text, wanted) != NULL) {
            break;
        }
    }
    return text;
}

/* One request, byte for byte, on a connection of its own; the whole answer. */
static inline char *live_raw(const live_tool *t, const char *request, size_t n)
{
    int fd = live_connect(t);
    for (size_t sent = 0; sent < n;) {
        ssize_t part = send(fd, request + sent, n - sent, MSG_NOSIGNAL);
        if (part <= 0) {
            break; /* refused in the middle */
        }
        sent += (size_t)part;
    }
    char *answer = live_read(fd, NULL);
    close(fd);
    return answer;
}

static inline char *live_get(const live_tool *t, const char *path)
{
    char request[300];
    int n = snprintf(request, sizeof request,
                     "GET %s HTTP/1.1\r\nHost: 127.0.0.1:%d\r\nConnection: close\r\n\r\n", path, t->port);
    return live_raw(t, request, (size_t)n);
}

/* A command with the token; the code, and the answer's JSON where `answer` is not NULL. */
static inline int live_post(const live_tool *t, const char *json, json_t **answer)
{
    size_t n = strlen(json) + 400;
    char *request = malloc(n);
    int length =
        snprintf(request, n,
                 "POST /command HTTP/1.1\r\nHost: 127.0.0.1:%d\r\nConnection: close\r\nContent-Type: "
                 "application/json\r\nMarlinspike-Token: %s\r\nContent-Length: %zu\r\n\r\n%s",
                 t->port, t->token, strlen(json), json);
    char *text = live_raw(t, request, (size_t)length);
    int code = 0;
    ck_assert_msg(sscanf(text, "HTTP/1.1 %d", &code) == 1, "%s: %s", json, text);
    if (answer != NULL) {
        const char *body = strstr(text, "\r\n\r\n");
        *answer = body != NULL ? json_loads(body, 0, NULL) : NULL;
        ck_assert_msg(*answer != NULL, "%s", text);
    }
    free(request);
    free(text);
    return code;
}

/* The events of a viewer; ends with the connection. */
static inline int live_watch(const live_tool *t)
{
    char request[200];
    int fd = live_connect(t),
        n = snprintf(request, sizeof request, "GET /events HTTP/1.1\r\nHost: 127.0.0.1:%d\r\n\r\n", t->port);
    ck_assert_int_eq(send(fd, request, (size_t)n, 0), n);
    return fd;
}

/* The JSON of the first event of this name that comes. */
static inline json_t *live_event(int fd, const char *event)
{
    char head[60], *text = calloc(1, LIVE_ANSWER);
    size_t n = 0;
    snprintf(head, sizeof head, "event: %s\ndata: ", event);
    struct pollfd in = {.fd = fd, .events = POLLIN};
    json_t *root = NULL;
    while (root == NULL && n + 1 < LIVE_ANSWER && poll(&in, 1, LIVE_PATIENCE_MS) > 0) {
        ssize_t got = read(fd, text + n, LIVE_ANSWER - n - 1);
        if (got <= 0) {
            break;
        }
        n += (size_t)got;
        text[n] = '\0';
        char *from = strstr(text, head), *end = from != NULL ? strstr(from + strlen(head), "\n\n") : NULL;
        if (end != NULL) {
            /* chunks of the transfer lie between: a message is smaller than one, or their sizes are taken out */
            char *to = from + strlen(head);
            for (char *at = to; at < end;) {
                if (at[0] == '\r' && at[1] == '\n') { /* "\r\nSIZE\r\n" */
                    char *next = strstr(at + 2, "\r\n");
                    at = next != NULL ? next + 2 : end;
                    continue;
                }
                *to++ = *at++;
            }
            *to = '\0';
            root = json_loads(from + strlen(head), 0, NULL);
        }
    }
    free(text);
    ck_assert_msg(root != NULL, "no event %s", event);
    return root;
}

/* Waits for the first samples: one that is ended before any came has nothing, and says so (exit 4). */
static inline void live_wait_for_samples(const live_tool *t)
{
    int fd = live_watch(t);
    json_decref(live_event(fd, "frame"));
    close(fd);
}

/* Waits until the state has this status; the state. */
static inline json_t *live_wait_for_status(const live_tool *t, const char *status)
{
    for (int i = 0; i < 400; i++) {
        int fd = live_watch(t);
        json_t *state = live_event(fd, "state");
        close(fd);
        if (strcmp(json_string_value(json_object_get(state, "status")), status) == 0) {
            return state;
        }
        json_decref(state);
        const struct timespec nap = {.tv_nsec = 50 * 1000 * 1000};
        nanosleep(&nap, NULL);
    }
    ck_abort_msg("never %s", status);
    return NULL;
}

#endif
