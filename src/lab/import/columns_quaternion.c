/* SPDX-License-Identifier: MIT
 * A quaternion from the numbers of four columns: their length is one. */
#include "lab/import/columns_guess.h"
#include <ctype.h>
#include <math.h>
#include <stdio.h>
#include <string.h>

#define LENGTH_OFF 0.005 /* what three digits leave */
#define NEARLY_ALL 0.99  /* of the rows that have all four */
#define MIN_ROWS 16

/* Is the length one in nearly all rows? Rows of four zeros are a rig that lost the body. */
static int has_length_one(const lab_rows *rows, size_t k)
{
    size_t there = 0, good = 0;
    for (size_t i = 0; i < rows->n; i++) {
        double squares = 0;
        for (size_t j = k; j < k + 4; j++) {
            squares += pow(lab_rows_at(rows, i, j), 2);
        }
        if (squares > 0) { /* not for NaN */
            there++;
            good += fabs(sqrt(squares) - 1) < LENGTH_OFF;
        }
    }
    return there >= MIN_ROWS && (double)good >= NEARLY_ALL * (double)there;
}

/* How many of the four move; -1 where one of them is something else. */
static int count_moving(const marl_columns_guess *guess, size_t k)
{
    int moving = 0;
    for (size_t j = k; j < k + 4; j++) {
        const marl_column_guess *c = &guess->column[j];
        if (c->target >= 0) {
            return -1;
        }
        moving += c->max > c->min;
    }
    return moving;
}

static char last_letter(const char *name)
{
    size_t n = strcspn(name, "[(");
    while (n > 0 && !isalnum((unsigned char)name[n - 1])) {
        n--;
    }
    return n > 0 ? (char)tolower((unsigned char)name[n - 1]) : '\0';
}

/* Do the names of the four end in these letters? */
static int are_called(const marl_columns_guess *guess, size_t k, const char *letters)
{
    for (size_t j = 0; j < 4; j++) {
        if (last_letter(guess->column[k + j].name) != letters[j]) {
            return 0;
        }
    }
    return 1;
}

static void assign(marl_columns_guess *guess, size_t k, int last_is_w, int named)
{
    for (size_t j = 0; j < 4; j++) {
        marl_column_guess *c = &guess->column[k + j];
        c->target = (int)MARL_COLUMN_Q_W + (int)(last_is_w ? (j + 1) % 4 : j);
        c->named = c->sure = named;
        snprintf(c->why, sizeof c->why, "four of length 1%s", named ? ", and their names" : "");
    }
}

void lab_guess_quaternion(marl_columns_guess *guess, const lab_rows *rows)
{
    for (int w = MARL_COLUMN_Q_W; w < MARL_COLUMN_Q_W + 4; w++) {
        if (lab_guess_has(guess, w)) {
            return;
        }
    }
    for (size_t k = 0; k + 4 <= guess->n; k++) {
        int last_is_w = are_called(guess, k, "xyzw"), named = last_is_w || are_called(guess, k, "wxyz");
        /* without names a column that is always the same belongs to something else: gravity on a table, and a spare one */
        if (count_moving(guess, k) < (named ? 0 : 4) || !has_length_one(rows, k)) {
            continue;
        }
        assign(guess, k, last_is_w, named);
        if (!named) {
            lab_guess_remark(
                guess,
                "columns %zu to %zu may be a quaternion; w may stand first, as guessed here, or last "
                "(q=%zu,%zu,%zu,%zu)",
                k + 1, k + 4, k + 4, k + 1, k + 2, k + 3);
        }
        return;
    }
}
