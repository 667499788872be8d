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

row_fault lab_row_time(lab_row_order *o, int64_t raw, int64_t *t_ns)
{
    if (raw > TIME_MAX || raw < -TIME_MAX) {
        return ROW_NO_TIME;
    }
    int wraps = o->timed && o->at.raw < CLOCK_WRAP && o->at.raw > CLOCK_WRAP - WRAP_MARGIN && raw >= 0 &&
                raw < WRAP_MARGIN;
    o->found.raw = raw;
    o->found.wrapped = o->at.wrapped + (wraps ? CLOCK_WRAP : 0);
    o->found.t_ns = *t_ns = raw + o->found.wrapped;
    if (o->timed && o->found.t_ns <= o->at.t_ns) {
        return o->found.t_ns == o->at.t_ns ? ROW_TIME_REPEATED : ROW_TIME_BACK;
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

static void give_out(lab_row_order *o, const lab_moment *at, marl_log_report *report)
{
    report->clock_wraps += at->wrapped != o->at.wrapped;
    report->rows++;
    o->at = *at;
    o->timed = 1;
}

static void keep(lab_kept_row *kept, const marl_log_row *row, long line, const lab_moment *at)
{
    *kept = (lab_kept_row){.present = 1, .line = line, .at = *at, .row = *row};
}

row_fault lab_row_place(lab_row_order *o, marl_log_row *row, long line, marl_log_report *report)
{
    lab_kept_row *ahead = &o->ahead;
    if (ahead->present && o->found.t_ns == ahead->at.t_ns) {
        return ROW_TIME_REPEATED;
    }
    if (ahead->present && o->found.t_ns > ahead->at.t_ns) {
        keep(&o->after, row, line, &o->found);
        *row = ahead->row;
        ahead->present = 0;
        give_out(o, &ahead->at, report);
        return ROW_GOOD;
    }
    if (ahead->present) {
        lab_row_fault(report, ROW_TIME_AHEAD, ahead->line);
        ahead->present = 0;
    }
    if (o->timed && o->found.t_ns - o->at.t_ns > AHEAD) {
        keep(ahead, row, line, &o->found);
        return ROW_KEPT;
    }
    give_out(o, &o->found, report);
    return ROW_GOOD;
}

static int release_kept(lab_row_order *o, lab_kept_row *kept, marl_log_row *row, marl_log_report *report)
{
    if (!kept->present) {
        return 0;
    }
    kept->present = 0;
    *row = kept->row;
    give_out(o, &kept->at, report);
    return 1;
}

int lab_row_waiting(lab_row_order *order, marl_log_row *row, marl_log_report *report)
{
    return release_kept(order, &order->after, row, report);
}

int lab_row_last(lab_row_order *order, marl_log_row *row, marl_log_report *report)
{
    return release_kept(order, &order->ahead, row, report);
}
