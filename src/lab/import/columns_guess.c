/* SPDX-License-Identifier: MIT
 * Guessing the columns of a file from elsewhere. */
#include "lab/import/columns_guess.h"
#include "lab/base/file_kind.h"
#include "lab/log/cell_text.h"
#include "lab/log/log_map.h"
#include <ctype.h>
#include <float.h>
#include <math.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define NUMBERS_SHARE 0.6 /* of the cells of a row */

/* A file while its first rows are looked at. */
typedef struct preview {
    lab_lines lines;
    lab_scanner scan;
    int blanks;
    int is_date[MARL_GUESS_MAX]; /* the column, in the first row */
    lab_words words;             /* in the first column of words of that row; words.column is n without one */
} preview;

void lab_guess_remark(marl_columns_guess *guess, const char *format, ...)
{
    size_t n = strlen(guess->remark);
    va_list arguments;
    va_start(arguments, format);
    if (n > 0 && n + 2 < sizeof guess->remark) {
        n += (size_t)snprintf(guess->remark + n, sizeof guess->remark - n, "; ");
    }
    vsnprintf(guess->remark + n, sizeof guess->remark - n, format, arguments);
    va_end(arguments);
}

static int is_row_of_numbers(const preview *l)
{
    size_t numbers = 0, empty = 0;
    for (size_t i = 0; i < l->scan.csv.cells; i++) {
        const char *cell = lab_csv_cell(&l->scan.csv, i);
        numbers += isfinite(lab_cell_number(cell, l->scan.point)) ? 1u : 0u;
        empty += cell[strspn(cell, " \t\r")] == '\0' ? 1u : 0u;
    }
    return numbers >= 2 && (double)numbers >= NUMBERS_SHARE * (double)(l->scan.csv.cells - empty);
}

static void parse_names(marl_columns_guess *guess, const lab_csv_row *csv, long line)
{
    guess->header = line;
    guess->n = csv->cells < MARL_GUESS_MAX ? csv->cells : MARL_GUESS_MAX;
    for (size_t i = 0; i < guess->n; i++) {
        marl_column_guess *c = &guess->column[i];
        const char *cell = lab_csv_cell(csv, i);
        snprintf(c->name, sizeof c->name, "%s", cell + strspn(cell, " \t"));
        for (size_t n = strlen(c->name); n > 0 && isspace((unsigned char)c->name[n - 1]); n--) {
            c->name[n - 1] = '\0';
        }
    }
}

static void find_dates(preview *l, size_t columns)
{
    for (size_t i = 0; i < columns; i++) {
        int64_t ns;
        const char *cell = lab_csv_cell(&l->scan.csv, i);
        l->is_date[i] = lab_date_read(cell, cell + strlen(cell), &ns);
    }
}

static void find_words(preview *l, size_t columns)
{
    size_t k = 0;
    while (k < columns &&
           (l->is_date[k] || lab_words_add(&(lab_words){0}, lab_csv_cell(&l->scan.csv, k)) < 0 ||
            isfinite(lab_cell_number(lab_csv_cell(&l->scan.csv, k), l->scan.point)))) {
        k++;
    }
    l->words.column = k;
}

/* The first row of numbers, left in `lines`; the line of words before it gives the names. */
static marl_status find_first_row(preview *l, marl_columns_guess *guess, const char *path, marl_error *error)
{
    for (;;) {
        const char *line;
        size_t n;
        marl_status status = lab_lines_next(&l->lines, path, &line, &n, error);
        if (status == MARL_END || l->lines.line > LAB_PREAMBLE_MAX) {
            return marl_fail(error, MARL_ERR_INPUT, "%s: no rows of numbers in it", path);
        }
        if (status != MARL_OK) {
            return status;
        }
        char *text = lab_open_line(&l->lines, line, &n);
        if (n == 0 || !lab_split_any(&l->scan, text, &n, &l->blanks)) {
            continue;
        }
        if (is_row_of_numbers(l)) {
            size_t cells = l->scan.csv.cells;
            guess->delimiter = l->blanks ? ' ' : l->scan.delimiter;
            if (guess->n != (cells < MARL_GUESS_MAX ? cells : MARL_GUESS_MAX)) {
                parse_names(guess, &l->scan.csv, 0);
                lab_guess_labels(guess, &l->scan.csv, l->scan.point);
            }
            find_dates(l, guess->n);
            find_words(l, guess->n);
            lab_lines_back(&l->lines);
            return MARL_OK;
        }
        parse_names(guess, &l->scan.csv, l->lines.line);
    }
}

/* The row in the splitter. Where it may have a label it may be shorter, too. */
static void take_row(preview *l, lab_rows *rows)
{
    const lab_csv_row *csv = &l->scan.csv;
    int may_be_labelled = l->words.column < rows->columns;
    if (csv->cells < rows->columns && (!may_be_labelled || csv->cells <= l->words.column)) {
        return;
    }
    for (size_t i = 0; i < rows->columns; i++) {
        rows->value[rows->n * rows->columns + i] =
            i < csv->cells ? lab_cell_number(lab_csv_cell(csv, i), l->scan.point) : NAN;
    }
    rows->label[rows->n++] =
        (signed char)(may_be_labelled ? lab_words_add(&l->words, lab_csv_cell(csv, l->words.column)) : -1);
}

