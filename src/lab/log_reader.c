/* SPDX-License-Identifier: MIT
 * Reading logs: which lines are rows, whether their time goes on, what is counted. */
#include "log_lines.h"
#include "log_scan.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* A 32-bit clock of microseconds starts anew after this many ns ... */
#define CLOCK_WRAP (INT64_C(4294967296) * 1000)
/* ... which is told from a restart of the board by happening close to both ends. */
#define WRAP_MARGIN (INT64_C(60) * 1000000000)

/* A step of over a second may be a stamp that noise has spoilt. */
#define AHEAD INT64_C(1000000000)
/* A century and more; differences of such times always fit. */
#define TIME_MOST (INT64_MAX / 4)

/* A row's place in time. */
typedef struct moment {
    int64_t raw;     /* as the row says */
    int64_t wrapped; /* what the wraps of its clock add */
    int64_t t_ns;    /* the sum */
} moment;

/* A row that is not given out yet. */
typedef struct kept_row {
    int present;
    long line;
    moment at;
    marl_log_row row;
} kept_row;

struct marl_log_reader {
    char *path;
    int ours; /* has our metadata line: then the last line ends with a line end, too */
    marl_log_info info;
    marl_log_report report;
    lab_scanner scan;
    int timed;         /* `at` is set */
    moment at, found;  /* of the last row given out, and of the row at hand */
    kept_row ahead;    /* its time jumps ahead: the next row tells whether time does */
    kept_row after;    /* the one behind it */
    lab_cells cells;   /* of the row at hand; columns that are absent stay 0 */
    uint8_t all_fresh; /* flags of a row in which no cell is empty or bad */
    lab_lines lines;
};

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

