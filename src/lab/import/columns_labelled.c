/* SPDX-License-Identifier: MIT
 * Rows of several sensors in one file: a column of labels says which sensor a row is of. */
#include "lab/import/columns_guess.h"
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

/* Guessing label by label. */
typedef struct labelling {
    marl_columns_guess *guess;
    marl_columns_guess *its; /* of the label at hand */
    marl_columns_guess names;
    const int *is_date;
    unsigned taken; /* targets of the labels before */
} labelling;

/* What other labels have is left to them. Returns the targets that are left; *left is 1 where there were others. */
static unsigned leave_taken(labelling *l, int *left)
{
    unsigned targets = 0;
    *left = 0;
    l->its->column[l->guess->label_column - 1].target = -1;
    for (size_t k = 0; k < l->its->n; k++) {
        marl_column_guess *c = &l->its->column[k];
        if (c->target > MARL_COLUMN_T && (l->taken & (1u << c->target))) {
            c->target = -1;
            *left = 1;
        }
        targets |= c->target > MARL_COLUMN_T ? 1u << c->target : 0;
    }
    return targets;
}

static void put_answer(const labelling *l, unsigned targets, marl_label_guess *answer)
{
    static const char by_file[] = "by its name and the file's";
    const size_t n = sizeof by_file - 1;
    answer->targets = targets;
    answer->named = answer->sure = 1;
    for (size_t k = l->its->n; k-- > 0;) { /* the first one's reason is left */
        const marl_column_guess *c = &l->its->column[k];
        if (c->target > MARL_COLUMN_T) {
            int is_by_file = strncmp(c->why, by_file, n) == 0; /* the label stood for the file's name */
            answer->named &= c->named;
            answer->sure &= c->sure;
            answer->rate_unit_open |= c->target == MARL_COLUMN_GYRO_X && !(c->named && c->sure);
            snprintf(answer->why, sizeof answer->why, "%s%s", is_by_file ? "by the label" : "",
                     is_by_file ? c->why + n : c->why);
        }
    }
}

/* The time is that of the first label; its range is that of all rows. Each row of a label is a reading, also where it
 * repeats the one before. */
static void take_time(labelling *l)
{
    int time = lab_guess_column(l->its, MARL_COLUMN_T);
    marl_column_guess *t = &l->guess->column[time];
    if (!lab_guess_has(l->guess, MARL_COLUMN_T)) {
        double min = t->min, max = t->max;
        *t = l->its->column[time];
        t->min = min;
        t->max = max;
    }
    for (size_t k = 0; k < l->its->n; k++) {
        l->its->column[k].repeats = 0;
    }
}

/* One label: what its rows seem to hold, into the guess and its map. */
static void guess_label(labelling *l, const lab_rows *rows, const char *label)
{
    marl_label_guess *answer = &l->guess->label[l->guess->labels++];
    *answer = (marl_label_guess){.rows = rows->n};
    snprintf(answer->text, sizeof answer->text, "%s", label);
    *l->its = l->names;
    lab_guess_columns(l->its, rows, l->is_date, label);
    int left;
    unsigned targets = leave_taken(l, &left);
    if (rows->n < MIN_ROWS || targets == 0 || !lab_guess_has(l->its, MARL_COLUMN_T)) {
        snprintf(answer->why, sizeof answer->why, "%s",
                 rows->n < MIN_ROWS ? "too few rows"
                 : left ? "the same once more: of another board? read it alone, into a log of its own"
                        : "no sensor that is read here");
        return;
    }
    put_answer(l, targets, answer);
    take_time(l);
    l->taken |= targets;
    lab_guess_write_map(l->its);
    add_map(l->guess->map, l->its->map, l->guess->label_column - 1, label);
}

/* Labels that say of what come first, so that others do not take what is theirs. */
static marl_status guess_all(labelling *l, const lab_rows *all, const lab_words *words, marl_error *error)
{
    for (int hinted = 1; hinted >= 0; hinted--) {
        for (size_t i = 0; i < words->n; i++) {
            const lab_file_hint hint = lab_guess_label_hint(words->word[i]);
            lab_rows rows;
            if ((hint.first >= 0 && !hint.unwanted) != hinted) {
                continue;
            }
            if (!take_rows(all, (int)i, &rows)) {
                return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
            }
            guess_label(l, &rows, words->word[i]);
            free(rows.value);
        }
    }
    return MARL_OK;
}

marl_status lab_guess_labelled(marl_columns_guess *guess, const lab_rows *all, const lab_words *words,
                               const int *is_date, marl_error *error)
{
    labelling *l = calloc(1, sizeof *l);
    marl_columns_guess *its = malloc(sizeof *its);
    marl_status status = l != NULL && its != NULL ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    if (l != NULL && its != NULL) {
        guess->label_column = words->column + 1;
        for (size_t k = 0; k < guess->n && guess->header == 0; k++) {
            guess->column[k].name[0] = '\0'; /* it came of the first row's label */
        }
        snprintf(guess->column[words->column].why, sizeof guess->column[0].why,
                 "labels: which sensor a row is of"); /* so it is no axis either */
        *l = (labelling){.guess = guess, .its = its, .names = *guess, .is_date = is_date};
        lab_guess_ranges(guess, all);
        status = guess_all(l, all, words, error);
    }
    free(its);
    free(l);
    return status;
}
