/* SPDX-License-Identifier: MIT
 * Spans of time, and the spans of rest in a log. */
#include "spans.h"
#include <stdlib.h>

#define LEAST_REST INT64_C(1000000000)

void marl_spans_free(marl_spans *spans)
{
    free(spans->span);
    spans->span = NULL;
    spans->n = 0;
}

double marl_spans_seconds(const marl_spans *spans)
{
    double seconds = 0;
    for (size_t i = 0; i < spans->n; i++) {
        seconds += (double)(spans->span[i].to_ns - spans->span[i].from_ns) * 1e-9;
    }
    return seconds;
}

int marl_spans_hold(const marl_spans *spans, int64_t t_ns, size_t *at)
{
    while (*at < spans->n && spans->span[*at].to_ns < t_ns) {
        (*at)++;
    }
    return *at < spans->n && spans->span[*at].from_ns <= t_ns;
}

int lab_spans_add(marl_spans *spans, int64_t from_ns, int64_t to_ns)
{
    if ((spans->n & (spans->n + 1)) == 0) { /* room is always the next power of two */
        marl_span *larger = realloc(spans->span, 2 * (spans->n + 1) * sizeof *larger);
        if (larger == NULL) {
            return 0;
        }
        spans->span = larger;
    }
    spans->span[spans->n++] = (marl_span){from_ns, to_ns};
    return 1;
}

/* Joins quiet windows that follow each other; a run of two or more is rest, if it is long enough. */
typedef struct run {
    int64_t from_ns, to_ns;
    int windows;
} run;

static int end_run(run *r, marl_spans *spans)
{
    int kept = r->windows >= 2 && r->to_ns - r->from_ns >= LEAST_REST;
    r->windows = 0;
    return !kept || lab_spans_add(spans, r->from_ns, r->to_ns);
}

static int take_window(run *r, marl_spans *spans, marl_still_verdict verdict, int64_t from, int64_t to)
{
    if (verdict == MARL_STILL_MOVING) {
        return end_run(r, spans);
    }
    if (r->windows++ == 0) {
        r->from_ns = from;
    }
    r->to_ns = to;
    return 1;
}

static int find_rest(const marl_log *log, marl_still *still, marl_spans *spans)
{
    run r = {0, 0, 0};
    for (size_t i = 0; i < log->n; i++) {
        marl_sample s = log->row[i].sample;
        int64_t window = still->window_start_ns;
        /* the sample that closes a window belongs to the next one */
        int64_t last = i > 0 ? log->row[i - 1].sample.t_ns : s.t_ns;
        /* what is refused is not fresh any more; that is all the detector needs to know */
        (void)!marl_sample_check(&s, NULL);
        marl_still_verdict verdict = marl_still_update(still, &s);
        if (verdict != MARL_STILL_OPEN && !take_window(&r, spans, verdict, window, last)) {
            return 0;
        }
    }
    if (log->n > 0) {
        int64_t window = still->window_start_ns, last = log->row[log->n - 1].sample.t_ns;
        marl_still_verdict verdict = marl_still_finish(still);
        /* too few readings to judge by: rest goes on, but none begins */
        int ends = verdict != MARL_STILL_OPEN || r.windows > 0;
        if (ends && !take_window(&r, spans, verdict, window, last)) {
            return 0;
        }
    }
    return end_run(&r, spans);
}

marl_status marl_inspect_still(const marl_log *log, marl_spans *spans, marl_error *error)
{
    marl_still still;
    marl_still_limits limits = marl_still_default_limits();
    *spans = (marl_spans){0, NULL};
    if (marl_still_init(&still, &limits) != MARL_OK || !find_rest(log, &still, spans)) {
        marl_spans_free(spans);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    return MARL_OK;
}
