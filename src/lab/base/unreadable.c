/* SPDX-License-Identifier: MIT
 * Files that cannot be read. */
#include "lab/base/unreadable.h"
#include <dirent.h>
#include <errno.h>
#include <stdio.h>
#include <string.h>

/* "" when none is near. */
static void find_near(const char *path, char near[256])
{
    char folder[4096];
    const char *slash = strrchr(path, '/');
    marl_nearest_word nearest = {.given = slash != NULL ? slash + 1 : path};
    snprintf(folder, sizeof folder, "%.*s", slash != NULL ? (int)(slash - path) + 1 : 1,
             slash != NULL ? path : ".");
    near[0] = '\0';
    DIR *names = opendir(folder);
    for (struct dirent *one; names != NULL && (one = readdir(names)) != NULL;) {
        marl_nearest(&nearest, one->d_name);
        if (nearest.found == one->d_name) {
            snprintf(near, 256, "%s", one->d_name);
            nearest.found = near;
        }
    }
    if (names != NULL) {
        closedir(names);
    }
}

marl_status lab_unreadable(const char *path, marl_error *error)
{
    char near[256] = "";
    int why = errno;
    if (why == ENOENT) {
        find_near(path, near);
    }
    if (why == EISDIR) {
        return marl_fail(
            error, MARL_ERR_INPUT,
            "%s: is a folder, and a file is wanted here; 'marlinspike inspect %s -o LOG' puts the logs "
            "in it together",
            path, path);
    }
    return marl_fail(error, MARL_ERR_INPUT, "%s: cannot be read: %s%s%s%s", path, strerror(why),
                     near[0] ? " (" : "", near, near[0] ? "?)" : "");
}
