/* SPDX-License-Identifier: MIT
 * From a line to cells. Plain rows go through the fast number scanner, rows with quoted fields through
 * libcsv; what a cell means is decided in one place for both. */
#include "lab/log/log_scan.h"
#include "lab/log/cell_text.h"
#include "lab/log/number.h"
#include <math.h>
#include <string.h>

int lab_scan_has_day_time(const lab_scanner *s)
{
    int has = s->time_parts > 1;
    for (size_t i = 0; i < s->layout.n && s->labelled_n == 0; i++) {
        has |= s->layout.column[i].is_date;
    }
    for (size_t k = 0; k < s->labelled_n; k++) {
        for (size_t i = 0; i < s->labelled[k].n; i++) {
            has |= s->labelled[k].column[i].is_date;
        }
    }
    return has;
}

/* One part of the time, which may be all of it; 0 where the sum would not fit. */
static int add_time(lab_cells *row, int64_t t_ns)
{
    if (t_ns > 0 ? row->t_ns > INT64_MAX - t_ns : row->t_ns < INT64_MIN - t_ns) {
        return 0;
    }
    row->t_ns += t_ns;
    row->time_parts++;
    return 1;
}

/* Ticks that are no decimal unit are rounded to ns once; the others are exact. */
static int store_time(lab_cells *row, const lab_column *column, const lab_decimal *decimal)
{
    int64_t t_ns;
    if (!lab_number_integer(decimal, column->decimals, &t_ns)) {
        return 0;
    }
    if (column->factor == 1.0) {
        return add_time(row, t_ns);
    }
    long double t = (long double)t_ns * (long double)column->factor;
    return fabsl(t) < 9.2e18L && add_time(row, (int64_t)llroundl(t));
}

/* Returns the column's bit when the cell holds a usable value, else 0. */
static unsigned store(lab_cells *row, const lab_column *column, const char *start, const char *end,
                      char point, const lab_decimal *decimal)
{
    if (column->target == MARL_COLUMN_T) {
        return !column->is_date && store_time(row, column, decimal) ? column->bit : 0;
    }
    double value = lab_number_value(start, end, point, decimal) * column->factor + column->offset;
    row->value[column->target] = value;
    return fabs(value) <= 3.4e38 ? column->bit : 0;
}

static int is_space(char c)
{
    return c == ' ' || c == '\t' || c == '\r';
}

/* A cell that is not just a number up to its delimiter: padded, empty, or not a number at all. */
static void parse_odd_cell(lab_scanner *s, lab_cells *row, const lab_column *column, const char *start,
                           const char *end)
{
    lab_decimal decimal;
    while (start < end && is_space(*start)) {
        start++;
    }
    while (end > start && is_space(end[-1])) {
        end--;
    }
    if (start == end) {
        return;
    }
    if (column->is_date) {
        int64_t t_ns;
        unsigned is_good = lab_date_read(start, end, &t_ns) && add_time(row, t_ns) ? column->bit : 0;
        row->good |= is_good;
        row->bad |= is_good ? 0 : column->bit;
        return;
    }
    start = s->named_cells ? lab_skip_label(start, end) : start;
    const char *stop = lab_number_scan(start, s->point, &decimal);
    unsigned good = stop == end ? store(row, column, start, end, s->point, &decimal) : 0;
    row->good |= good;
    row->bad |= good ? 0 : column->bit;
    if (stop != end && s->point == '.' && lab_number_scan(start, ',', &decimal) == end) {
        s->met_comma = 1;
    }
}

/* Any cell of a plain row: times, zeros, exponents, padded and empty ones, what is no number, columns that
 * are ignored. Returns its end. */
static const char *parse_other_cell(lab_scanner *s, lab_cells *row, const lab_column *column, const char *p,
                                    const char *end)
{
    if (p == end || *p == s->delimiter) {
        return p; /* empty */
    }
    lab_decimal decimal;
    const char *stop = column->target >= 0 ? lab_number_scan(p, s->point, &decimal) : NULL;
    unsigned good = 0;
    if (stop != NULL && (stop == end || *stop == s->delimiter)) {
        good = store(row, column, p, stop, s->point, &decimal);
        row->good |= good;
    }
    if (good != 0) {
        return stop;
    }
    stop = memchr(p, s->delimiter, (size_t)(end - p));
    stop = stop != NULL ? stop : end;
    if (column->target >= 0) {
        parse_odd_cell(s, row, column, p, stop);
    }
    return stop;
}

