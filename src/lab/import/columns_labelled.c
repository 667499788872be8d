/* SPDX-License-Identifier: MIT
 * Rows of several sensors in one file: a column of labels says which sensor a row is of. */
#include "lab/import/columns_guess.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define MIN_ROWS 16
#define MIN_SHARE 0.95 /* of the rows have one of the labels */

int lab_words_add(lab_words *words, const char *cell)
{
    char word[MARL_LABEL_MAX];
    cell += strspn(cell, " \t");
    size_t n = strlen(cell);
    while (n > 0 && strchr(" \t\r", cell[n - 1]) != NULL) {
        n--;
    }
    if (n == 0 || n >= sizeof word || strcspn(cell, ";\"") < n) {
        return -1;
    }
    snprintf(word, sizeof word, "%.*s", (int)n, cell);
    for (size_t i = 0; i < words->n; i++) {
        if (strcmp(words->word[i], word) == 0) {
            return (int)i;
        }
    }
    if (words->n == LAB_WORDS) {
        return -1;
    }
    memcpy(words->word[words->n], word, sizeof word);
    return (int)words->n++;
}

/* How many rows have label i. */
static size_t rows_of(const lab_rows *rows, int i)
{
    size_t n = 0;
    for (size_t k = 0; k < rows->n; k++) {
        n += rows->label[k] == i;
    }
    return n;
}

int lab_rows_are_labelled(const lab_rows *rows, const lab_words *words)
{
    size_t labelled = 0, frequent = 0;
    for (size_t i = 0; i < words->n; i++) {
        size_t n = rows_of(rows, (int)i);
        labelled += n;
        frequent += n >= MIN_ROWS;
    }
    return frequent >= 2 && (double)labelled >= MIN_SHARE * (double)rows->n;
}

/* The rows with label i; their values are a copy. */
static int take_rows(const lab_rows *all, int i, lab_rows *rows)
{
    *rows = (lab_rows){.columns = all->columns};
    rows->value = malloc((rows_of(all, i) * all->columns + 1) * sizeof *rows->value);
    for (size_t k = 0; k < all->n && rows->value != NULL; k++) {
        if (all->label[k] == i) {
            memcpy(rows->value + rows->n++ * all->columns, all->value + k * all->columns,
                   all->columns * sizeof *all->value);
        }
    }
    return rows->value != NULL;
}

/* What the map of one label says goes behind that of the file, where only the first says the time. What has no room is left
 * out. */
static void add_map(char map[MARL_MAP_TEXT], const char *of_label, size_t column, const char *label)
{
    for (const char *entry = of_label; *entry != '\0';) {
        char text[MARL_MAP_TEXT + MARL_LABEL_MAX + 40];
        size_t length = strcspn(entry, ";"), n = strlen(map);
        int is_time = strncmp(entry, "t=", 2) == 0;
        if (is_time) {
            snprintf(text, sizeof text, "%.*s", n == 0 ? (int)length : 0, entry);
        } else {
            snprintf(text, sizeof text, "; %.*s where %zu=%s", (int)length, entry, column + 1, label);
        }
        if (n + strlen(text) < MARL_MAP_TEXT) {
            memcpy(map + n, text, strlen(text) + 1);
        }
        entry += length;
        entry += strspn(entry, "; ");
    }
}

/* The first column of a sensor or a quaternion that was understood, else of anything but the time; -1: nothing. */
static int what_it_is(const marl_columns_guess *guess)
{
    static const int first[] = {MARL_COLUMN_ACCEL_X, MARL_COLUMN_GYRO_X, MARL_COLUMN_MAG_X, MARL_COLUMN_Q_W};
    for (size_t i = 0; i < sizeof first / sizeof first[0]; i++) {
        if (lab_guess_has(guess, first[i])) {
            return lab_guess_column(guess, first[i]);
        }
    }
    for (size_t k = 0; k < guess->n; k++) {
        if (guess->column[k].target > MARL_COLUMN_T) {
            return (int)k;
        }
    }
    return -1;
}

/* Was it taken by a label before? */
static int is_taken(const marl_columns_guess *guess, int target)
{
    for (size_t i = 0; i < guess->labels; i++) {
        if (guess->label[i].target == target) {
            return 1;
        }
    }
    return 0;
}

static void put_answer(marl_label_guess *l, const marl_column_guess *c)
{
    static const char by_file[] = "by its name and the file's";
    size_t n = sizeof by_file - 1;
    int is_by_file = strncmp(c->why, by_file, n) == 0; /* the label stood for the file's name */
    l->target = c->target;
    l->named = c->named;
    l->sure = c->sure;
    memcpy(l->unit, c->unit, sizeof l->unit);
    snprintf(l->why, sizeof l->why, "%s%s", is_by_file ? "by the label" : "",
             is_by_file ? c->why + n : c->why);
}

/* The time is that of the first label; its range is that of all rows. Each row of a label is a reading, also where it
 * repeats the one before. */
static void take_time(marl_columns_guess *guess, marl_columns_guess *its)
{
    int time = lab_guess_column(its, MARL_COLUMN_T);
    marl_column_guess *t = &guess->column[time];
    if (!lab_guess_has(guess, MARL_COLUMN_T)) {
        double min = t->min, max = t->max;
        *t = its->column[time];
        t->min = min;
        t->max = max;
    }
    for (size_t k = 0; k < its->n; k++) {
        its->column[k].repeats = 0;
    }
}

/* One label: what its rows seem to hold, into the guess and its map. `its` starts as the names of the columns. */
static void guess_label(marl_columns_guess *guess, marl_columns_guess *its, const lab_rows *rows,
                        const int *is_date, const char *label)
{
    marl_label_guess *l = &guess->label[guess->labels];
    *l = (marl_label_guess){.target = -1, .rows = rows->n};
    snprintf(l->text, sizeof l->text, "%s", label);
    lab_guess_columns(its, rows, is_date, label);
    its->column[guess->label_column - 1].target = -1;
    int at = rows->n >= MIN_ROWS && lab_guess_has(its, MARL_COLUMN_T) ? what_it_is(its) : -1;
    const marl_column_guess *c = at >= 0 ? &its->column[at] : NULL;
    if (c != NULL && is_taken(guess, c->target)) {
        snprintf(l->why, sizeof l->why, "another label's, too");
    } else if (c != NULL) {
        put_answer(l, c);
        take_time(guess, its);
        lab_guess_write_map(its);
        add_map(guess->map, its->map, guess->label_column - 1, label);
    } else {
        snprintf(l->why, sizeof l->why, rows->n < MIN_ROWS ? "too few rows" : "no sensor's");
    }
    guess->labels++;
}

marl_status lab_guess_labelled(marl_columns_guess *guess, const lab_rows *all, const lab_words *words,
                               const int *is_date, marl_error *error)
{
    marl_columns_guess *its = malloc(sizeof *its);
    marl_status status = MARL_OK;
    if (its == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    guess->label_column = words->column + 1;
    for (size_t k = 0; k < guess->n && guess->header == 0; k++) {
        guess->column[k].name[0] = '\0'; /* it came of the first row's label */
    }
    const marl_columns_guess names = *guess;
    lab_guess_ranges(guess, all);
    snprintf(guess->column[words->column].why, sizeof guess->column[0].why,
             "labels: which sensor a row is of");
    for (size_t i = 0; i < words->n && status == MARL_OK; i++) {
        lab_rows rows;
        *its = names;
        status = take_rows(all, (int)i, &rows) ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
        if (status == MARL_OK) {
            guess_label(guess, its, &rows, is_date, words->word[i]);
        }
        free(rows.value);
    }
    free(its);
    return status;
}
