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
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#define BUFFER (1u << 18)

typedef enum outfile_kind {
    WHOLE,  /* complete or absent */
    ROWS,   /* the same, and a FIFO takes them as they come */
    GROWING /* what has been written stays when writing fails; a FIFO as well */
} outfile_kind;

struct marl_outfile {
    int fd;
    int failed; /* errno of the first failure */
    outfile_kind kind;
    char *path;      /* as given, for messages */
    char *target;    /* the target of symbolic links */
    char *temporary; /* NULL: a FIFO takes what is written */
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

/* PATH.part, which must not be there yet. Locked for as long as it is open: that distinguishes
 * a recording that is going on from one that was cut short. */
static int open_part(marl_outfile *out)
{
    size_t size = strlen(out->target) + sizeof ".part";
    out->temporary = malloc(size);
    if (out->temporary == NULL) {
        return -1;
    }
    snprintf(out->temporary, size, "%s.part", out->target);
    int fd = open(out->temporary, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0666);
    if (fd >= 0) {
        (void)flock(fd, LOCK_EX | LOCK_NB);
    }
    return fd;
}

static int is_locked(const char *path)
{
    int fd = open(path, O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK);
    int locked = fd >= 0 && flock(fd, LOCK_EX | LOCK_NB) != 0 && errno == EWOULDBLOCK;
    if (fd >= 0) {
        close(fd);
    }
    return locked;
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

/* What stands there, when it is no regular file. */
static const char *kind_of(mode_t mode)
{
    return S_ISDIR(mode)                    ? "a folder"
           : S_ISFIFO(mode)                 ? "a FIFO"
           : S_ISSOCK(mode)                 ? "a socket"
           : S_ISCHR(mode) || S_ISBLK(mode) ? "a device"
                                            : "no regular file";
}

marl_status marl_outfile_check(const char *path, int rows, marl_error *error)
{
    struct stat file; /* of the path itself: what it links to may have no name */
    if (stat(path, &file) != 0 || S_ISREG(file.st_mode) || (rows && S_ISFIFO(file.st_mode))) {
        return MARL_OK;
    }
    return marl_fail(error, MARL_ERR_SYSTEM, "%s: is %s: only a file is replaced", path,
                     kind_of(file.st_mode));
}

static int open_target(marl_outfile *out)
{
    struct stat target;
    int exists = stat(out->path, &target) == 0;
    if (exists && S_ISFIFO(target.st_mode)) {
        return open(out->path, O_WRONLY | O_CLOEXEC);
    }
    if (exists && access(out->target, W_OK) != 0) {
        return -1;
    }
    return out->kind == GROWING ? open_part(out) : open_temporary(out, exists ? &target : NULL);
}

static marl_status print_why(const marl_outfile *out, marl_error *error)
{
    if (out->kind == GROWING && out->temporary != NULL && errno == EEXIST) {
        return marl_fail(error, MARL_ERR_SYSTEM,
                         is_locked(out->temporary)
                             ? "%s.part: another recording is being written to it now"
                             : "%s.part: left of a recording that was cut short; rename or remove it first",
                         out->target);
    }
    return marl_fail(error, MARL_ERR_SYSTEM, "%s: cannot be written: %s", out->path, strerror(errno));
}

static marl_status open_out(marl_outfile **out, const char *path, outfile_kind kind, marl_error *error)
{
    *out = NULL;
    MARL_TRY(marl_outfile_check(path, kind != WHOLE, error));
    marl_outfile *o = calloc(1, sizeof *o);
    if (o == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    o->fd = -1;
    o->kind = kind;
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
    return open_out(out, path, WHOLE, error);
}

marl_status marl_outfile_open_rows(marl_outfile **out, const char *path, marl_error *error)
{
    return open_out(out, path, ROWS, error);
}

marl_status lab_outfile_open_growing(marl_outfile **out, const char *path, marl_error *error)
{
    return open_out(out, path, GROWING, error);
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
        if (!in_place && out->kind != GROWING) {
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
