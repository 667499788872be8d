/* SPDX-License-Identifier: MIT
 * Attitudes with what else 3-D programs and scripts want of them: replay --write. */
#ifndef CLI_REPLAY_WRITE_H
#define CLI_REPLAY_WRITE_H

#include "cli/common/cli.h"
#include "marlinspike/error.h"

enum { CLI_WRITE_GROUPS = 9 };

/* One --write: which groups of columns, in the order given. Zeroed: none. */
typedef struct cli_replay_write {
    marl_outfile *file;
    int groups, group[CLI_WRITE_GROUPS];
    marl_world world;
    marl_vec3 point;       /* --point, m, body */
    marl_unwrap unwrap[3]; /* of roll, pitch, yaw */
} cli_replay_write;

/* Reads --write and --point (may be NULL). MARL_ERR_USE for an unknown group, one twice, or no point. */
MARL_CHECKED marl_status cli_replay_write_read(cli_replay_write *w, const char *groups, const char *point,
                                               marl_error *error);
/* Opens the file and writes metadata and header. */
MARL_CHECKED marl_status cli_replay_write_open(cli_replay_write *w, const char *path,
                                               const marl_log_info *info, marl_error *error);
void cli_replay_write_row(cli_replay_write *w, const marl_log_row *row, const marl_pipeline *pipeline);
/* The names of all groups with their columns, for --help. */
extern const char cli_replay_write_help[];

#endif
