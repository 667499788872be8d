/* SPDX-License-Identifier: MIT
 * How far a long computation is, and how long it still takes: one line on a terminal, drawn over and then erased. */
#ifndef CLI_PROGRESS_H
#define CLI_PROGRESS_H

#include <time.h>

typedef struct cli_progress {
    struct timespec began, shown;
    char stage[200]; /* what is being done: the time left is that of a stage */
    char note[120];  /* printed behind it, may be "" */
    int is_on, is_drawn;
} cli_progress;

/* Nothing is ever shown where stderr is no terminal, or when `quiet`. */
void cli_progress_begin(cli_progress *p, int quiet);

/* `context` is a cli_progress. Another stage begins where its name is another; its first second is not shown. */
void cli_progress_show(void *context, const char *stage, double share);

/* Erases the line. */
void cli_progress_end(cli_progress *p);

#endif
