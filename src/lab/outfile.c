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
    int failed; /* errno of the first failure */
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
    snprintf(out->temporary, size, "%s.tmp.XXXXXX", out->path);
    int fd = mkstemp(out->temporary);
    if (fd >= 0) {
        mode_t mask = umask(0);
        umask(mask);
        fchmod(fd, 0666 & ~mask);
    }
    return fd;
}

marl_status marl_outfile_open(marl_outfile **out, const char *path, marl_error *error)
{
    marl_outfile *o = calloc(1, sizeof *o);
    *out = NULL;
    if (o == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    o->fd = -1;
    o->path = strdup(path);
    if (o->path != NULL) {
        o->fd = open_target(o);
    }
    if (o->fd < 0) {
        marl_fail(error, MARL_ERR_SYSTEM, "%s: cannot be written: %s", path, strerror(errno));
        release(o);
        return MARL_ERR_SYSTEM;
    }
    *out = o;
    return MARL_OK;
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
        if (out->temporary != NULL) {
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
