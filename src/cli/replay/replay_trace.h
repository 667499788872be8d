/* SPDX-License-Identifier: MIT
 * What a replay leaves for its figure. */
#ifndef CLI_REPLAY_H
#define CLI_REPLAY_H

#include "cli/common/cli.h"

enum { CLI_TRACES = 11 };

/* Columns of n values each: time, s, tilt and heading, deg, bias and its standard deviation per axis, deg/s,
 * weights of accelerometer and magnetometer; NaN where there is none. */
typedef struct cli_replay_trace {
    size_t n, capacity;
    double *value[CLI_TRACES];
} cli_replay_trace;

MARL_CHECKED marl_status cli_replay_trace_add(cli_replay_trace *trace, const marl_log_row *row,
                                              const marl_pipeline *pipeline, marl_error *error);
void cli_replay_trace_free(cli_replay_trace *trace);
MARL_CHECKED marl_status cli_replay_figure(const cli_replay_trace *trace, const char *tuning,
                                           const char *heading, const char *log, const char *path,
                                           marl_error *error);

#endif
