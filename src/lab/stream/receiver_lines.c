/* SPDX-License-Identifier: MIT
 * CSV lines of a stream. */
#include "lab/stream/receiver_lines.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { FIRST_ROWS = 3 };

void lab_lines_in_init(lab_lines_in *in, const char *name, const marl_log_options *options)
{
    in->name = name;
    in->sheet = options != NULL ? options->sheet : NULL;
    in->scan.point = options != NULL && options->decimal ? options->decimal : '.';
    if (options != NULL && options->columns != NULL) {
        in->mapped = 1;
        in->map = *options->columns;
        lab_changes_init(&in->changes, in->map.changed);
        memcpy(in->cells.turns, in->map.turns, sizeof in->cells.turns);
    }
}

void lab_lines_in_free(lab_lines_in *in)
{
    if (in->headed || in->heading != NULL) {
        lab_csv_free(&in->scan.csv);
    }
    free(in->heading);
}

/* Between lines a board may send a packet, which stands between two zeros. */
static int belongs_to_packet(lab_lines_in *in, char byte)
{
    int inside = in->in_packet;
    if (byte == '\0') {
        in->in_packet = !inside;
        in->packet_n = 0;
        in->skipped += in->n;
        in->n = 0;
        return 1;
    }
    in->packet_n += inside != 0;
    in->in_packet = inside && in->packet_n < MARL_PACKET_SIZE(MARL_ITEM_MAX); /* else that zero was noise */
    return in->in_packet;
}

int lab_lines_in_byte(lab_lines_in *in, char byte)
{
    if (belongs_to_packet(in, byte)) {
        return 0;
    }
    if (byte == '\n') {
        return 1;
    }
    in->too_long |= in->n == LAB_LINE_MAX;
    if (!in->too_long) {
        in->text[in->n++] = byte;
    }
    return 0;
}

/* Is the line a header of ours? Only then are its faults reported. */
static int looks_like_header(const char *text, size_t n)
{
    return n >= 2 && text[0] == 't' &&
           (text[1] == '[' || text[1] == ',' || text[1] == ';' || text[1] == '\t');
}

/* Sets the columns; MARL_ERR_INPUT when the header has a fault, which is remembered: the line may be noisy and the next
 * one good. */
static marl_status use_header(lab_lines_in *in, marl_log_report *report)
{
    char where[300];
    snprintf(where, sizeof where, "%.200s:%ld", in->name, in->line);
    in->scan.delimiter = lab_delimiter(in->text, in->n);
    if (!lab_csv_init(&in->scan.csv, in->scan.delimiter)) {
        return marl_fail(&in->fault, MARL_ERR_SYSTEM, "no memory");
    }
    marl_status status = MARL_ERR_INPUT;
    in->scan.layout.n = 0; /* of a header with a fault before */
    in->info.columns = 0;
    report->unknown_columns[0] = report->assumed_units[0] = '\0';
    if (in->scan.delimiter == in->scan.point) {
        status = marl_fail(&in->fault, MARL_ERR_INPUT, "%s: cells are divided by the decimal comma", where);
    } else if (lab_scan_split(&in->scan, in->text, in->n)) {
        const lab_header h = {where, in->sheet, &in->info, report, &in->fault};
        status = lab_layout_read(&in->scan.layout, &in->scan.csv, &h);
    }
    if (status != MARL_OK) {
        lab_csv_free(&in->scan.csv);
        in->skipped += in->n + 1;
        return MARL_ERR_INPUT;
    }
    memcpy(in->header, in->text, in->n);
    in->header[in->n] = '\0';
    in->all_fresh = lab_cells_all_fresh(in->info.columns);
    return MARL_OK;
}

static marl_status read_header(lab_lines_in *in, marl_log_report *report)
{
    marl_status status = use_header(in, report);
    in->headed = status == MARL_OK;
    return status == MARL_ERR_SYSTEM ? status : MARL_ERR_NOT_READY;
}

/* Of a board that was started or tuned anew: other columns from now on. One with a fault changes nothing. */
static marl_status change_header(lab_lines_in *in, marl_log_report *report)
{
    lab_csv_free(&in->scan.csv);
    marl_status status = read_header(in, report);
    if (status == MARL_ERR_NOT_READY && !in->headed) {
        in->n = strlen(in->header);
        memcpy(in->text, in->header, in->n);
        in->text[in->n] = '\n';
        status = read_header(in, report);
    }
    return status;
}

/* Rows with labels that are of one moment follow each other by a nanosecond, so that none is taken for a repeated one. */
static int64_t own_moment(lab_lines_in *in, int64_t t_ns)
{
    in->same = t_ns == in->stamp ? in->same + 1 : 0;
    in->stamp = t_ns;
    return t_ns + in->same;
}

