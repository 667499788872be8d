/* SPDX-License-Identifier: MIT
 * From a line of a log to its cells. */
#ifndef LAB_LOG_SCAN_H
#define LAB_LOG_SCAN_H

#include "lab/log/log_cells.h"
#include "lab/log/log_format.h"
#include "lab/log/row_order.h"

enum { LAB_LABELS = 8, LAB_LABEL_COLUMNS = 32 };

/* The columns of the rows that have one label; what stands behind the last of them is passed over. */
typedef struct lab_labelled {
    char label[MARL_LABEL_MAX];
    size_t n;
    lab_column column[LAB_LABEL_COLUMNS];
} lab_labelled;

typedef struct lab_scanner {
    char delimiter, point;
    int named_cells; /* a cell may be "LABEL=NUMBER" */
    int time_parts;  /* columns whose sum is the time, where a map names them; all must be there */
    int met_comma;   /* a cell would be a number if its comma were a point */
    lab_layout layout;
    size_t labelled_n,
        label_at; /* rows of several sensors: their labels are in this column, and none is of `layout` */
    lab_labelled labelled[LAB_LABELS];
    lab_csv_row csv;
} lab_scanner;

/* Splits the line by libcsv into `csv`. A row is one line: were a quoted field to go on in the next one, a
 * stray quote from a noisy serial line would swallow the rest of the file. Returns 1 when the line is a row.
 * line[n] is the line end, also behind a last line that has none. */
int lab_scan_split(lab_scanner *scanner, const char *line, size_t n);

/* The columns of the row with this label, blanks around it passed over; NULL when there is none. */
const lab_labelled *lab_scan_labelled(const lab_scanner *scanner, const char *label, size_t n);

/* Is the time a date, or in parts, so that it may be a time of day? */
int lab_scan_has_day_time(const lab_scanner *scanner);

/* Reads the cells of the line; LAB_NUMBER_SLACK bytes from line[n] on must be readable. */
row_fault lab_scan_row(lab_scanner *scanner, const char *line, size_t n, lab_cells *row);

#endif
