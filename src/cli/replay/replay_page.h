/* SPDX-License-Identifier: MIT
 * A replay as a report page. */
#ifndef CLI_REPLAY_PAGE_H
#define CLI_REPLAY_PAGE_H

#include "cli/common/cli.h"

/* What the page shows. */
typedef struct cli_replay_page {
    const char *log, *calibration, *body; /* calibration may be NULL */
    const marl_named_tuning *tuning;
    marl_log_options reading;
    marl_degradation degradation;
    cli_start start;
} cli_replay_page;

/* MARL_ERR_USE for a path that does not end in .html, and for a log that comes through a pipe. */
MARL_CHECKED marl_status cli_replay_page_check(const char *path, const char *log, marl_error *error);
/* Replays the log once more. */
MARL_CHECKED marl_status cli_replay_page_write(const cli_replay_page *page, const char *path,
                                               marl_error *error);

#endif
