/* SPDX-License-Identifier: MIT
 * What a replay is made of, and how its outcome is shown. */
#ifndef CLI_REPLAY_JOB_H
#define CLI_REPLAY_JOB_H

#include "cli/common/cli.h"
#include "cli/replay/replay_trace.h"
#include "cli/replay/replay_write.h"
#include <time.h>

typedef struct cli_replay_options {
    cli_reading reading;
    cli_degradation degradation;
    char *calibration, *tuning, *out, *start, *figure, *page, *body, *write, *point, *changes, *on;
    int digest;
    double pace;
} cli_replay_options;

/* One replay from file to file, in flat memory. */
typedef struct cli_replay_job {
    marl_log_reader *reader;
    marl_log_writer *writer; /* NULL: no file asked for */
    marl_named_tuning tuning;
    marl_pipeline own, *pipeline; /* its own, or with --changes that of a run of `live` */
    marl_live *live;              /* NULL without --changes */
    marl_changes changes;
    marl_degrader degrader;
    marl_log_row last; /* attitude last given out */
    marl_degradation degradation;
    cli_start start;        /* the log's own attitude once it is known */
    cli_replay_trace trace; /* for the figure */
    cli_replay_write write; /* instead of `writer`, with --write */
    double declination_deg; /* NaN: headings stay magnetic */
    int paced;              /* the first row's time stands in first_ns, the clock's then in began */
    int64_t first_ns;
    struct timespec began;
    marl_start_watch start_watch;
    marl_warnings warnings;
} cli_replay_job;

/* --changes: the runs of a live recording as they began. */
MARL_CHECKED marl_status cli_replay_changes_open(cli_replay_job *job, const cli_replay_options *options,
                                                 const char *path, marl_error *error);

json_t *cli_replay_json(const cli_replay_job *job);
int cli_replay_print_table(const cli_replay_job *job, const cli_replay_options *options);

#endif
