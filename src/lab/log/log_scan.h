/* SPDX-License-Identifier: MIT
 * From a line of a log to its cells. */
#ifndef LAB_LOG_SCAN_H
#define LAB_LOG_SCAN_H

#include "lab/log/log_cells.h"
#include "lab/log/log_format.h"
#include "lab/log/row_order.h"

typedef struct lab_scanner {
    char delimiter, point;
    int has_labels; /* a cell may be "LABEL=NUMBER" */
    int met_comma;  /* a cell would be a number if its comma were a point */
    lab_layout layout;
    lab_csv_row csv;
} lab_scanner;

/* Splits the line by libcsv into `csv`. A row is one line: were a quoted field to go on in the next one, a
 * stray quote from a noisy serial line would swallow the rest of the file. Returns 1 when the line is a row.
 * line[n] is the line end, also behind a last line that has none. */
int lab_scan_split(lab_scanner *scanner, const char *line, size_t n);

/* Reads the cells of the line; LAB_NUMBER_SLACK bytes from line[n] on must be readable. */
row_fault lab_scan_row(lab_scanner *scanner, const char *line, size_t n, lab_cells *row);

#endif
