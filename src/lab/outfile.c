/* SPDX-License-Identifier: MIT
 * Files that are complete or absent. */
#include "marlinspike/outfile.h"
#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#define BUFFER (1u << 18)

struct marl_outfile {
    int fd;
    int failed;  /* errno of the first failure */
    int growing; /* what has been written stays when writing fails */
    char *path;
    char *temporary; /* NULL: written directly */
    size_t used;
    char buffer[BUFFER];
};

static void release(marl_outfile *out)
{
    if (out->fd >= 0) {
        close(out->fd);
    }
    free(out->path);
    free(out->temporary);
    free(out);
}

/* A regular file is replaced whole; anything else that exists is written as it stands. */
static int open_target(marl_outfile *out)
{
    struct stat target;
    if (stat(out->path, &target) == 0 && !S_ISREG(target.st_mode)) {
        if (S_ISDIR(target.st_mode)) {
            errno = EISDIR;
            return -1;
        }
        return open(out->path, O_WRONLY);
    }
    size_t size = strlen(out->path) + 16;
    out->temporary = malloc(size);
    if (out->temporary == NULL) {
        return -1;
    }
    snprintf(out->temporary, size, out->growing ? "%s.part" : "%s.tmp.XXXXXX", out->path);
    if (out->growing) {
        return open(out->temporary, O_WRONLY | O_CREAT | O_EXCL, 0666);
    }
    int fd = mkstemp(out->temporary);
    if (fd >= 0) {
        mode_t mask = umask(0);
        umask(mask);
        fchmod(fd, 0666 & ~mask);
    }
    return fd;
}

static marl_status say_why(const marl_outfile *out, marl_error *error)
{
    if (out->growing && errno == EEXIST) {
        return marl_fail(error, MARL_ERR_SYSTEM,
                         "%s.part: left of a recording that was cut short; rename or remove it first",
                         out->path);
    }
    return marl_fail(error, MARL_ERR_SYSTEM, "%s: cannot be written: %s", out->path, strerror(errno));
}

static marl_status open_out(marl_outfile **out, const char *path, int growing, marl_error *error)
{
    marl_outfile *o = calloc(1, sizeof *o);
    *out = NULL;
    if (o == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    o->fd = -1;
    o->growing = growing;
    o->path = strdup(path);
    if (o->path == NULL) {
        release(o);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    o->fd = open_target(o);
    if (o->fd < 0) {
        marl_status status = say_why(o, error);
        release(o);
        return status;
    }
    *out = o;
    return MARL_OK;
}

marl_status marl_outfile_open(marl_outfile **out, const char *path, marl_error *error)
{
    return open_out(out, path, 0, error);
}

marl_status marl_outfile_open_growing(marl_outfile **out, const char *path, marl_error *error)
{
    return open_out(out, path, 1, error);
}

static void put(marl_outfile *out, const char *bytes, size_t n)
{
    while (n > 0 && !out->failed) {
        ssize_t done = write(out->fd, bytes, n);
        if (done < 0 && errno != EINTR) {
            out->failed = errno;
        } else if (done > 0) {
            bytes += done;
            n -= (size_t)done;
        }
    }
}

static void flush(marl_outfile *out)
{
    put(out, out->buffer, out->used);
    out->used = 0;
}

void marl_outfile_write(marl_outfile *out, const char *bytes, size_t n)
{
    if (n > BUFFER - out->used) {
        flush(out);
    }
    if (n > BUFFER) {
        put(out, bytes, n);
        return;
    }
    memcpy(out->buffer + out->used, bytes, n);
    out->used += n;
}

void marl_outfile_text(marl_outfile *out, const char *text)
{
    marl_outfile_write(out, text, strlen(text));
}

marl_status marl_outfile_flush(marl_outfile *out, marl_error *error)
{
    flush(out);
    return out->failed ? marl_fail(error, MARL_ERR_SYSTEM, "%s: cannot be written: %s", out->path,
                                   strerror(out->failed))
                       : MARL_OK;
}

char *marl_outfile_room(marl_outfile *out, size_t most)
{
    if (most > BUFFER - out->used) {
        flush(out);
    }
    return out->buffer + out->used;
}

void marl_outfile_advance(marl_outfile *out, const char *end)
{
    out->used = (size_t)(end - out->buffer);
}

marl_status marl_outfile_commit(marl_outfile *out, marl_error *error)
{
    flush(out);
    if (!out->failed && out->temporary != NULL && fsync(out->fd) != 0) {
        out->failed = errno;
    }
    if (close(out->fd) != 0 && !out->failed) {
        out->failed = errno;
    }
    out->fd = -1;
    if (!out->failed && out->temporary != NULL && rename(out->temporary, out->path) != 0) {
        out->failed = errno;
    }
    marl_status status = MARL_OK;
    if (out->failed) {
        status =
            marl_fail(error, MARL_ERR_SYSTEM, "%s: cannot be written: %s", out->path, strerror(out->failed));
        if (out->temporary != NULL && !out->growing) {
            unlink(out->temporary);
        }
    }
    release(out);
    return status;
}

void marl_outfile_abort(marl_outfile *out)
{
    if (out == NULL) {
        return;
    }
    if (out->temporary != NULL) {
        unlink(out->temporary);
    }
    release(out);
}

void marl_outfile_leave(marl_outfile *out)
{
    if (out != NULL) {
        release(out);
    }
}
