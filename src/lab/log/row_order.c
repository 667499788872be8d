/* SPDX-License-Identifier: MIT
 * Rows in the order of their time. */
#include "lab/log/row_order.h"
#include <stdio.h>

/* A 32-bit clock of microseconds wraps after this many ns ... */
#define CLOCK_WRAP (INT64_C(4294967296) * 1000)
/* ... which is distinguished from a restart of the board by happening close to both ends. */
#define WRAP_MARGIN (INT64_C(60) * 1000000000)

/* A step of over a second may be a stamp that noise has spoilt. */
#define AHEAD INT64_C(1000000000)
/* A century and more; differences of such times always fit. */
#define TIME_MAX (INT64_MAX / 4)

static const char *fault_text(row_fault fault)
{
    static const char *const text[] = {"",
                                       "fewer cells than the header",
                                       "more cells than the header",
                                       "not CSV",
                                       "t is not a usable number",
                                       "time stands still",
                                       "time goes back",
                                       "time jumps ahead and comes back",
                                       "the last line is cut off"};
    return text[fault];
}

row_fault lab_row_time(const lab_row_order *o, int64_t raw, lab_moment *at)
{
    if (raw > TIME_MAX || raw < -TIME_MAX) {
        return ROW_NO_TIME;
    }
    int wraps = o->timed && o->at.raw < CLOCK_WRAP && o->at.raw > CLOCK_WRAP - WRAP_MARGIN && raw >= 0 &&
                raw < WRAP_MARGIN;
    at->raw = raw;
    at->wrapped = o->at.wrapped + (wraps ? CLOCK_WRAP : 0);
    at->t_ns = raw + at->wrapped;
    if (o->timed && at->t_ns <= o->at.t_ns) {
        return at->t_ns == o->at.t_ns ? ROW_TIME_REPEATED : ROW_TIME_BACK;
    }
    return ROW_GOOD;
}

void lab_row_fault(marl_log_report *report, row_fault fault, long line)
{
    report->rows_dropped++;
    report->time_repeated += fault == ROW_TIME_REPEATED;
    report->time_back += fault == ROW_TIME_BACK || fault == ROW_TIME_AHEAD;
    report->truncated |= fault == ROW_CUT;
    if (report->first_dropped_line == 0) {
        report->first_dropped_line = line;
        snprintf(report->first_dropped_why, sizeof report->first_dropped_why, "%s", fault_text(fault));
    }
}

static void make_ready(lab_row_order *o, const lab_kept_row *row)
{
    lab_kept_row *ready = &o->ready[o->n++];
    *ready = *row;
    ready->wraps = row->at.wrapped != o->at.wrapped;
    o->at = row->at;
    o->timed = 1;
}

row_fault lab_row_put(lab_row_order *o, const lab_kept_row *row, marl_log_report *report)
{
    o->first = o->n = 0;
    if (o->has_ahead && row->at.t_ns == o->ahead.at.t_ns) {
        return ROW_TIME_REPEATED;
    }
    if (o->has_ahead && row->at.t_ns > o->ahead.at.t_ns) {
        make_ready(o, &o->ahead);
        make_ready(o, row);
        o->has_ahead = 0;
        return ROW_GOOD;
    }
    if (o->has_ahead) {
        lab_row_fault(report, ROW_TIME_AHEAD, o->ahead.line);
        o->has_ahead = 0;
    }
    if (o->timed && row->at.t_ns - o->at.t_ns > AHEAD) {
        o->ahead = *row;
        o->has_ahead = 1;
    } else {
        make_ready(o, row);
    }
    return ROW_GOOD;
}

void lab_row_end(lab_row_order *o)
{
    if (o->has_ahead) {
        o->first = o->n = 0;
        make_ready(o, &o->ahead);
        o->has_ahead = 0;
    }
}

int lab_row_next(lab_row_order *o, marl_log_row *row, marl_log_report *report)
{
    if (o->first == o->n) {
        return 0;
    }
    const lab_kept_row *ready = &o->ready[o->first++];
    *row = ready->row;
    report->clock_wraps += ready->wraps != 0;
    report->rows++;
    return 1;
}
