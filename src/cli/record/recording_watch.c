/* SPDX-License-Identifier: MIT
 * record --watch: what filters make of it meanwhile. */
#include "cli/record/recording_watch.h"

marl_status recording_watch_read(recording_watch *w, char **texts, const marl_sheet *sheet, marl_error *error)
{
    for (char **text = texts; text != NULL && *text != NULL; text++) {
        if (w->n == MARL_LIVE_RUNS) {
            return marl_fail(error, MARL_ERR_USE, "record: at most %d filters can be watched",
                             MARL_LIVE_RUNS);
        }
        MARL_TRY(marl_tuning_read(&w->tuning[w->n++], *text, sheet, error));
    }
    return MARL_OK;
}

static marl_status begin(void *context, recording *r, marl_error *error)
{
    recording_watch *w = context;
    MARL_TRY(marl_live_create(&w->live, w->tuning, w->n, NULL, &r->info, r->from->name, error));
    r->watched = w->live;
    return MARL_OK;
}

static marl_status row(void *context, recording *r, const marl_log_row *row, marl_error *error)
{
    recording_watch *w = context;
    (void)r;
    (void)error;
    marl_live_feed(w->live, &row->sample);
    return MARL_OK;
}

recording_viewer recording_watch_viewer(recording_watch *w)
{
    return w->n > 0 ? (recording_viewer){.context = w, .begin = begin, .row = row} : (recording_viewer){0};
}
