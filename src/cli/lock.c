/* SPDX-License-Identifier: MIT
 * One run at a time reads, changes and replaces a file. */
#include "cli.h"
#include <errno.h>
#include <fcntl.h>
#include <libgen.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <time.h>

/* The folder that holds what the path leads to; to be freed. */
static char *folder_of(const char *path)
{
    char *real = realpath(path, NULL); /* none: a new file */
    char *copy = real != NULL ? real : strdup(path);
    char *folder = copy != NULL ? strdup(dirname(copy)) : NULL;
    free(copy);
    return folder;
}

/* The folder is locked, not the file: the file is replaced, and may not be there yet. A short wait is not
 * worth a message. */
void cli_lock_until_exit(const char *path)
{
    char *folder = folder_of(path);
    int fd = folder != NULL ? open(folder, O_RDONLY | O_DIRECTORY | O_CLOEXEC) : -1;
    free(folder);
    for (int i = 0; fd >= 0; i++) { /* no folder: reading or writing the file says so */
        if (flock(fd, LOCK_EX | LOCK_NB) == 0 || errno != EWOULDBLOCK) {
            return;
        }
        if (i == 20) {
            cli_say("%s: another run changes a file in this folder; waiting for it", path);
        }
        nanosleep(&(struct timespec){.tv_nsec = 50000000}, NULL);
    }
}
