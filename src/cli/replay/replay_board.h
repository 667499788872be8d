/* SPDX-License-Identifier: MIT
 * replay --on: the log through a board. */
#ifndef CLI_REPLAY_BOARD_H
#define CLI_REPLAY_BOARD_H

#include "cli/replay/replay_job.h"

/* Sends every row to the board, runs it here, too, compares the attitudes bit for bit and prints the outcome. Returns the
 * exit code: 0, or 1 when an attitude differs. */
int cli_replay_on_board(const cli *c, const cli_replay_options *options, cli_replay_job *job,
                        marl_error *error);

#endif
