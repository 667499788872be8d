/* SPDX-License-Identifier: MIT
 * Guessing the columns of a file from elsewhere: its first rows, its names, its numbers. */
#ifndef LAB_COLUMNS_GUESS_H
#define LAB_COLUMNS_GUESS_H

#include "lab/log/csv_row.h"
#include "marlinspike/log.h"

enum { LAB_GUESS_ROWS = 4000 };

/* The numbers of a file's first rows. */
typedef struct lab_rows {
    size_t columns, n;
    double *value; /* n rows of `columns`; NaN where a cell is no number */
    signed char
        *label; /* of each row, a place in lab_words; -1: none. NULL where no column can hold labels */
} lab_rows;

enum { LAB_WORDS = MARL_LABELS_MAX };

/* The words in a column that may hold labels. */
typedef struct lab_words {
    size_t column, n;
    char word[LAB_WORDS][MARL_LABEL_MAX];
} lab_words;

static inline double lab_rows_at(const lab_rows *rows, size_t row, size_t column)
{
    return rows->value[row * rows->columns + column];
}

/* The median over the rows of f(row); NaN under 16 numbers. */
double lab_rows_median(const lab_rows *rows, size_t column,
                       double (*f)(const lab_rows *, size_t row, size_t column));
/* Does the column rise steadily, as times and row numbers do? */
int lab_rows_rise(const lab_rows *rows, size_t column);

/* Adds a sentence to the remarks. */
void lab_guess_remark(marl_columns_guess *guess, const char *format, ...)
    __attribute__((format(printf, 2, 3)));

/* What the file's own name says of columns that are called x, y, z (and w). */
typedef struct lab_file_hint {
    int first;    /* the first column of the reading; -1: nothing */
    int axes;     /* 3 or 4 */
    int unwanted; /* accelerations without gravity, or gravity alone: no accelerometer */
} lab_file_hint;

/* The place of the cell's word, which is new if need be; -1: it can be no label, or there are too many. */
int lab_words_add(lab_words *words, const char *cell);
/* Do nearly all rows have one of the words, and several of the words many rows? */
int lab_rows_are_labelled(const lab_rows *rows, const lab_words *words);
/* What the rows of each label hold, and the map. The guess has the names of the columns. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_guess_labelled(marl_columns_guess *guess, const lab_rows *rows,
                                            const lab_words *words, const int *is_date, marl_error *error);

/* The same with whole numbers for labels, where that finds an accelerometer; else *guess stays. `names` is a guess that has
 * the names of the columns. */
MARL_CHECKED marl_status lab_guess_numbered(marl_columns_guess *guess, const marl_columns_guess *names,
                                            lab_rows *rows, const int *is_date, marl_error *error);

/* The same where the guess has an accelerometer whose readings follow each other closely only among rows of one number: several
 * boards in turn, of which the first is read. */
MARL_CHECKED marl_status lab_guess_boards(marl_columns_guess *guess, const marl_columns_guess *names,
                                          lab_rows *rows, const int *is_date, marl_error *error);

/* Least and greatest number of each column, and how often it repeats itself; nothing is understood yet. */
void lab_guess_ranges(marl_columns_guess *guess, const lab_rows *rows);
/* What the columns are, by their names, the file's name (or the rows' label) and the numbers; the map is not written. */
void lab_guess_columns(marl_columns_guess *guess, const lab_rows *rows, const int *is_date, const char *path);

/* The names of columns whose rows hold them; no others. `csv` is the first row. */
void lab_guess_labels(marl_columns_guess *guess, const lab_csv_row *csv, char point);
lab_file_hint lab_guess_file_hint(const char *path);
/* The same of the label of rows, which may be one letter. */
lab_file_hint lab_guess_label_hint(const char *label);
/* Small letters, without blanks, underlines and the like. */
void lab_guess_simplify(const char *text, char *plain, size_t size);
/* The column is none of ours, for this reason; "" leaves it to the numbers. */
void lab_guess_forget(marl_column_guess *column, const char *why);
/* acc1, acc2, acc3 are x, y, z, as acc0, acc1, acc2 are; other numbers of columns, as those of four motors, are no axes.
 * Of q1 to q4 the numbers decide. */
void lab_guess_check_numbered(marl_columns_guess *guess);
/* Of a simplified name: accelerations without gravity, or no reading at all? */
int lab_guess_is_unwanted(const char *plain);
/* The first column of the reading that the simplified word stands for, and its axes; -1: none. */
int lab_guess_word(const char *plain, int *axes);
/* The axis in the rest of a name, of three or four: 0 x or w, ...; -1: none. */
int lab_guess_axis(const char *rest, int axes);
/* As it stands in a map; NULL where the text is none. */
const char *lab_guess_unit(const char *text);
/* 1 when the name, or what is behind a point or a slash in it, is a word of the trade and an axis: then the column's target,
 * and its unit where the name holds it. */
int lab_guess_parse_word(const char *name, marl_column_guess *column);
/* Does the name say time? *unit is the one that it says, or "". */
int lab_guess_is_time(const char *name, const char **unit);
/* By its name alone: target and unit, where it contains them. */
void lab_guess_by_name(marl_column_guess *column, const lab_file_hint *hint);
/* A time that stands in several columns, whose targets are then all t; 0 when it does not. */
int lab_guess_split_time(marl_columns_guess *guess, const lab_rows *rows);
/* The column of times, and its unit where no name gives it. */
void lab_guess_find_time(marl_columns_guess *guess, const lab_rows *rows);
void lab_guess_time_unit(marl_columns_guess *guess, const lab_rows *rows);
/* A time, and triples without a name, from the numbers; and the units that no name gives. */
void lab_guess_by_numbers(marl_columns_guess *guess, const lab_rows *rows);

/* The first three free columns, where the label of the rows says of what and no column's name does. */
void lab_guess_hinted_triple(marl_columns_guess *guess, const lab_rows *rows, const lab_file_hint *hint);
/* Four columns of length one that no name claims. */
void lab_guess_quaternion(marl_columns_guess *guess, const lab_rows *rows);

/* Where no name gives the gyroscope's unit: by how gravity turns in the file as the map reads it, else with a remark. The
 * second is for rows with labels. */
void lab_guess_check_rates(marl_columns_guess *guess, const char *path, char decimal);
void lab_guess_check_labelled_rates(marl_columns_guess *guess, const char *path, char decimal);

/* The column that is guessed to be this one, or -1. */
int lab_guess_column(const marl_columns_guess *guess, int target);
static inline int lab_guess_has(const marl_columns_guess *guess, int target)
{
    return lab_guess_column(guess, target) >= 0;
}
/* The map by which the guessed columns are read. */
void lab_guess_write_map(marl_columns_guess *guess);

#endif
