/* SPDX-License-Identifier: MIT
 * Rows in the order of their time. */
#include "lab/log/row_order.h"
#include <stdio.h>

/* A 32-bit clock of microseconds wraps after this many ns, a time of day after a day, or an hour without its hours ... */
#define CLOCK_WRAP (INT64_C(4294967296) * 1000)
#define DAY (INT64_C(86400) * 1000000000)
#define HOUR (INT64_C(3600) * 1000000000)
/* ... which is distinguished from a restart of the board by happening close to both ends. */
#define WRAP_MARGIN (INT64_C(60) * 1000000000)

/* A step of over a second may be a stamp that noise has spoilt. */
#define AHEAD INT64_C(1000000000)
/* Rows that are farther apart do not follow each other: one of the stamps is spoilt. */
#define SLOW INT64_C(10000000000)
#define SLOWEST (360 * SLOW)
/* Time that goes back by more than this, and is no wrap, may be that of a board that restarted; in a file it must come as
 * near to where the clock began. */
#define RESTART_NS INT64_C(500000000)
#define NEAR_START INT64_C(10000000000)
/* Between the last row before a restart of the board and the first after it. */
#define RESTART_GAP INT64_C(2000000000)
/* A century and more; differences of such times always fit. */
#define TIME_MAX (INT64_MAX / 4)

static const char *fault_text(row_fault fault)
{
    static const char *const text[] = {[ROW_GOOD] = "",
                                       [ROW_OTHER] = "",
                                       [ROW_SHORT] = "fewer cells than the header",
                                       [ROW_LONG] = "more cells than the header",
                                       [ROW_NOT_CSV] = "not CSV",
                                       [ROW_NO_TIME] = "t is not a usable number",
                                       [ROW_TIME_REPEATED] = "time stands still",
                                       [ROW_TIME_BACK] = "time goes back",
                                       [ROW_TIME_AHEAD] = "time jumps ahead and comes back",
                                       [ROW_CUT] = "the last line is cut off"};
    return text[fault];
}

void lab_row_order_init(lab_row_order *o)
{
    *o = (lab_row_order){.first = ROWS_AT_ONCE};
}

static int wraps_at(int64_t before, int64_t raw, int64_t wrap)
{
    return before < wrap && before > wrap - WRAP_MARGIN && raw >= 0 && raw < WRAP_MARGIN;
}

/* How much the clock has gone round by, between the last row and this one. */
static int64_t wrap_between(const lab_row_order *o, int64_t raw)
{
    return !o->timed                                        ? 0
           : wraps_at(o->at.raw, raw, CLOCK_WRAP)           ? CLOCK_WRAP
           : o->is_of_day && wraps_at(o->at.raw, raw, DAY)  ? DAY
           : o->is_of_day && wraps_at(o->at.raw, raw, HOUR) ? HOUR
                                                            : 0;
}

