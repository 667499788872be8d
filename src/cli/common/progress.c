/* SPDX-License-Identifier: MIT
 * How far a long computation is. */
#include "cli/common/progress.h"
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#define CLEAR_LINE "\r\033[K"
#define FIRST_S 1.0 /* after so much it is worth a line */
#define EACH_S 0.2

static double seconds_since(const struct timespec *from)
{
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (double)(now.tv_sec - from->tv_sec) + 1e-9 * (double)(now.tv_nsec - from->tv_nsec);
}

void cli_progress_begin(cli_progress *p, int quiet)
{
    *p = (cli_progress){.is_on = isatty(STDERR_FILENO) && !quiet};
    clock_gettime(CLOCK_MONOTONIC, &p->began);
    p->shown = p->began;
}

void cli_progress_show(void *context, const char *stage, double share)
{
    cli_progress *p = context;
    if (!p->is_on) {
        return;
    }
    if (strncmp(p->stage, stage, sizeof p->stage - 1) != 0) {
        cli_progress_end(p);
        clock_gettime(CLOCK_MONOTONIC, &p->began);
        snprintf(p->stage, sizeof p->stage, "%s", stage);
    }
    double since = seconds_since(&p->began);
    if (share <= 0 || share >= 1 || since < FIRST_S || (p->is_drawn && seconds_since(&p->shown) < EACH_S)) {
        return;
    }
    fprintf(stderr, CLEAR_LINE "%s: %.0f %%, %.0f s left%s", stage, 100 * share, since * (1 / share - 1),
            p->note);
    fflush(stderr);
    clock_gettime(CLOCK_MONOTONIC, &p->shown);
    p->is_drawn = 1;
}

void cli_progress_end(cli_progress *p)
{
    if (p->is_drawn) {
        fputs(CLEAR_LINE, stderr);
        fflush(stderr);
    }
    p->is_drawn = 0;
}
