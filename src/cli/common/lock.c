/* SPDX-License-Identifier: MIT
 * One run at a time reads, changes and replaces a file. */
#include "cli/common/cli.h"
#include "marlinspike/error.h"
#include <time.h>

enum { TRIES_BEFORE_A_MESSAGE = 20 };

void cli_lock_until_exit(const char *path)
{
    for (int i = 0; !marl_outfile_lock_folder(path); i++) {
        if (i == TRIES_BEFORE_A_MESSAGE) {
            cli_message("%s: another run changes a file in this folder; waiting for it", path);
        }
        nanosleep(&(struct timespec){.tv_nsec = 50000000}, NULL);
    }
}
