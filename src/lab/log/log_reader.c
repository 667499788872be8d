/* SPDX-License-Identifier: MIT
 * Reading logs: which lines are rows, whether their time goes on, what is counted. */
#include "lab/base/file_kind.h"
#include "lab/log/log_map.h"
#include "lab/log/log_parts.h"
#include "lab/log/log_report.h"
#include "lab/log/row_order.h"
#include "lab/log/row_pipe.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#define NOT_UNIT 0.01

/* Reading on a thread of its own. */
typedef struct ahead {
    lab_row_pipe *pipe; /* NULL: not, or not any more */
    marl_status status; /* of its end, and why */
    marl_error error;
} ahead;

struct marl_log_reader {
    ahead *ahead; /* NULL: rows are read where they are asked for */
    char *path;
    marl_log_info info;
    int seen; /* rows, in the window or not */
    int64_t seen_from_ns, seen_to_ns;
    marl_log_report report;
    lab_repeats repeats;
    lab_scanner scan;
    lab_row_order order;
    lab_cells cells;   /* of the row at hand; columns that are absent stay 0 */
    uint8_t all_fresh; /* flags of a row in which no cell is empty or bad */
    double rate_hz;    /* of rows without time, else 0 */
    int64_t lines_of_rows;
    lab_changes changes; /* of sensors that are fresh only when they change */
    int blanks;          /* cells are divided by blanks */
    marl_log_window window;
    lab_lines lines;
    lab_parts *parts; /* of rows with labels, read instead; else NULL */
};

/* A quaternion of another length is reported, since it may be no rotation at all; 0 says that there is none. */
static void count_lengths(marl_log_reader *r)
{
    const double *q = r->cells.value + MARL_COLUMN_Q_W;
    if ((r->cells.good & MARL_COLUMNS_Q) != MARL_COLUMNS_Q) {
        return;
    }
    double length = sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2] + q[3] * q[3]);
    if (!(length > 0)) {
        r->report.lost += 1;
        r->report.first_lost_line = r->report.lost == 1 ? r->lines.line : r->report.first_lost_line;
    } else if (fabs(length - 1) > NOT_UNIT && r->report.not_unit++ == 0) {
        r->report.first_not_unit_line = r->lines.line;
        r->report.first_not_unit_length = length;
    }
}

static void count_missing(marl_log_reader *r, unsigned missing)
{
    for (unsigned set = missing; set != 0; set &= set - 1) {
        r->report.cells_missing++;
    }
    if (missing != 0 && r->report.first_missing_line == 0) {
        r->report.first_missing_line = r->lines.line;
    }
}

/* The line that stands in [line, line + n), into the order of the rows. */
static marl_status parse_line(marl_log_reader *r, const char *line, size_t n, marl_error *error)
{
    lab_cells *c = &r->cells;
    if (r->blanks) {
        char *joined = r->lines.buffer + (line - r->lines.buffer);
        n = lab_join_blanks(joined, n);
        joined[n] = '\n';
    }
    row_fault fault = lab_scan_row(&r->scan, line, n, c);
    if (r->rate_hz > 0) {
        c->t_ns = (int64_t)llround((double)r->lines_of_rows++ / r->rate_hz * 1e9);
        c->good |= 1u << MARL_COLUMN_T;
    }
    lab_changes_keep(&r->changes, c);
    if (!r->lines.whole && (fault != ROW_GOOD || r->info.has_metadata)) { /* ours end with a line end */
        fault = ROW_CUT;
    }
    if (r->scan.met_comma) {
        return marl_fail(error, MARL_ERR_INPUT, "%s:%ld: a decimal comma: use --decimal ,", r->path,
                         r->lines.line);
    }
    if (fault == ROW_OTHER) {
        return MARL_OK;
    }
    if (fault == ROW_GOOD && !(c->good & (1u << MARL_COLUMN_T))) {
        fault = ROW_NO_TIME;
    }
    if (fault != ROW_GOOD) {
        lab_row_fault(&r->report, fault, r->lines.line);
        return MARL_OK;
    }
    unsigned missing = lab_cells_to_row(c, r->info.columns, r->all_fresh, lab_row_slot(&r->order));
    if (lab_row_push(&r->order, c->t_ns, r->lines.line, &r->report) == ROW_GOOD) {
        count_missing(r, missing);
        count_lengths(r);
    }
    return MARL_OK;
}

static marl_status no_rows_in_window(const marl_log_reader *r, marl_error *error)
{
    return marl_fail(error, MARL_ERR_INSUFFICIENT,
                     "%s: no rows in the window: the log runs from %.3f to %.3f s", r->path,
                     1e-9 * (double)r->seen_from_ns, 1e-9 * (double)r->seen_to_ns);
}

