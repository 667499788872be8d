/* SPDX-License-Identifier: MIT
 * Files that are complete or absent. */
#include "lab/base/outfile.h"
#include "lab/base/outfile_target.h"
#include "marlinspike/error.h"
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
    int failed;      /* errno of the first failure */
    int growing;     /* what has been written stays when writing fails */
    char *path;      /* as given, for messages */
    char *target;    /* the target of symbolic links */
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
    free(out->target);
    free(out->temporary);
    free(out);
}

/* PATH.part, which must not be there yet. */
static int open_part(marl_outfile *out)
{
    size_t size = strlen(out->target) + sizeof ".part";
    out->temporary = malloc(size);
    if (out->temporary == NULL) {
        return -1;
    }
    snprintf(out->temporary, size, "%s.part", out->target);
    return open(out->temporary, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0666);
}

/* A temporary file with the owner and the permissions of the file that it replaces, where there is one. */
static int open_temporary(marl_outfile *out, const struct stat *old)
{
    lab_outfile_clear(out->target);
    int fd = lab_outfile_temporary(out->target, &out->temporary);
    if (fd >= 0) {
        mode_t mask = umask(0);
        umask(mask);
        int owned = old == NULL || fchown(fd, old->st_uid, old->st_gid) == 0;
        (void)owned; /* who may write a file may not be able to give it away: it is the writer's then */
        fchmod(fd, old != NULL ? old->st_mode & 0777 : 0666 & ~mask);
    }
    return fd;
}

/* A regular file is replaced whole; anything else that exists is written as it stands. */
static int open_target(marl_outfile *out)
{
    struct stat target;
    int exists = stat(out->target, &target) == 0;
    if (exists && S_ISDIR(target.st_mode)) {
        errno = EISDIR;
        return -1;
    }
    if (exists && !S_ISREG(target.st_mode)) {
        return open(out->target, O_WRONLY | O_CLOEXEC);
    }
    if (exists && access(out->target, W_OK) != 0) {
        return -1;
    }
    return out->growing ? open_part(out) : open_temporary(out, exists ? &target : NULL);
}

static marl_status print_why(const marl_outfile *out, marl_error *error)
{
    if (out->growing && errno == EEXIST) {
        return marl_fail(error, MARL_ERR_SYSTEM,
                         "%s.part: left of a recording that was cut short; rename or remove it first",
                         out->target);
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
    o->target = marl_outfile_followed(path);
    if (o->path == NULL) {
        release(o);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    o->fd = o->target != NULL ? open_target(o) : -1;
    if (o->fd < 0) {
        marl_status status = print_why(o, error);
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

marl_status lab_outfile_open_growing(marl_outfile **out, const char *path, marl_error *error)
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

marl_status lab_outfile_flush(marl_outfile *out, marl_error *error)
{
    flush(out);
    return out->failed ? marl_fail(error, MARL_ERR_SYSTEM, "%s: cannot be written: %s", out->path,
                                   strerror(out->failed))
                       : MARL_OK;
}

char *lab_outfile_reserve(marl_outfile *out, size_t max)
{
    if (max > BUFFER - out->used) {
        flush(out);
    }
    return out->buffer + out->used;
}

void lab_outfile_advance(marl_outfile *out, const char *end)
{
    out->used = (size_t)(end - out->buffer);
}

/* Flushes the file, puts it in place and flushes the folder; 1 when it is in place. It is closed after that:
 * while it is open nobody clears it. */
static int put_in_place(marl_outfile *out)
{
    if (!out->failed && fsync(out->fd) != 0) {
        out->failed = errno;
    }
    if (out->failed || rename(out->temporary, out->target) != 0) {
        out->failed = out->failed ? out->failed : errno;
        return 0;
    }
    out->failed = lab_outfile_sync_folder(out->target);
    return 1;
}

marl_status marl_outfile_commit(marl_outfile *out, marl_error *error)
{
    flush(out);
    int in_place = out->temporary == NULL || put_in_place(out);
    if (close(out->fd) != 0 && !out->failed) {
        out->failed = errno;
    }
    out->fd = -1;
    marl_status status = MARL_OK;
    if (out->failed) {
        status =
            marl_fail(error, MARL_ERR_SYSTEM, "%s: cannot be written: %s", out->path, strerror(out->failed));
        if (!in_place && !out->growing) {
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

const char *lab_outfile_path(const marl_outfile *out)
{
    return out->temporary;
}

void lab_outfile_leave(marl_outfile *out)
{
    if (out != NULL) {
        release(out);
    }
}
