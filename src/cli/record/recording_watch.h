/* SPDX-License-Identifier: MIT
 * Filters that look on while a recording is made. */
#ifndef RECORDING_WATCH_H
#define RECORDING_WATCH_H

#include "cli/common/recording.h"

typedef struct recording_watch {
    marl_named_tuning tuning[MARL_LIVE_RUNS];
    size_t n;
    marl_live *live; /* NULL before the first row; to be freed */
} recording_watch;

/* `texts` as of marl_tuning_read, NULL at their end; NULL: none. */
MARL_CHECKED marl_status recording_watch_read(recording_watch *watch, char **texts, const marl_sheet *sheet,
                                              marl_error *error);
recording_viewer recording_watch_viewer(recording_watch *watch);

#endif