static marl_status verdict_at_end(const marl_log_reader *r, marl_error *error)
{
    const marl_log_report *report = &r->report;
    if (report->rows == 0 && r->seen) {
        return no_rows_in_window(r, error);
    }
    if (report->rows + report->rows_dropped == 0) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: a header and no samples", r->path);
    }
    if (report->rows_dropped > report->rows) {
        return marl_fail(error, MARL_ERR_INPUT, "%s:%ld: %s; %lu of %lu rows cannot be used%s", r->path,
                         report->first_dropped_line, report->first_dropped_why, report->rows_dropped,
                         report->rows + report->rows_dropped,
                         2 * report->time_repeated > report->rows_dropped
                             ? "; rows that come in clumps of one time: inspect --even-times -o LOG"
                             : "");
    }
    return MARL_END;
}

/* The next usable row, in the window or not. */
static marl_status next_row(marl_log_reader *r, marl_log_row *row, marl_error *error)
{
    if (r->parts != NULL) {
        marl_status of_parts = lab_parts_next(r->parts, row, &r->report, error);
        return of_parts == MARL_END ? verdict_at_end(r, error) : of_parts;
    }
    while (!lab_row_pop(&r->order, row, &r->report)) {
        const char *line;
        size_t n;
        marl_status status = lab_lines_next(&r->lines, r->path, &line, &n, error);
        if (status == MARL_END) {
            r->report.nuls_at_end = r->lines.nuls;
            lab_row_end(&r->order, &r->report);
            return lab_row_pop(&r->order, row, &r->report) ? MARL_OK : verdict_at_end(r, error);
        }
        if (status != MARL_OK) {
            return status;
        }
        n -= n > 0 && line[n - 1] == '\r';
        if (n > 0 && line[0] != '#') { /* a note between the rows */
            MARL_TRY(parse_line(r, line, n, error));
        }
    }
    return MARL_OK;
}

/* The next row in the window. */
static marl_status read_row(marl_log_reader *r, marl_log_row *row, marl_error *error)
{
    const marl_log_window *w = &r->window;
    marl_status status;
    while ((status = next_row(r, row, error)) == MARL_OK) {
        r->seen_from_ns = r->seen ? r->seen_from_ns : row->sample.t_ns;
        r->seen_to_ns = row->sample.t_ns;
        r->seen = 1;
        int is_before = w->has_from && row->sample.t_ns < w->from_ns;
        int is_behind = w->has_to && row->sample.t_ns > w->to_ns;
        if (!is_before && !is_behind) {
            lab_report_readings(&r->repeats, &row->sample, &r->report);
            return MARL_OK;
        }
        r->report.rows--;
        if (is_behind) {
            break;
        }
    }
    int has_window = w->has_from || w->has_to;
    if (has_window && (status == MARL_OK || status == MARL_END || status == MARL_ERR_INSUFFICIENT) &&
        r->report.rows == 0) {
        return no_rows_in_window(r, error);
    }
    return status == MARL_OK ? MARL_END : status;
}

/* ---- ahead ---- */

static void read_all(void *context, lab_row_pipe *pipe)
{
    marl_log_reader *r = context;
    marl_log_row *row;
    while ((row = lab_row_pipe_slot(pipe)) != NULL &&
           (r->ahead->status = read_row(r, row, &r->ahead->error)) == MARL_OK) {
        lab_row_pipe_put(pipe);
    }
    lab_row_pipe_close(pipe);
}

void marl_log_read_ahead(marl_log_reader *r)
{
    struct stat file;
    if (r->ahead != NULL || fstat(r->lines.fd, &file) != 0 || !S_ISREG(file.st_mode)) {
        return; /* what comes through a pipe is wanted as soon as it is there */
    }
    r->ahead = calloc(1, sizeof *r->ahead);
    if (r->ahead != NULL) {
        r->ahead->pipe = lab_row_pipe_start(read_all, r);
    }
    if (r->ahead != NULL && r->ahead->pipe == NULL) {
        free(r->ahead);
        r->ahead = NULL;
    }
}

static void stop_ahead(ahead *a)
{
    if (a != NULL && a->pipe != NULL) {
        lab_row_pipe_stop(a->pipe);
        lab_row_pipe_join(a->pipe);
        a->pipe = NULL;
    }
}

marl_status marl_log_next(marl_log_reader *r, marl_log_row *row, marl_error *error)
{
    if (r->ahead == NULL) {
        return read_row(r, row, error);
    }
    const marl_log_row *next = r->ahead->pipe != NULL ? lab_row_pipe_take(r->ahead->pipe) : NULL;
    if (next != NULL) {
        *row = *next;
        return MARL_OK;
    }
    stop_ahead(r->ahead);
    return r->ahead->status == MARL_END ? MARL_END
                                        : marl_fail(error, r->ahead->status, "%s", r->ahead->error.text);
}

