/* SPDX-License-Identifier: MIT
 * Rows in the order of their time, from a file or a stream: repeated and backward times are dropped, wraps of
 * a 32-bit clock undone, and a single stamp that noise has spoilt is distinguished from a gap. */
#ifndef LAB_ROW_ORDER_H
#define LAB_ROW_ORDER_H

#include "marlinspike/log.h"

/* What can be wrong with a row. */
typedef enum row_fault {
    ROW_GOOD,
    ROW_SHORT,
    ROW_LONG,
    ROW_NOT_CSV,
    ROW_NO_TIME,
    ROW_TIME_REPEATED,
    ROW_TIME_BACK,
    ROW_TIME_AHEAD,
    ROW_CUT,
    ROW_KEPT /* no fault: not to be given out yet */
} row_fault;

/* A row's place in time. */
typedef struct lab_moment {
    int64_t raw;     /* of the row */
    int64_t wrapped; /* what the wraps of its clock add */
    int64_t t_ns;    /* the sum */
} lab_moment;

/* A row that is not given out yet. */
typedef struct lab_kept_row {
    int present;
    long line;
    lab_moment at;
    marl_log_row row;
} lab_kept_row;

typedef struct lab_row_order {
    int timed;            /* `at` is set */
    lab_moment at, found; /* of the last row given out, and of the row at hand */
    lab_kept_row ahead;   /* its time jumps ahead: the next row shows whether time does */
    lab_kept_row after;   /* the one behind it */
} lab_row_order;

/* The time of the row at hand, unwrapped; ROW_GOOD when it goes on. */
row_fault lab_row_time(lab_row_order *order, int64_t raw, int64_t *t_ns);

/* Decides whether the row at hand, whose time goes on, is given out now: ROW_GOOD, and *row is what is
 * given out. One that jumps ahead waits for the next (ROW_KEPT): were a single spoilt stamp accepted, all
 * rows up to it would seem to go back. */
row_fault lab_row_place(lab_row_order *order, marl_log_row *row, long line, marl_log_report *report);

/* Gives out a row that waited behind the last one; 0 when there is none. To be asked before the next row. */
int lab_row_waiting(lab_row_order *order, marl_log_row *row, marl_log_report *report);
/* The same at the end, for the row that jumped ahead. */
int lab_row_last(lab_row_order *order, marl_log_row *row, marl_log_report *report);

/* Counts a dropped row. */
void lab_row_fault(marl_log_report *report, row_fault fault, long line);

#endif
