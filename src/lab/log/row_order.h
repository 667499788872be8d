/* SPDX-License-Identifier: MIT
 * Rows in the order of their time, from a file or a stream: repeated and backward times are dropped, wraps of
 * a 32-bit clock, and midnights, undone, and a single stamp that noise has spoilt is distinguished from a gap. */
#ifndef LAB_ROW_ORDER_H
#define LAB_ROW_ORDER_H

#include "marlinspike/log.h"

/* What can be wrong with a row. */
typedef enum row_fault {
    ROW_GOOD,
    ROW_OTHER, /* of a sensor that the map leaves out: not counted */
    ROW_SHORT,
    ROW_LONG,
    ROW_NOT_CSV,
    ROW_NO_TIME,
    ROW_TIME_REPEATED,
    ROW_TIME_BACK,
    ROW_TIME_AHEAD,
    ROW_CUT
} row_fault;

/* A row's place in time. */
typedef struct lab_moment {
    int64_t raw;     /* of the row */
    int64_t wrapped; /* what the wraps of its clock add */
    int64_t t_ns;    /* the sum */
} lab_moment;

/* A row that is not given out yet. */
typedef struct lab_kept_row {
    long line;
    lab_moment at;
    int wraps; /* its clock wrapped before it */
    marl_log_row row;
} lab_kept_row;

/* A row that jumped ahead, and the one that shows that time did. */
enum { ROWS_AT_ONCE = 2 };

/* So many from the past in a row, each a next one to the one before, are of a board that restarted, and no stamps that noise
 * has spoilt. */
enum { RESTART_ROWS = 3 };

/* Which rows from the past may be those of a board that restarted. */
typedef enum lab_restarts {
    LAB_RESTARTS_AT_START = 0, /* whose clock is where it was when the recording began, or earlier */
    LAB_RESTARTS_ANYWHERE,
    LAB_RESTARTS_NONE
} lab_restarts;

typedef struct lab_row_order {
    lab_restarts restarts;
    int keeps_repeated; /* rows whose time stands still go on by 1 ns each */
    int is_of_day;      /* times may be those of a day, or of an hour, which wrap */
    int64_t began_raw;  /* the first stamp since the last restart */
    int timed;          /* `at` is set */
    lab_moment at;      /* of the last row that is ready or given out */
    int fast;           /* rows have come within ten seconds */
    int has_ahead;
    lab_kept_row ahead; /* the first, or its time jumps ahead: the next row shows whether it does */
    lab_kept_row ready[ROWS_AT_ONCE]; /* from `first` on to be given out */
    int first;
    lab_kept_row past[RESTART_ROWS]; /* from the past */
    int past_n, due;                 /* of them; after a restart the next one to take its place, else 0 */
} lab_row_order;

void lab_row_order_init(lab_row_order *order);

/* The moment that a time stamp means, unwrapped; ROW_GOOD when time goes on. Changes nothing. */
row_fault lab_row_time(const lab_row_order *order, int64_t raw, lab_moment *at);

/* Where the next row is to be written, once lab_row_pop has given out all before it. */
marl_log_row *lab_row_slot(lab_row_order *order);

/* Takes the row in the slot, with its time stamp and line. The first one, and one that jumps ahead, waits for the
 * next, which has to follow it: accepting one corrupt stamp would make the following rows look late. A row whose time does
 * not go on is dropped and counted, unless it is one of a board that restarted: then its time is two seconds behind the last
 * row's, a gap behind which every filter starts again. */
row_fault lab_row_push(lab_row_order *order, int64_t raw, long line, marl_log_report *report);

/* Could a row at `t` be the next behind one at `before`? Within ten seconds, where rows have come faster so far, else an hour. */
int lab_row_follows(const lab_row_order *order, int64_t before, int64_t t);

/* No more rows will come: one that waits is ready now, unless it jumps ahead by more than an hour. */
void lab_row_end(lab_row_order *order, marl_log_report *report);

/* Gives out the next row; 0 when none is ready. */
int lab_row_pop(lab_row_order *order, marl_log_row *row, marl_log_report *report);

/* Counts a dropped row. */
void lab_row_fault(marl_log_report *report, row_fault fault, long line);

#endif
