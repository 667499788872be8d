/* SPDX-License-Identifier: MIT
 * A file line by line. */
#include "lab/log/log_lines.h"
#include "lab/base/unreadable.h"
#include "lab/log/json_rows.h"
#include "lab/log/utf16_text.h"
#include <errno.h>
#include <fcntl.h>
#include <string.h>
#include <unistd.h>

marl_status lab_lines_open(lab_lines *lines, const char *path, marl_error *error)
{
    lines->at_end = 0;
    lines->line = 0;
    lines->first = lines->end = 0;
    lines->nuls = 0;
    lines->header_is_made = 0;
    MARL_TRY(lab_json_rows(path, &lines->fd, error));
    if (lines->fd >= 0) {
        lines->header_is_made = 1;
        return MARL_OK;
    }
    MARL_TRY(lab_utf16_text(path, &lines->fd, error));
    if (lines->fd >= 0) {
        return MARL_OK;
    }
    lines->fd = open(path, O_RDONLY);
    if (lines->fd < 0) {
        return lab_unreadable(path, error);
    }
    return MARL_OK;
}

void lab_lines_close(lab_lines *lines)
{
    if (lines->fd >= 0) {
        close(lines->fd);
    }
    lines->fd = -1;
}

/* Moves what is unread to the front and reads more behind it. NUL bytes at the end are set aside; when more comes
 * behind them one stands for all. */
static marl_status refill(lab_lines *lines, const char *path, marl_error *error)
{
    size_t kept = lines->end - lines->first;
    if (kept + 1 >= LAB_LINES_BUFFER) {
        return marl_fail(error, MARL_ERR_INPUT, "%s:%ld: line of over 1 MiB: not a log", path,
                         lines->line + 1);
    }
    memmove(lines->buffer, lines->buffer + lines->first, kept);
    lines->first = 0;
    lines->end = kept;
    char *to = lines->buffer + kept + (lines->nuls > 0);
    ssize_t got;
    do {
        got = read(lines->fd, to, LAB_LINES_BUFFER - kept - 1);
    } while (got < 0 && errno == EINTR);
    if (got < 0) {
        return lab_unreadable(path, error);
    }
    lines->at_end = got == 0;
    size_t n = (size_t)got;
    while (n > 0 && to[n - 1] == '\0') {
        n--;
    }
    if (n == 0) {
        lines->nuls += (size_t)got;
        return MARL_OK;
    }
    lines->buffer[kept] = lines->nuls > 0 ? '\0' : lines->buffer[kept];
    lines->end = (size_t)(to - lines->buffer) + n;
    lines->nuls = (size_t)got - n;
    return MARL_OK;
}

marl_status lab_lines_next(lab_lines *lines, const char *path, const char **line, size_t *n,
                           marl_error *error)
{
    char *start, *stop;
    for (;;) {
        start = lines->buffer + lines->first;
        stop = memchr(start, '\n', lines->end - lines->first);
        if (stop != NULL || lines->at_end) {
            break;
        }
        MARL_TRY(refill(lines, path, error));
    }
    lines->whole = stop != NULL;
    if (stop == NULL) {
        if (lines->first == lines->end) {
            return MARL_END;
        }
        stop = lines->buffer + lines->end;
        *stop = '\n';
    }
    if (lines->header_is_made && lines->line == 1) {
        lines->header_is_made = 0; /* the row behind it is the first line */
    } else {
        lines->line++;
    }
    lines->last = (size_t)(start - lines->buffer);
    lines->first = lines->whole ? (size_t)(stop - lines->buffer) + 1 : lines->end;
    *line = start;
    *n = (size_t)(stop - start);
    return MARL_OK;
}

void lab_lines_back(lab_lines *lines)
{
    lines->first = lines->last;
    lines->line--;
}
