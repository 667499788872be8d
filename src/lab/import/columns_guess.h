/* SPDX-License-Identifier: MIT
 * Guessing the columns of a file from elsewhere: its first rows, its names, its numbers. */
#ifndef LAB_COLUMNS_GUESS_H
#define LAB_COLUMNS_GUESS_H

#include "marlinspike/log.h"

enum { LAB_GUESS_ROWS = 4000 };

/* The numbers of a file's first rows. */
typedef struct lab_rows {
    size_t columns, n;
    double *value; /* n rows of `columns`; NaN where a cell is no number */
} lab_rows;

static inline double lab_rows_at(const lab_rows *rows, size_t row, size_t column)
{
    return rows->value[row * rows->columns + column];
}

/* Adds a sentence to the remarks. */
void lab_guess_remark(marl_columns_guess *guess, const char *format, ...)
    __attribute__((format(printf, 2, 3)));

/* By its name alone: target and unit, where it contains them. */
void lab_guess_by_name(marl_column_guess *column);
/* A time, and triples without a name, from the numbers; and the units that no name gives. */
void lab_guess_by_numbers(marl_columns_guess *guess, const lab_rows *rows);

#endif
