/* SPDX-License-Identifier: MIT
 * How far a long computation is. */
#include "cli/common/progress.h"
#include "marlinspike/lab.h"
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
    char clean[sizeof p->stage]; /* it may hold the name of a file */
    snprintf(clean, sizeof clean, "%s", stage);
    marl_text_clean(clean);
    if (strcmp(p->stage, clean) != 0) {
        cli_progress_end(p);
        clock_gettime(CLOCK_MONOTONIC, &p->began);
        memcpy(p->stage, clean, sizeof clean);
    }
    double since = seconds_since(&p->began);
    if (share <= 0 || share >= 1 || since < FIRST_S || (p->is_drawn && seconds_since(&p->shown) < EACH_S)) {
        return;
    }
    fprintf(stderr, CLEAR_LINE "%s: %.0f %%, %.0f s left%s", p->stage, 100 * share, since * (1 / share - 1),
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