row_fault lab_row_time(const lab_row_order *o, int64_t raw, lab_moment *at)
{
    if (raw > TIME_MAX || raw < -TIME_MAX) {
        return ROW_NO_TIME;
    }
    at->raw = raw;
    at->wrapped = o->at.wrapped + wrap_between(o, raw);
    at->t_ns = raw + at->wrapped;
    if (at->t_ns > TIME_MAX) { /* after restarts */
        return ROW_NO_TIME;
    }
    if (o->timed && o->keeps_repeated && raw == o->at.raw) {
        at->t_ns = o->at.t_ns + 1;
    }
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

/* ready[from] is given out next, after it those behind it. */
static void make_ready(lab_row_order *o, int from)
{
    o->first = from;
    for (int i = from; i < ROWS_AT_ONCE; i++) {
        lab_kept_row *ready = &o->ready[i];
        ready->wraps = ready->at.wrapped != o->at.wrapped;
        o->fast |= o->timed && ready->at.t_ns - o->at.t_ns <= SLOW;
        o->began_raw = o->timed ? o->began_raw : ready->at.raw;
        o->at = ready->at;
        o->timed = 1;
    }
}

static lab_kept_row *slot(lab_row_order *o)
{
    return &o->ready[ROWS_AT_ONCE - 1];
}

marl_log_row *lab_row_slot(lab_row_order *o)
{
    return &slot(o)->row;
}

/* Decides about the row that waits, by the one in the slot. Returns 1 when that has found its place with it. */
static int settle_ahead(lab_row_order *o, marl_log_report *report)
{
    lab_kept_row *row = slot(o), first = o->ahead;
    int64_t step = row->at.t_ns - first.at.t_ns;
    o->has_ahead = 0;
    if (o->timed ? lab_row_follows(o, first.at.t_ns, row->at.t_ns) : step > 0 && step <= AHEAD) {
        o->ready[0] = first;
        make_ready(o, 0);
        return 1;
    }
    if (!o->timed && step > 0) { /* the first is good, and this one jumps ahead */
        o->ahead = *row;
        o->has_ahead = 1;
        *row = first;
        make_ready(o, ROWS_AT_ONCE - 1);
        return 1;
    }
    lab_row_fault(report, ROW_TIME_AHEAD, first.line);
    return 0;
}

int lab_row_follows(const lab_row_order *o, int64_t before, int64_t t)
{
    return t > before && t - before <= (o->fast ? SLOW : SLOWEST);
}

/* Is the row in the slot one of a board that restarted, and not of a clock that wrapped? */
static int began_anew(const lab_row_order *o, row_fault fault)
{
    const lab_moment *at = &o->ready[ROWS_AT_ONCE - 1].at;
    int may = o->restarts == LAB_RESTARTS_ANYWHERE ||
              (o->restarts == LAB_RESTARTS_AT_START && at->raw <= o->began_raw + NEAR_START);
    return fault == ROW_TIME_BACK && may && o->at.t_ns - at->t_ns > RESTART_NS;
}

/* They were no restart. */
static void drop_past(lab_row_order *o, marl_log_report *report)
{
    for (int i = 0; i < o->past_n; i++) {
        lab_row_fault(report, ROW_TIME_BACK, o->past[i].line);
    }
    o->past_n = 0;
}

/* The clock began anew with the rows from the past. */
static void restart(lab_row_order *o, marl_log_report *report)
{
    int64_t raw = o->past[0].at.raw;
    if (report->restarts++ == 0) {
        report->first_restart_ns = o->at.t_ns;
    }
    o->at.wrapped = o->at.t_ns + RESTART_GAP - raw;
    o->at.raw = raw - RESTART_GAP;
    o->began_raw = raw;
    o->due = 1;
}

/* Finds its place for the row in the slot. */
static row_fault put(lab_row_order *o, row_fault fault, marl_log_report *report)
{
    lab_kept_row *row = slot(o);
    if (fault == ROW_GOOD && o->has_ahead && row->at.t_ns == o->ahead.at.t_ns) {
        fault = o->keeps_repeated ? ROW_GOOD : ROW_TIME_REPEATED;
        row->at.t_ns += 1;
        report->repeated_kept += o->keeps_repeated != 0;
    }
    if (fault != ROW_GOOD) {
        lab_row_fault(report, fault, row->line);
        return fault;
    }
    row->row.sample.t_ns = row->at.t_ns;
    if (o->has_ahead && settle_ahead(o, report)) {
        return ROW_GOOD;
    }
    if (!o->timed || row->at.t_ns - o->at.t_ns > AHEAD) {
        o->ahead = *row;
        o->has_ahead = 1;
    } else {
        make_ready(o, ROWS_AT_ONCE - 1);
    }
    return ROW_GOOD;
}

row_fault lab_row_push(lab_row_order *o, int64_t raw, long line, marl_log_report *report)
{
    lab_kept_row *row = slot(o);
    row_fault fault = lab_row_time(o, raw, &row->at);
    int is_past = began_anew(o, fault);
    report->repeated_kept += o->keeps_repeated && o->timed && raw == o->at.raw;
    row->line = line;
    if (o->past_n > 0 && !(is_past && lab_row_follows(o, o->past[o->past_n - 1].at.raw, raw))) {
        drop_past(o, report);
    }
    if (!is_past) {
        return put(o, fault, report);
    }
    o->past[o->past_n++] = *row;
    if (o->past_n == RESTART_ROWS) {
        restart(o, report);
    }
    return ROW_GOOD;
}

/* The next row behind a restart that finds its place. */
static void put_due(lab_row_order *o, marl_log_report *report)
{
    while (o->first == ROWS_AT_ONCE && o->due > 0) {
        lab_kept_row *row = slot(o);
        *row = o->past[o->due - 1];
        (void)put(o, lab_row_time(o, row->at.raw, &row->at), report);
        o->due = o->due < o->past_n ? o->due + 1 : 0;
        o->past_n = o->due > 0 ? o->past_n : 0;
    }
}

void lab_row_end(lab_row_order *o, marl_log_report *report)
{
    drop_past(o, report);
    if (o->has_ahead && o->timed && o->ahead.at.t_ns - o->at.t_ns > SLOWEST) {
        lab_row_fault(report, ROW_TIME_AHEAD, o->ahead.line);
    } else if (o->has_ahead) {
        *slot(o) = o->ahead;
        make_ready(o, ROWS_AT_ONCE - 1);
    }
    o->has_ahead = 0;
}

int lab_row_pop(lab_row_order *o, marl_log_row *row, marl_log_report *report)
{
    put_due(o, report);
    if (o->first == ROWS_AT_ONCE) {
        return 0;
    }
    const lab_kept_row *ready = &o->ready[o->first++];
    *row = ready->row;
    report->clock_wraps += ready->wraps != 0;
    report->rows++;
    return 1;
}
