/* SPDX-License-Identifier: MIT
 * CSV lines of a stream: found byte by byte, from the first header on; the header may be repeated. With a map of
 * columns, lines of any text. */
#ifndef LAB_RECEIVER_LINES_H
#define LAB_RECEIVER_LINES_H

#include "lab/log/log_map.h"
#include "lab/log/log_scan.h"
#include "lab/log/number.h"
#include "marlinspike/app.h"
#include "marlinspike/record.h"

enum { LAB_LINE_MAX = 4096 };

typedef struct lab_row_queue {
    marl_log_row *row;
    size_t n, capacity, start;
} lab_row_queue;

/* Returns 0 without memory. */
int lab_row_queue_add(lab_row_queue *queue, const marl_log_row *row);

typedef struct lab_lines_in {
    const char *name;
    const marl_sheet *sheet;
    marl_log_info info;
    int headed;            /* a header has come */
    marl_error fault;      /* of the first header, or row, that had one */
    unsigned long skipped; /* bytes before the header, and of lines too long */
    long line;
    int mapped; /* text of another board, by a map of its columns */
    marl_column_map map;
    lab_heading *heading; /* until the columns are known */
    lab_changes changes;
    int by_numbers; /* no line of names */
    int blanks;     /* cells are divided by blanks */
    int64_t lines;  /* of rows, where the map gives their rate */
    uint8_t all_fresh;
    int64_t stamp, same; /* of the last row with a label, and how many more of it there were */
    lab_scanner scan;
    lab_cells cells;
    size_t n;
    int too_long;
    int in_packet; /* behind a zero */
    size_t packet_n;
    char header[LAB_LINE_MAX];
    char text[LAB_LINE_MAX + 1 + LAB_NUMBER_SLACK];
} lab_lines_in;

void lab_lines_in_init(lab_lines_in *in, const char *name, const marl_log_options *options);
void lab_lines_in_free(lab_lines_in *in);

/* Takes a byte; 1 when a line is complete, to be taken before the next byte. */
int lab_lines_in_byte(lab_lines_in *in, char byte);

/* The complete line: MARL_OK when it is a row, whose time as it stands is *raw; MARL_ERR_NOT_READY when it is
 * none. Rows that cannot be used are counted. */
marl_status lab_lines_in_feed(lab_lines_in *in, marl_log_report *report, marl_log_row *row, int64_t *raw);

#endif
