/* SPDX-License-Identifier: MIT
 * Targets, folders and temporary files. */
#include "lab/base/outfile_target.h"
#include "lab/base/outfile.h"
#include "marlinspike/error.h"
#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <libgen.h>
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#define RANDOM_LETTERS "XXXXXX"
#define MAX_LINKS 40

/* The folder of a path, to be freed. */
static char *folder_of(const char *path)
{
    char *copy = strdup(path);
    char *folder = copy != NULL ? strdup(dirname(copy)) : NULL;
    free(copy);
    return folder;
}

/* One link further: the target of `at`. */
static char *one_link(const char *at, const char *link)
{
    char *folder = link[0] == '/' ? strdup("") : folder_of(at);
    size_t size = (folder != NULL ? strlen(folder) : 0) + strlen(link) + 2;
    char *next = folder != NULL ? malloc(size) : NULL;
    if (next != NULL) {
        snprintf(next, size, "%s%s%s", folder, folder[0] != '\0' ? "/" : "", link);
    }
    free(folder);
    return next;
}

char *marl_outfile_followed(const char *path)
{
    char *at = strdup(path);
    for (int i = 0; at != NULL && i <= MAX_LINKS; i++) {
        char link[PATH_MAX + 1];
        ssize_t n = readlink(at, link, PATH_MAX);
        if (n < 0) {
            return at; /* no link, or nothing there */
        }
        link[n] = '\0';
        char *next = one_link(at, link);
        free(at);
        at = next;
    }
    if (at != NULL) {
        errno = ELOOP;
    }
    free(at);
    return NULL;
}

/* Another run may have cleared the file before it was locked. */
static int was_cleared(int fd)
{
    struct stat file;
    return fstat(fd, &file) == 0 && file.st_nlink == 0;
}

int lab_outfile_temporary(const char *target, char **path)
{
    size_t size = strlen(target) + sizeof ".tmp." RANDOM_LETTERS;
    *path = malloc(size);
    int fd = -1;
    while (*path != NULL) {
        snprintf(*path, size, "%s.tmp." RANDOM_LETTERS, target);
        fd = mkstemp(*path);
        if (fd < 0) {
            break;
        }
        (void)fcntl(fd, F_SETFD, FD_CLOEXEC);
        (void)flock(fd, LOCK_EX); /* where files cannot be locked, none is ever cleared */
        if (!was_cleared(fd)) {
            return fd;
        }
        close(fd);
    }
    free(*path);
    *path = NULL;
    return -1;
}

static int is_temporary_of(const char *name, const char *base)
{
    size_t n = strlen(base);
    return strncmp(name, base, n) == 0 && strncmp(name + n, ".tmp.", 5) == 0 &&
           strlen(name + n + 5) == sizeof RANDOM_LETTERS - 1;
}

static void clear_one(int folder, const char *name)
{
    int fd = openat(folder, name, O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK);
    if (fd >= 0 && flock(fd, LOCK_EX | LOCK_NB) == 0) {
        unlinkat(folder, name, 0);
    }
    if (fd >= 0) {
        close(fd);
    }
}

void lab_outfile_clear(const char *target)
{
    char *folder = folder_of(target), *copy = strdup(target);
    DIR *list = folder != NULL && copy != NULL ? opendir(folder) : NULL;
    const char *base = copy != NULL ? basename(copy) : "";
    for (struct dirent *e; list != NULL && (e = readdir(list)) != NULL;) {
        if (is_temporary_of(e->d_name, base)) {
            clear_one(dirfd(list), e->d_name);
        }
    }
    if (list != NULL) {
        closedir(list);
    }
    free(folder);
    free(copy);
}

int lab_outfile_sync_folder(const char *target)
{
    char *folder = folder_of(target);
    int fd = folder != NULL ? open(folder, O_RDONLY | O_DIRECTORY | O_CLOEXEC) : -1;
    free(folder);
    if (fd < 0) {
        return 0; /* a folder that may be written and not read: nothing more can be done */
    }
    int failed = fsync(fd) != 0 && errno != EINVAL ? errno : 0; /* EINVAL: this file system need not */
    close(fd);
    return failed;
}

int marl_outfile_lock_folder(const char *path)
{
    char *target = marl_outfile_followed(path);
    char *folder = target != NULL ? folder_of(target) : NULL;
    int fd = folder != NULL ? open(folder, O_RDONLY | O_DIRECTORY | O_CLOEXEC) : -1;
    free(target);
    free(folder);
    if (fd >= 0 && flock(fd, LOCK_EX | LOCK_NB) != 0 && errno == EWOULDBLOCK) {
        close(fd);
        return 0;
    }
    return 1; /* open until the process ends */
}
