/* SPDX-License-Identifier: MIT
 * replay --changes: a recording of live, with what was changed while it ran. */
#include "cli/replay/replay_job.h"
#include <stdio.h>

static marl_status check(const cli_replay_job *j, const cli_replay_options *o, marl_error *error)
{
    const marl_degradation *d = &j->degradation;
    if (o->tuning != NULL || o->calibration != NULL || o->start != NULL || o->page != NULL || d->every > 1 ||
        d->drop > 0 || d->jitter_s > 0 || d->gap.from_ns != d->gap.to_ns) {
        return marl_fail(error, MARL_ERR_USE,
                         "--changes replays what ran: not with --tuning, --calibration, --start, --report, "
                         "--every, --drop, --jitter or --gap");
    }
    return MARL_OK;
}

marl_status cli_replay_changes_open(cli_replay_job *j, const cli_replay_options *o, const char *path,
                                    marl_error *error)
{
    char names[600] = "";
    MARL_TRY(check(j, o, error));
    MARL_TRY(marl_changes_load(&j->changes, path, error));
    MARL_TRY(marl_live_of_changes(&j->live, &j->changes, marl_log_reader_info(j->reader), path, error));
    int run = marl_live_find(j->live, o->changes);
    if (run < 0) {
        for (size_t i = 0; i < j->live->n; i++) {
            marl_list_append(names, sizeof names, j->live->run[i].tuning.name);
        }
        return marl_fail(error, MARL_ERR_USE, "%s: no '%s' ran while it was recorded, but %s", path,
                         o->changes, names);
    }
    if (j->live->run[run].failure[0] != '\0') {
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s", j->live->run[run].failure);
    }
    j->pipeline = &j->live->run[run].pipeline;
    j->tuning = j->live->run[run].tuning;
    return MARL_OK;
}
