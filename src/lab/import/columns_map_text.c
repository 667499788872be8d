/* SPDX-License-Identifier: MIT
 * The map of the columns that were guessed. */
#include "lab/import/columns_guess.h"
#include <ctype.h>
#include <stdio.h>
#include <string.h>

#define SELDOM 0.45  /* of the rows repeat a reading that comes at half their rate */
#define ALWAYS 0.999 /* ... and nearly all one that is stuck */

/* A name that needs no thought in a shell and stands there once; else the number is used. */
static int is_plain_name(const marl_columns_guess *guess, size_t at)
{
    const char *name = guess->column[at].name;
    int same = 0;
    for (size_t k = 0; k < guess->n; k++) {
        same += strcmp(guess->column[k].name, name) == 0;
    }
    for (const char *p = name; *p != '\0'; p++) {
        if (!isalnum((unsigned char)*p) && *p != '_' && *p != '.') {
            return 0;
        }
    }
    return same == 1 && isalpha((unsigned char)name[0]);
}

static void put_source(marl_columns_guess *guess, size_t at, char *text, size_t size)
{
    if (guess->header > 0 && is_plain_name(guess, at)) {
        snprintf(text, size, "%s", guess->column[at].name);
    } else {
        snprintf(text, size, "%zu", at + 1);
    }
}

int lab_guess_column(const marl_columns_guess *guess, int target)
{
    for (size_t k = 0; k < guess->n; k++) {
        if (guess->column[k].target == target) {
            return (int)k;
        }
    }
    return -1;
}

const char *marl_column_guess_name(const marl_column_guess *column)
{
    return column->target < 0   ? ""
           : column->is_heading ? "heading"
                                : marl_column_name((marl_column)column->target);
}

/* Do all axes repeat their value in most rows, but not in all? */
static int seldom_changes(const marl_columns_guess *guess, int first)
{
    for (int k = 0; k < 3; k++) {
        double repeats = guess->column[lab_guess_column(guess, first + k)].repeats;
        if (repeats < SELDOM || repeats > ALWAYS) {
            return 0;
        }
    }
    return 1;
}

/* An entry of the map for `columns` columns from `first` on; 0 when they are not all there in one unit. */
static int put_entry(marl_columns_guess *guess, const char *name, int first, int columns)
{
    char entry[4 * MARL_NAME_MAX + 80];
    int at = lab_guess_column(guess, first);
    size_t n = (size_t)snprintf(entry, sizeof entry, "%s%s=", guess->map[0] ? "; " : "", name);
    for (int k = 0; k < columns; k++) {
        int here = lab_guess_column(guess, first + k);
        if (here < 0 || strcmp(guess->column[here].unit, guess->column[at].unit) != 0) {
            return 0;
        }
        n += (size_t)snprintf(entry + n, sizeof entry - n, "%s", k ? "," : "");
        put_source(guess, (size_t)here, entry + n, sizeof entry - n);
        n += strlen(entry + n);
    }
    if (guess->column[at].unit[0] != '\0') {
        n += (size_t)snprintf(entry + n, sizeof entry - n, "[%s]", guess->column[at].unit);
    }
    if (columns == 3 && seldom_changes(guess, first)) {
        snprintf(entry + n, sizeof entry - n, " changed");
    }
    n = strlen(guess->map);
    snprintf(guess->map + n, sizeof guess->map - n, "%s", entry);
    return 1;
}

/* Its parts, joined by +. */
static void put_time(marl_columns_guess *guess)
{
    size_t n = 0;
    for (size_t k = 0; k < guess->n; k++) {
        const marl_column_guess *c = &guess->column[k];
        if (c->target == MARL_COLUMN_T && n < sizeof guess->map) {
            char name[MARL_NAME_MAX];
            put_source(guess, k, name, sizeof name);
            n += (size_t)snprintf(guess->map + n, sizeof guess->map - n, "%s%s%s%s%s",
                                  n > 0 ? "+" : "t=", name, c->unit[0] ? "[" : "", c->unit,
                                  c->unit[0] ? "]" : "");
        }
    }
}

void lab_guess_write_map(marl_columns_guess *guess)
{
    static const struct {
        const char *name;
        int first, columns;
    } groups[] = {{"accel", MARL_COLUMN_ACCEL_X, 3},
                  {"gyro", MARL_COLUMN_GYRO_X, 3},
                  {"mag", MARL_COLUMN_MAG_X, 3},
                  {"q", MARL_COLUMN_Q_W, 4}};
    guess->map[0] = '\0';
    if (lab_guess_column(guess, MARL_COLUMN_T) >= 0) {
        put_time(guess);
    } else if (guess->rate_hz > 0) {
        snprintf(guess->map, sizeof guess->map, "t=@%.6g", guess->rate_hz);
    } else {
        snprintf(guess->map, sizeof guess->map, "t=@RATE");
    }
    unsigned done = 1u << MARL_COLUMN_T;
    for (size_t g = 0; g < sizeof groups / sizeof groups[0]; g++) {
        if (put_entry(guess, groups[g].name, groups[g].first, groups[g].columns)) {
            done |= ((1u << groups[g].columns) - 1) << groups[g].first;
        }
    }
    for (int target = 0; target < MARL_COLUMN_COUNT; target++) {
        if (!(done & (1u << target)) && lab_guess_column(guess, target) >= 0) {
            (void)put_entry(guess, marl_column_guess_name(&guess->column[lab_guess_column(guess, target)]),
                            target, 1);
        }
    }
}
