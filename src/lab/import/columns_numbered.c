/* SPDX-License-Identifier: MIT
 * Rows whose labels are whole numbers: of several sensors, or of several boards. */
#include "lab/import/columns_guess.h"
#include "lab/maths/statistics.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

/* Rows of one board follow each other more closely than those of several in turn. */
#define ONE_BOARD_STEPS 0.5

/* Labels the rows by the whole numbers in the column; 0 where it holds others, or too many. */
static int label_by_number(lab_rows *rows, size_t column, lab_words *words)
{
    *words = (lab_words){.column = column};
    for (size_t i = 0; i < rows->n; i++) {
        double v = lab_rows_at(rows, i, column);
        char text[24];
        if (!(fabs(v) < 1e6) || v != rint(v)) {
            return 0;
        }
        snprintf(text, sizeof text, "%.0f", v);
        rows->label[i] = (signed char)lab_words_add(words, text);
        if (rows->label[i] < 0) {
            return 0;
        }
    }
    return lab_rows_are_labelled(rows, words);
}

static int has_accel(const marl_columns_guess *guess)
{
    unsigned targets = 0;
    for (size_t i = 0; i < guess->labels; i++) {
        targets |= guess->label[i].targets;
    }
    return (targets & MARL_COLUMNS_ACCEL) == MARL_COLUMNS_ACCEL;
}

marl_status lab_guess_numbered(marl_columns_guess *guess, const marl_columns_guess *names, lab_rows *rows,
                               const int *is_date, marl_error *error)
{
    marl_columns_guess *trial = malloc(sizeof *trial);
    marl_status status = MARL_OK;
    if (trial == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t k = 0; k < rows->columns && status == MARL_OK && guess->labels == 0; k++) {
        lab_words words;
        if (label_by_number(rows, k, &words)) {
            *trial = *names;
            status = lab_guess_labelled(trial, rows, &words, is_date, error);
            *guess = status == MARL_OK && has_accel(trial) ? *trial : *guess;
        }
    }
    free(trial);
    return status;
}

/* Of three columns: how far they step, in the median, from row to row, or from row to row of one label. */
static double step_of(const lab_rows *rows, const size_t column[3], int of_label, double *scratch)
{
    size_t last[LAB_WORDS] = {0}, n = 0; /* rows, counted from one */
    for (size_t i = 0; i < rows->n; i++) {
        size_t before = of_label ? last[rows->label[i]] : i;
        double step = 0;
        for (size_t k = 0; k < 3 && before > 0; k++) {
            step += fabs(lab_rows_at(rows, i, column[k]) - lab_rows_at(rows, before - 1, column[k]));
        }
        last[rows->label[i]] = i + 1;
        if (before > 0 && isfinite(step)) {
            scratch[n++] = step;
        }
    }
    return n > 0 ? lab_quantile(scratch, n, 0.5) : NAN;
}

/* Numbers among whose rows the readings of the accelerometer follow each other closely. */
static int is_of_boards(lab_rows *rows, size_t column, const size_t accel[3], double *scratch,
                        lab_words *words)
{
    return label_by_number(rows, column, words) &&
           step_of(rows, accel, 1, scratch) < ONE_BOARD_STEPS * step_of(rows, accel, 0, scratch);
}

marl_status lab_guess_boards(marl_columns_guess *guess, const marl_columns_guess *names, lab_rows *rows,
                             const int *is_date, marl_error *error)
{
    size_t accel[3];
    for (int k = 0; k < 3; k++) {
        int at = lab_guess_column(guess, MARL_COLUMN_ACCEL_X + k);
        if (at < 0) {
            return MARL_OK;
        }
        accel[k] = (size_t)at;
    }
    double *scratch = malloc((rows->n + 1) * sizeof *scratch);
    marl_status status = MARL_OK;
    if (scratch == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t k = 0; k < rows->columns && status == MARL_OK && guess->labels == 0; k++) {
        lab_words words;
        if (guess->column[k].target < 0 && is_of_boards(rows, k, accel, scratch, &words)) {
            *guess = *names;
            status = lab_guess_labelled(guess, rows, &words, is_date, error);
        }
    }
    free(scratch);
    return status;
}