/* The columns of a row. */
typedef struct row_layout {
    const lab_column *column;
    size_t n;
    int is_open; /* it may have more cells */
} row_layout;

static row_fault plain_row(lab_scanner *s, const row_layout *l, lab_cells *row, const char *p,
                           const char *end)
{
    const lab_column *column = l->column, *last = column + l->n - 1;
    const char delimiter = s->delimiter, point = s->point;
    for (;; column++) {
        double value;
        const char *stop = column->plain ? lab_number_plain(p, point, &value) : NULL;
        if (stop != NULL && (stop == end || *stop == delimiter)) {
            row->value[column->target] = value * column->factor + column->offset;
            row->good |= column->bit;
        } else {
            stop = parse_other_cell(s, row, column, p, end);
        }
        if (stop == end || column == last) {
            return column != last ? ROW_SHORT : stop != end && !l->is_open ? ROW_LONG : ROW_GOOD;
        }
        p = stop + 1;
    }
}

int lab_scan_split(lab_scanner *s, const char *line, size_t n)
{
    lab_csv_clear(&s->csv);
    /* line[n] is the line end, also behind a last line without one */
    int complete = lab_csv_feed(&s->csv, line, n + 1);
    if (complete == 0) {
        csv_fini(&s->csv.parser, NULL, NULL, NULL);
    }
    return complete == 1;
}

static row_fault split_row(lab_scanner *s, const row_layout *l, lab_cells *row)
{
    if (s->csv.cells < l->n || (s->csv.cells > l->n && !l->is_open)) {
        return s->csv.cells < l->n ? ROW_SHORT : ROW_LONG;
    }
    for (size_t i = 0; i < l->n; i++) {
        const char *cell = lab_csv_cell(&s->csv, i);
        if (l->column[i].target >= 0) {
            parse_odd_cell(s, row, &l->column[i], cell, cell + strlen(cell));
        }
    }
    return ROW_GOOD;
}

const lab_labelled *lab_scan_labelled(const lab_scanner *s, const char *label, size_t n)
{
    while (n > 0 && is_space(*label)) {
        label++;
        n--;
    }
    while (n > 0 && is_space(label[n - 1])) {
        n--;
    }
    for (size_t i = 0; i < s->labelled_n; i++) {
        if (strlen(s->labelled[i].label) == n && memcmp(s->labelled[i].label, label, n) == 0) {
            return &s->labelled[i];
        }
    }
    return NULL;
}

/* Of a plain line; NULL where its label is none of the map's, or there is none. */
static const lab_labelled *labelled_of(const lab_scanner *s, const char *p, const char *end)
{
    for (size_t i = 0; p != NULL && i < s->label_at; i++) {
        p = memchr(p, s->delimiter, (size_t)(end - p));
        p = p != NULL ? p + 1 : NULL;
    }
    if (p == NULL) {
        return NULL;
    }
    const char *stop = memchr(p, s->delimiter, (size_t)(end - p));
    return lab_scan_labelled(s, p, (size_t)((stop != NULL ? stop : end) - p));
}

row_fault lab_scan_row(lab_scanner *s, const char *line, size_t n, lab_cells *row)
{
    int is_plain = memchr(line, '"', n) == NULL;
    row_layout layout = {s->layout.column, s->layout.n, 0};
    row->good = row->bad = 0;
    row->t_ns = 0;
    row->time_parts = 0;
    if (!is_plain && !lab_scan_split(s, line, n)) {
        return ROW_NOT_CSV;
    }
    if (s->labelled_n > 0) {
        const char *cell = !is_plain && s->csv.cells > s->label_at ? lab_csv_cell(&s->csv, s->label_at) : "";
        const lab_labelled *l =
            is_plain ? labelled_of(s, line, line + n) : lab_scan_labelled(s, cell, strlen(cell));
        if (l == NULL) {
            return ROW_OTHER;
        }
        layout = (row_layout){l->column, l->n, 1};
    }
    row_fault fault = is_plain ? plain_row(s, &layout, row, line, line + n) : split_row(s, &layout, row);
    row->good &= row->time_parts < s->time_parts ? ~(1u << MARL_COLUMN_T) : ~0u;
    return fault;
}