/* The metadata and comment lines, up to the header, which is left in *line. */
static marl_status find_header(marl_log_reader *r, const char **line, size_t *n, marl_error *error)
{
    for (;;) {
        marl_status status = lab_lines_next(&r->lines, r->path, line, n, error);
        if (status == MARL_END) {
            return marl_fail(error, MARL_ERR_INPUT, "%s:%ld: %s", r->path, r->lines.line + 1,
                             r->lines.line == 0 ? "the file is empty" : "no header");
        }
        if (status != MARL_OK) {
            return status;
        }
        if (r->lines.line == 1 && *n >= 3 && memcmp(*line, "\xef\xbb\xbf", 3) == 0) {
            *line += 3;
            *n -= 3;
        }
        *n -= *n > 0 && (*line)[*n - 1] == '\r';
        if (*n > 0 && **line == '#') {
            lab_metadata_read(*line, *n, &r->info);
        } else if (*n > 0) {
            return MARL_OK;
        }
    }
}

/* The layout of a file from elsewhere. */
static marl_status read_mapped(marl_log_reader *r, const marl_log_options *options, marl_error *error)
{
    if (lab_parts_are_needed(options->columns)) {
        return lab_parts_open(&r->parts, r->path, options, &r->info, &r->report, error);
    }
    r->rate_hz = options->columns->rate_hz;
    lab_changes_init(&r->changes, options->columns->changed);
    memcpy(r->cells.turns, options->columns->turns, sizeof r->cells.turns);
    if (!lab_csv_init(&r->scan.csv, ',')) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    const lab_header h = {r->path, options->sheet, &r->info, &r->report, error};
    marl_status status = lab_map_find_rows(&r->scan, &r->lines, options->columns, &h, &r->blanks);
    r->all_fresh = lab_cells_all_fresh(r->info.columns);
    r->order.is_of_day = lab_scan_has_day_time(&r->scan);
    if (options->columns->has_labels) { /* each label's rows would go on 2 s after their own last one */
        r->order.restarts = LAB_RESTARTS_NONE;
    }
    return status;
}

static marl_status read_header(marl_log_reader *r, const marl_sheet *sheet, marl_error *error)
{
    const char *line;
    size_t n;
    char where[600];
    MARL_TRY(find_header(r, &line, &n, error));
    snprintf(where, sizeof where, "%s:%ld", r->path, r->lines.line);
    if (r->lines.header_is_made) {
        return marl_fail(
            error, MARL_ERR_INPUT,
            "%s: is JSON and no log of ours; 'marlinspike inspect %s' shows what its keys seem to be", where,
            r->path);
    }
    if (line[0] == '{') {
        return marl_fail(error, MARL_ERR_INPUT, "%s: is JSON; a log or an attitude, CSV, is wanted here",
                         where);
    }
    r->scan.delimiter = lab_delimiter(line, n);
    if (r->scan.delimiter == r->scan.point) {
        return marl_fail(error, MARL_ERR_INPUT, "%s: cells are divided by the decimal comma", where);
    }
    if (!lab_csv_init(&r->scan.csv, r->scan.delimiter)) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    if (!lab_scan_split(&r->scan, line, n)) {
        return marl_fail(error, MARL_ERR_INPUT, "%s: the header is not CSV", where);
    }
    marl_status status = lab_layout_read(&r->scan.layout, &r->scan.csv,
                                         &(lab_header){where, sheet, &r->info, &r->report, error});
    if (status == MARL_OK) {
        r->all_fresh = lab_cells_all_fresh(r->info.columns);
    }
    return status;
}

marl_status marl_log_open(marl_log_reader **reader, const char *path, const marl_log_options *options,
                          marl_error *error)
{
    static const marl_log_options standard = {0};
    options = options != NULL ? options : &standard;
    *reader = NULL;
    MARL_TRY(lab_check_file_kind(path, "log", error));
    marl_log_reader *r = calloc(1, sizeof *r);
    if (r == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    r->window = options->window;
    r->scan.point = options->decimal ? options->decimal : '.';
    r->lines.fd = -1;
    lab_row_order_init(&r->order);
    r->order.keeps_repeated = options->keep_repeated;
    lab_report_init(&r->report);
    r->path = strdup(path);
    marl_status status = r->path != NULL ? lab_lines_open(&r->lines, path, error)
                                         : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    if (status == MARL_OK) {
        status =
            options->columns != NULL ? read_mapped(r, options, error) : read_header(r, options->sheet, error);
    }
    if (status != MARL_OK) {
        marl_log_close(r);
        return status;
    }
    if (options->calibrated) {
        r->info.corrected = 1;
        r->info.raw = 0;
    }
    *reader = r;
    return MARL_OK;
}

void marl_log_close(marl_log_reader *r)
{
    if (r == NULL) {
        return;
    }
    stop_ahead(r->ahead);
    free(r->ahead);
    lab_parts_close(r->parts);
    lab_lines_close(&r->lines);
    lab_csv_free(&r->scan.csv);
    free(r->path);
    free(r);
}

const marl_log_info *marl_log_reader_info(const marl_log_reader *reader)
{
    return &reader->info;
}

const marl_log_report *marl_log_reader_report(const marl_log_reader *reader)
{
    stop_ahead(reader->ahead); /* nobody writes to it any more */
    return &reader->report;
}