static marl_status read_cells(lab_lines_in *in, marl_log_report *report, marl_log_row *row, int64_t *raw)
{
    if (in->blanks) {
        in->n = lab_join_blanks(in->text, in->n);
        in->text[in->n] = '\n';
    }
    row_fault fault = lab_scan_row(&in->scan, in->text, in->n, &in->cells);
    if (in->mapped && in->map.rate_hz > 0) {
        in->cells.t_ns = (int64_t)llround((double)in->lines++ / in->map.rate_hz * 1e9);
        in->cells.good |= 1u << MARL_COLUMN_T;
    }
    lab_changes_keep(&in->changes, &in->cells);
    if (in->scan.met_comma) {
        marl_fail(&in->fault, MARL_ERR_INPUT, "%s:%ld: a decimal comma: use --decimal ,", in->name, in->line);
        in->scan.met_comma = 0;
        fault = ROW_NOT_CSV;
    }
    if (fault == ROW_OTHER) {
        return MARL_ERR_NOT_READY;
    }
    if (fault == ROW_GOOD && !(in->cells.good & (1u << MARL_COLUMN_T))) {
        fault = ROW_NO_TIME;
    }
    if (fault != ROW_GOOD) {
        lab_row_fault(report, fault, in->line);
        return MARL_ERR_NOT_READY;
    }
    unsigned missing = lab_cells_to_row(&in->cells, in->info.columns, in->all_fresh, row);
    for (unsigned set = missing; set != 0; set &= set - 1) {
        report->cells_missing++;
    }
    if (missing != 0 && report->first_missing_line == 0) {
        report->first_missing_line = in->line;
    }
    *raw = in->scan.labelled_n > 0 ? own_moment(in, in->cells.t_ns) : in->cells.t_ns;
    return MARL_OK;
}

/* A line of another board before its columns are known: words, names, or the first row. */
static marl_status find_columns(lab_lines_in *in, marl_log_report *report, marl_log_row *row, int64_t *raw)
{
    char where[300];
    int started = in->heading != NULL;
    in->heading = started ? in->heading : calloc(1, sizeof *in->heading);
    if (in->heading == NULL || (!started && !lab_csv_init(&in->scan.csv, ','))) {
        return marl_fail(&in->fault, MARL_ERR_SYSTEM, "no memory");
    }
    lab_map_line found = lab_map_try(&in->scan, in->text, &in->n, &in->map, in->heading, &in->blanks);
    if (found == LAB_MAP_NONE) {
        in->skipped += in->n + 1;
        return MARL_ERR_NOT_READY;
    }
    snprintf(where, sizeof where, "%.200s:%ld", in->name, in->line);
    const lab_header h = {where, in->sheet, &in->info, report, &in->fault};
    in->info.columns = 0;
    marl_status status = lab_map_lay_out(&in->scan, &in->map, in->heading, &h);
    if (status != MARL_OK) {
        return status; /* the map itself does not fit these columns: no later line will */
    }
    in->all_fresh = lab_cells_all_fresh(in->info.columns);
    in->headed = 1;
    in->by_numbers = found == LAB_MAP_ROW;
    if (!in->by_numbers) {
        memcpy(in->header, in->text, in->n);
        in->header[in->n] = '\0';
    }
    return found == LAB_MAP_ROW ? read_cells(in, report, row, raw) : MARL_ERR_NOT_READY;
}

/* The first line of a stream may have lost its beginning: until some rows were good, another number of cells is a new
 * start. */
static void begin_again(lab_lines_in *in, unsigned long rows)
{
    if (rows < FIRST_ROWS && in->scan.labelled_n == 0 &&
        lab_split_any(&in->scan, in->text, &in->n, &in->blanks) && in->scan.csv.cells != in->scan.layout.n) {
        in->headed = 0;
    }
}

static marl_status feed(lab_lines_in *in, marl_log_report *report, marl_log_row *row, int64_t *raw)
{
    if (in->too_long) {
        in->skipped += in->n;
        return MARL_ERR_NOT_READY;
    }
    if (in->n == 0) {
        return MARL_ERR_NOT_READY;
    }
    if (in->headed && in->by_numbers) {
        begin_again(in, report->rows);
    }
    if (in->headed) {
        int again = strlen(in->header) == in->n && memcmp(in->header, in->text, in->n) == 0;
        if (!again && !in->mapped && looks_like_header(in->text, in->n)) {
            return change_header(in, report);
        }
        return again ? MARL_ERR_NOT_READY : read_cells(in, report, row, raw);
    }
    if (in->mapped) {
        return find_columns(in, report, row, raw);
    }
    if (in->text[0] == '#') {
        lab_metadata_read(in->text, in->n, &in->info);
        return MARL_ERR_NOT_READY;
    }
    if (looks_like_header(in->text, in->n)) {
        return read_header(in, report);
    }
    in->skipped += in->n + 1;
    return MARL_ERR_NOT_READY;
}

marl_status lab_lines_in_feed(lab_lines_in *in, marl_log_report *report, marl_log_row *row, int64_t *raw)
{
    in->line++;
    in->n -= in->n > 0 && in->text[in->n - 1] == '\r';
    if (in->line == 1 && in->n >= 3 && memcmp(in->text, "\xef\xbb\xbf", 3) == 0) {
        in->n -= 3;
        memmove(in->text, in->text + 3, in->n);
    }
    memset(in->text + in->n, '\n', 1 + LAB_NUMBER_SLACK);
    marl_status status = feed(in, report, row, raw);
    in->n = 0;
    in->too_long = 0;
    return status;
}
