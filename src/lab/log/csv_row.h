/* SPDX-License-Identifier: MIT
 * Rows that are not plain, split by libcsv: headers, and rows with quoted fields. */
#ifndef LAB_CSV_ROW_H
#define LAB_CSV_ROW_H

#include <csv.h>
#include <stddef.h>

#define LAB_CSV_SLACK 8 /* bytes that can be read behind the last cell */

typedef struct lab_csv_row {
    struct csv_parser parser;
    char *text; /* the cells one after the other, each ended by a zero */
    size_t used, capacity;
    size_t *start; /* of each cell in `text` */
    size_t cells, cell_capacity;
    int complete;
    int no_memory;
} lab_csv_row;

/* Returns 0 without memory. */
int lab_csv_init(lab_csv_row *row, char delimiter);
void lab_csv_free(lab_csv_row *row);

/* Forgets the row before. */
void lab_csv_clear(lab_csv_row *row);
/* Feeds one line with its line end. Returns 1 when the row is complete; 0 when a quoted field is still
 * open; -1 when it is not CSV or memory is short. */
int lab_csv_feed(lab_csv_row *row, const char *line, size_t n);
const char *lab_csv_cell(const lab_csv_row *row, size_t i);

#endif