static marl_status read_rows(preview *l, lab_rows *rows, const char *path, marl_error *error)
{
    rows->value = malloc(LAB_GUESS_ROWS * rows->columns * sizeof *rows->value);
    rows->label = malloc(LAB_GUESS_ROWS);
    if (rows->value == NULL || rows->label == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    while (rows->n < LAB_GUESS_ROWS) {
        const char *line;
        size_t n;
        marl_status status = lab_lines_next(&l->lines, path, &line, &n, error);
        if (status != MARL_OK) {
            return status == MARL_END ? MARL_OK : status;
        }
        n -= n > 0 && line[n - 1] == '\r';
        char *text = l->lines.buffer + (line - l->lines.buffer);
        if (n > 0 && lab_split_any(&l->scan, text, &n, &l->blanks)) {
            take_row(l, rows);
        }
    }
    return MARL_OK;
}

void lab_guess_ranges(marl_columns_guess *guess, const lab_rows *rows)
{
    for (size_t k = 0; k < guess->n; k++) {
        marl_column_guess *c = &guess->column[k];
        c->min = c->max = NAN;
        c->target = -1;
        for (size_t i = 0; i < rows->n; i++) {
            double v = lab_rows_at(rows, i, k);
            if (i > 0 && fabs(v - lab_rows_at(rows, i - 1, k)) < DBL_MIN) {
                c->repeats += 1 / (double)rows->n;
            }
            if (isfinite(v)) {
                c->min = isnan(c->min) ? v : fmin(c->min, v);
                c->max = isnan(c->max) ? v : fmax(c->max, v);
            }
        }
    }
}

/* The first column with a name keeps it; which of several times counts, the numbers decide. */
static void guess_by_names(marl_columns_guess *guess, const char *path)
{
    const lab_file_hint hint =
        guess->label_column > 0 ? lab_guess_label_hint(path) : lab_guess_file_hint(path);
    unsigned assigned = 0;
    if (hint.unwanted) {
        lab_guess_remark(
            guess,
            "by its name the file holds no reading of an accelerometer, which holds gravity and motion: "
            "such files are left out");
    }
    for (size_t k = 0; k < guess->n; k++) {
        marl_column_guess *c = &guess->column[k];
        lab_guess_by_name(c, &hint);
        if (c->target == MARL_COLUMN_T) {
            continue;
        }
        if (c->target < 0 && c->why[0] == '\0' && (hint.unwanted || isnan(c->min))) {
            snprintf(c->why, sizeof c->why,
                     isnan(c->min) ? "no numbers in it" : "no accelerometer's, by the file's name");
        }
        int yaw = c->target == MARL_COLUMN_YAW ? lab_guess_column(guess, MARL_COLUMN_YAW) : -1;
        if (yaw >= 0 && (size_t)yaw < k && guess->column[yaw].is_heading && !c->is_heading) {
            lab_guess_forget(&guess->column[yaw], "there is a yaw, too");
            assigned &= ~(1u << MARL_COLUMN_YAW);
        }
        if (c->target >= 0 && ((assigned & (1u << c->target)) || isnan(c->min))) {
            lab_guess_forget(c, isnan(c->min) ? "no numbers in it" : "another one is called so");
        }
        assigned |= c->target >= 0 ? 1u << c->target : 0;
    }
}

/* A heading is part of an attitude only beside roll and pitch: that of a satellite receiver is the way that it goes. */
static void check_heading(marl_columns_guess *guess)
{
    int yaw = lab_guess_column(guess, MARL_COLUMN_YAW);
    if (yaw >= 0 && guess->column[yaw].is_heading &&
        (!lab_guess_has(guess, MARL_COLUMN_ROLL) || !lab_guess_has(guess, MARL_COLUMN_PITCH))) {
        lab_guess_forget(&guess->column[yaw], "a heading without roll and pitch");
    }
}

/* Dates are times, whatever their column is called. */
static void mark_dates(marl_columns_guess *guess, const int *is_date)
{
    for (size_t k = 0; k < guess->n; k++) {
        marl_column_guess *c = &guess->column[k];
        if (is_date[k]) {
            c->target = MARL_COLUMN_T;
            c->sure = 1;
            snprintf(c->unit, sizeof c->unit, "date");
            snprintf(c->why, sizeof c->why, "dates or times of day");
        }
    }
}

void lab_guess_columns(marl_columns_guess *guess, const lab_rows *rows, const int *is_date, const char *path)
{
    lab_guess_ranges(guess, rows);
    guess_by_names(guess, path);
    check_heading(guess);
    lab_guess_check_numbered(guess);
    mark_dates(guess, is_date);
    if (guess->label_column > 0) {
        const lab_file_hint hint = lab_guess_label_hint(path);
        lab_guess_find_time(guess, rows);
        lab_guess_hinted_triple(guess, rows, &hint);
    }
    lab_guess_by_numbers(guess, rows);
}

static const char of_counts[] = "counts need --sheet, or give the value of one count, such as [0.061 mg]";

static void finish_labelled(marl_columns_guess *guess, const char *path, char decimal)
{
    if (strstr(guess->map, "[count]") != NULL) {
        lab_guess_remark(guess, of_counts);
    } else {
        lab_guess_check_labelled_rates(guess, path, decimal);
    }
}

static void finish(marl_columns_guess *guess, int unit_known, const char *path, char decimal)
{
    if (lab_guess_column(guess, MARL_COLUMN_T) < 0 && guess->rate_hz <= 0) {
        lab_guess_remark(guess, "no column increases like a time: put the rate in Hz for RATE");
    }
    lab_guess_write_map(guess);
    if (strstr(guess->map, "[count]") != NULL) {
        lab_guess_remark(guess, of_counts);
    } else if (!unit_known) {
        lab_guess_check_rates(guess, path, decimal);
        lab_guess_write_map(guess);
    }
}

/* By labels that are words, else as rows of one kind, else, where that finds no accelerometer, by labels that are numbers. */
static marl_status guess_rows(marl_columns_guess *guess, const preview *l, lab_rows *rows, const char *path,
                              marl_error *error)
{
    marl_columns_guess *names = malloc(sizeof *names);
    marl_status status = MARL_OK;
    if (names == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    *names = *guess;
    if (lab_rows_are_labelled(rows, &l->words)) {
        status = lab_guess_labelled(guess, rows, &l->words, l->is_date, error);
    } else {
        lab_guess_columns(guess, rows, l->is_date, path);
        status = lab_guess_has(guess, MARL_COLUMN_ACCEL_X)
                     ? lab_guess_boards(guess, names, rows, l->is_date, error)
                     : lab_guess_numbered(guess, names, rows, l->is_date, error);
    }
    free(names);
    if (status == MARL_OK && guess->labels > 0) {
        finish_labelled(guess, path, l->scan.point);
    } else if (status == MARL_OK) {
        int rates = lab_guess_column(guess, MARL_COLUMN_GYRO_X);
        finish(guess, rates >= 0 && guess->column[rates].named && guess->column[rates].sure, path,
               l->scan.point);
    }
    return status;
}

marl_status marl_columns_guess_file(marl_columns_guess *guess, const char *path, char decimal,
                                    marl_error *error)
{
    lab_rows rows = {0};
    memset(guess, 0, sizeof *guess);
    MARL_TRY(lab_check_file_kind(path, "log", error));
    preview *l = calloc(1, sizeof *l);
    if (l == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    l->scan.point = decimal ? decimal : '.';
    l->lines.fd = -1;
    marl_status status = lab_csv_init(&l->scan.csv, ',') ? lab_lines_open(&l->lines, path, error)
                                                         : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    guess->is_json = l->lines.header_is_made;
    status = status != MARL_OK ? status : find_first_row(l, guess, path, error);
    rows.columns = guess->n;
    status = status != MARL_OK ? status : read_rows(l, &rows, path, error);
    guess->rows = rows.n;
    status = status != MARL_OK ? status : guess_rows(guess, l, &rows, path, error);
    free(rows.label);
    free(rows.value);
    lab_lines_close(&l->lines);
    lab_csv_free(&l->scan.csv);
    free(l);
    return status;
}

int marl_columns_need_units(const marl_columns_guess *guess)
{
    int others = 0;
    for (size_t i = 0; i < guess->n && guess->header > 0 && !guess->is_json; i++) {
        const marl_column_guess *c = &guess->column[i];
        int column = lab_column_by_name(c->name); /* a name with its unit is none */
        others |= column >= 0 && column == c->target && c->sure &&
                  strcmp(c->unit, lab_unit_si(lab_column_quantity((marl_column)column))->name) != 0;
    }
    return others;
}

/* The columns whose names are those of a log of ours. */
static unsigned columns_of_ours(const marl_columns_guess *guess)
{
    unsigned ours = 0;
    for (size_t i = 0; i < guess->n && guess->header > 0 && !guess->is_json; i++) {
        char name[MARL_NAME_MAX], *unit;
        memcpy(name, guess->column[i].name, sizeof name);
        int column = lab_column_by_name(lab_split_name(name, &unit));
        ours |= column >= 0 ? 1u << column : 0;
    }
    return ours;
}

int marl_columns_are_ours(const marl_columns_guess *guess)
{
    unsigned ours = columns_of_ours(guess), readings = 0;
    int by_numbers = !(ours & MARL_COLUMNS_READINGS);
    for (size_t i = 0; i < guess->n; i++) {
        const marl_column_guess *c = &guess->column[i];
        readings |= c->target >= 0 && (c->named || by_numbers) ? 1u << c->target : 0;
    }
    for (size_t i = 0; i < guess->labels; i++) {
        readings |= guess->label[i].named || by_numbers ? guess->label[i].targets : 0;
    }
    return (ours & (1u << MARL_COLUMN_T)) && !(readings & MARL_COLUMNS_READINGS & ~ours);
}
