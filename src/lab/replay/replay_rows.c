/* SPDX-License-Identifier: MIT
 * Rows through a pipeline. */
#include "marlinspike/replay.h"
#include <stdlib.h>

marl_status marl_row_replay_begin(marl_row_replay *replay, const marl_degradation *degradation,
                                  marl_error *error)
{
    replay->row = 0;
    replay->estimate = (marl_series){0, NULL};
    if (marl_degrader_init(&replay->degrader, degradation) != MARL_OK) {
        return marl_fail(error, MARL_ERR_USE, "degradation out of range");
    }
    replay->estimate.at = malloc((replay->log->n + 1) * sizeof *replay->estimate.at);
    return replay->estimate.at != NULL ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
}

size_t marl_row_replay_advance(marl_row_replay *replay, size_t rows)
{
    const marl_log *log = replay->log;
    size_t end = log->n - replay->row < rows ? log->n : replay->row + rows;
    for (; replay->row < end; replay->row++) {
        const marl_sample *recorded = &log->row[replay->row].sample;
        marl_attitude *next = &replay->estimate.at[replay->estimate.n];
        marl_sample seen;
        if (marl_degrader_feed(&replay->degrader, recorded, &seen) &&
            marl_pipeline_step(replay->pipeline, &seen, &next->q) == MARL_OK) {
            next->t_ns = recorded->t_ns;
            replay->estimate.n++;
            if (replay->watch != NULL) {
                replay->watch(replay->watch_context, replay->pipeline, &seen, next->q);
            }
        }
    }
    return log->n - end;
}
