/* SPDX-License-Identifier: MIT
 * Reading logs. Plain rows go through the fast scanner, rows with quoted fields through libcsv; what
 * a cell means is decided in one place for both. */
#include "log_cells.h"
#include "log_format.h"
#include "log_lines.h"
#include "number.h"
#include <math.h>
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
    char delimiter, point;
    int ours; /* has our metadata line: then the last line ends with a line end, too */
    marl_log_info info;
    marl_log_report report;
    lab_layout layout;
    lab_csv_row csv;
    int timed;         /* `at` is set */
    moment at, found;  /* of the last row given out, and of the row at hand */
    kept_row ahead;    /* its time jumps ahead: the next row tells whether time does */
    kept_row after;    /* the one behind it */
    long comma_line;   /* a decimal comma was met */
    lab_cells cells;   /* of the row at hand; columns that are absent stay 0 */
    uint8_t all_fresh; /* flags of a row in which no cell is empty or bad */
    lab_lines lines;
};

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

/* Returns the column's bit when the cell holds a usable value, else 0. */
static unsigned store(lab_cells *row, const lab_column *column, const char *begin, const char *end,
                      char point, const lab_decimal *decimal)
{
    if (column->target == MARL_COLUMN_T) {
        return lab_number_integer(decimal, column->decimals, &row->t_ns) ? column->bit : 0;
    }
    double value = lab_number_value(begin, end, point, decimal) * column->factor + column->offset;
    row->value[column->target] = value;
    return fabs(value) <= 3.4e38 ? column->bit : 0;
}

static int is_space(char c)
{
    return c == ' ' || c == '\t' || c == '\r';
}

/* A cell that is not just a number up to its delimiter: padded, empty, or not a number at all. */
static void take_odd_cell(marl_log_reader *r, lab_cells *row, const lab_column *column, const char *begin,
                          const char *end)
{
    lab_decimal decimal;
    while (begin < end && is_space(*begin)) {
        begin++;
    }
    while (end > begin && is_space(end[-1])) {
        end--;
    }
    if (begin == end) {
        return;
    }
    const char *stop = lab_number_scan(begin, r->point, &decimal);
    unsigned good = stop == end ? store(row, column, begin, end, r->point, &decimal) : 0;
    row->good |= good;
    row->bad |= good ? 0 : column->bit;
    if (stop != end && r->point == '.' && r->comma_line == 0 &&
        lab_number_scan(begin, ',', &decimal) == end) {
        r->comma_line = r->lines.line;
    }
}

/* Any cell of a plain row: times, zeros, exponents, padded and empty ones, what is no number, columns that
 * are ignored. Returns its end. */
static const char *take_other_cell(marl_log_reader *r, lab_cells *row, const lab_column *column,
                                   const char *p, const char *end)
{
    lab_decimal decimal;
    const char *stop = column->target >= 0 ? lab_number_scan(p, r->point, &decimal) : NULL;
    unsigned good = 0;
    if (stop != NULL && (stop == end || *stop == r->delimiter)) {
        good = store(row, column, p, stop, r->point, &decimal);
        row->good |= good;
    }
    if (good != 0) {
        return stop;
    }
    stop = memchr(p, r->delimiter, (size_t)(end - p));
    stop = stop != NULL ? stop : end;
    if (column->target >= 0) {
        take_odd_cell(r, row, column, p, stop);
    }
    return stop;
}

static row_fault take_plain_row(marl_log_reader *r, lab_cells *row, const char *p, const char *end)
{
    const lab_column *column = r->layout.column, *last = column + r->layout.n - 1;
    const char delimiter = r->delimiter, point = r->point;
    for (;; column++) {
        double value;
        const char *stop = column->plain ? lab_number_plain(p, point, &value) : NULL;
        if (stop != NULL && (stop == end || *stop == delimiter)) {
            row->value[column->target] = value * column->factor + column->offset;
            row->good |= column->bit;
        } else {
            stop = take_other_cell(r, row, column, p, end);
        }
        if (stop == end || column == last) {
            return stop != end ? ROW_LONG : column == last ? ROW_GOOD : ROW_SHORT;
        }
        p = stop + 1;
    }
}

/* A row is one line: were a quoted field to go on in the next one, a stray quote from a noisy serial
 * line would swallow the rest of the file. Returns 1 when the line is a row. */
static int split_by_library(marl_log_reader *r, const char *line, size_t n)
{
    lab_csv_begin(&r->csv);
    /* line[n] is the line end, also behind a last line without one */
    int complete = lab_csv_feed(&r->csv, line, n + 1);
    if (complete == 0) {
        csv_fini(&r->csv.parser, NULL, NULL, NULL);
    }
    return complete == 1;
}

static row_fault take_split_row(marl_log_reader *r, lab_cells *row)
{
    if (r->csv.cells != r->layout.n) {
        return r->csv.cells < r->layout.n ? ROW_SHORT : ROW_LONG;
    }
    for (size_t i = 0; i < r->layout.n; i++) {
        const char *cell = lab_csv_cell(&r->csv, i);
        if (r->layout.column[i].target >= 0) {
            take_odd_cell(r, row, &r->layout.column[i], cell, cell + strlen(cell));
        }
    }
    return ROW_GOOD;
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
    c->good = c->bad = 0;
    if (memchr(line, '"', n) != NULL) {
        *fault = split_by_library(r, line, n) ? take_split_row(r, c) : ROW_NOT_CSV;
    } else {
        *fault = take_plain_row(r, c, line, line + n);
    }
    if (!whole && (*fault != ROW_GOOD || r->ours)) {
        *fault = ROW_CUT;
    }
    if (r->comma_line != 0) {
        return marl_fail(error, MARL_ERR_INPUT, "%s:%ld: a decimal comma: say so with --decimal ,", r->path,
                         r->comma_line);
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
    r->delimiter = lab_delimiter(line, n);
    if (r->delimiter == r->point) {
        return marl_fail(error, MARL_ERR_INPUT, "%s: cells are divided by the decimal comma", where);
    }
    if (!lab_csv_init(&r->csv, r->delimiter)) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    if (!split_by_library(r, line, n)) {
        return marl_fail(error, MARL_ERR_INPUT, "%s: the header is not CSV", where);
    }
    status = lab_layout_read(&r->layout, &r->csv, where, sheet, &r->info, &r->report, error);
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
    r->point = options->decimal ? options->decimal : '.';
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
    lab_csv_free(&r->csv);
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