/* Unwraps the clock and checks that it goes on. */
static row_fault find_time(const marl_log_reader *r, const lab_cells *row, moment *found)
{
    int64_t raw = row->t_ns;
    if (!(row->good & (1u << MARL_COLUMN_T)) || raw > TIME_MOST || raw < -TIME_MOST) {
        return ROW_NO_TIME;
    }
    int wraps = r->timed && r->at.raw < CLOCK_WRAP && r->at.raw > CLOCK_WRAP - WRAP_MARGIN && raw >= 0 &&
                raw < WRAP_MARGIN;
    found->raw = raw;
    found->wrapped = r->at.wrapped + (wraps ? CLOCK_WRAP : 0);
    found->t_ns = raw + found->wrapped;
    if (r->timed && found->t_ns <= r->at.t_ns) {
        return found->t_ns == r->at.t_ns ? ROW_TIME_REPEATED : ROW_TIME_BACK;
    }
    return ROW_GOOD;
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

static void count_fault(marl_log_reader *r, row_fault fault, long line)
{
    marl_log_report *report = &r->report;
    report->rows_dropped++;
    report->time_repeated += fault == ROW_TIME_REPEATED;
    report->time_back += fault == ROW_TIME_BACK || fault == ROW_TIME_AHEAD;
    report->truncated |= fault == ROW_CUT;
    if (report->first_dropped_line == 0) {
        report->first_dropped_line = line;
        snprintf(report->first_dropped_why, sizeof report->first_dropped_why, "%s", fault_text(fault));
    }
}

/* One row that stands in [line, line + n). */
static marl_status take_row(marl_log_reader *r, const char *line, size_t n, int whole, marl_log_row *row,
                            row_fault *fault, marl_error *error)
{
    lab_cells *c = &r->cells;
    *fault = lab_scan_row(&r->scan, line, n, c);
    if (!whole && (*fault != ROW_GOOD || r->ours)) {
        *fault = ROW_CUT;
    }
    if (r->scan.met_comma) {
        return marl_fail(error, MARL_ERR_INPUT, "%s:%ld: a decimal comma: say so with --decimal ,", r->path,
                         r->lines.line);
    }
    if (*fault == ROW_GOOD) {
        *fault = find_time(r, c, &r->found);
        row->sample.t_ns = r->found.t_ns;
    }
    if (*fault == ROW_GOOD) {
        count_missing(r, lab_cells_to_row(c, r->info.columns, r->all_fresh, row));
    }
    return MARL_OK;
}

static void give_out(marl_log_reader *r, const moment *at)
{
    r->report.clock_wraps += at->wrapped != r->at.wrapped;
    r->report.rows++;
    r->at = *at;
    r->timed = 1;
}

static void keep(kept_row *kept, const marl_log_row *row, long line, const moment *at)
{
    *kept = (kept_row){.present = 1, .line = line, .at = *at, .row = *row};
}

/* Decides whether a row whose time goes on is given out now. One that jumps ahead waits for the next: were a
 * single spoilt stamp believed, all rows up to it would seem to go back. *row is what is given out. */
static row_fault place(marl_log_reader *r, marl_log_row *row, long line)
{
    kept_row *ahead = &r->ahead;
    if (ahead->present && r->found.t_ns == ahead->at.t_ns) {
        return ROW_TIME_REPEATED;
    }
    if (ahead->present && r->found.t_ns > ahead->at.t_ns) {
        keep(&r->after, row, line, &r->found);
        *row = ahead->row;
        ahead->present = 0;
        give_out(r, &ahead->at);
        return ROW_GOOD;
    }
    if (ahead->present) {
        count_fault(r, ROW_TIME_AHEAD, ahead->line);
        ahead->present = 0;
    }
    if (r->timed && r->found.t_ns - r->at.t_ns > AHEAD) {
        keep(ahead, row, line, &r->found);
        return ROW_KEPT;
    }
    give_out(r, &r->found);
    return ROW_GOOD;
}

/* Gives out a row that was kept; 0 when there is none. */
static int take_kept(marl_log_reader *r, kept_row *kept, marl_log_row *row)
{
    if (!kept->present) {
        return 0;
    }
    kept->present = 0;
    *row = kept->row;
    give_out(r, &kept->at);
    return 1;
}

static marl_status verdict_at_end(const marl_log_reader *r, marl_error *error)
{
    const marl_log_report *report = &r->report;
    if (report->rows + report->rows_dropped == 0) {
        return marl_fail(error, MARL_ERR_EVIDENCE, "%s: a header and no samples", r->path);
    }
    if (report->rows_dropped > report->rows) {
        return marl_fail(error, MARL_ERR_INPUT, "%s:%ld: %s; %lu of %lu rows cannot be used", r->path,
                         report->first_dropped_line, report->first_dropped_why, report->rows_dropped,
                         report->rows + report->rows_dropped);
    }
    return MARL_END;
}

marl_status marl_log_next(marl_log_reader *r, marl_log_row *row, marl_error *error)
{
    if (take_kept(r, &r->after, row)) {
        return MARL_OK;
    }
    for (;;) {
        const char *line;
        size_t n;
        int whole;
        marl_status status = lab_lines_next(&r->lines, r->path, &line, &n, &whole, error);
        if (status == MARL_END) {
            return take_kept(r, &r->ahead, row) ? MARL_OK : verdict_at_end(r, error);
        }
        if (status != MARL_OK) {
            return status;
        }
        n -= n > 0 && line[n - 1] == '\r';
        if (n == 0) {
            continue;
        }
        long number = r->lines.line;
        row_fault fault;
        status = take_row(r, line, n, whole, row, &fault, error);
        if (status != MARL_OK) {
            return status;
        }
        fault = fault == ROW_GOOD ? place(r, row, number) : fault;
        if (fault == ROW_GOOD) {
            return MARL_OK;
        }
        if (fault != ROW_KEPT) {
            count_fault(r, fault, number);
        }
    }
}

/* The metadata and comment lines, up to the header, which is left in *line. */
static marl_status find_header(marl_log_reader *r, const char **line, size_t *n, marl_error *error)
{
    for (;;) {
        int whole;
        marl_status status = lab_lines_next(&r->lines, r->path, line, n, &whole, error);
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
            r->ours |= lab_metadata_read(*line, *n, &r->info);
        } else if (*n > 0) {
            return MARL_OK;
        }
    }
}

static marl_status read_header(marl_log_reader *r, const marl_sheet *sheet, marl_error *error)
{
    const char *line;
    size_t n;
    char where[600];
    marl_status status = find_header(r, &line, &n, error);
    if (status != MARL_OK) {
        return status;
    }
    snprintf(where, sizeof where, "%s:%ld", r->path, r->lines.line);
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
    status = lab_layout_read(&r->scan.layout, &r->scan.csv, where, sheet, &r->info, &r->report, error);
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
    marl_log_reader *r = calloc(1, sizeof *r);
    if (r == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    r->scan.point = options->decimal ? options->decimal : '.';
    r->lines.fd = -1;
    r->path = strdup(path);
    marl_status status = r->path != NULL ? lab_lines_open(&r->lines, path, error)
                                         : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    if (status == MARL_OK) {
        status = read_header(r, options->sheet, error);
    }
    if (status != MARL_OK) {
        marl_log_close(r);
        return status;
    }
    *reader = r;
    return MARL_OK;
}

void marl_log_close(marl_log_reader *r)
{
    if (r == NULL) {
        return;
    }
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
    return &reader->report;
}
