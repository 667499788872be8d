/* SPDX-License-Identifier: MIT
 * A time that stands in several columns: a day and a time of day, hours and minutes and seconds, whole seconds and what is
 * less. */
#include "lab/import/columns_guess.h"
#include <ctype.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* The parts, and how many seconds one of each is. */
typedef struct parts {
    size_t n, column[MARL_TIME_PARTS];
    double seconds[MARL_TIME_PARTS];
    const char *unit[MARL_TIME_PARTS];
} parts;

static void add_part(parts *p, size_t column, double seconds, const char *unit)
{
    if (p->n < MARL_TIME_PARTS) {
        p->column[p->n] = column;
        p->seconds[p->n] = seconds;
        p->unit[p->n++] = unit;
    }
}

static int is_part(const parts *p, size_t column)
{
    for (size_t i = 0; i < p->n; i++) {
        if (p->column[i] == column) {
            return 1;
        }
    }
    return 0;
}

/* The letters of the column's name, small, without a unit in brackets. */
static void letters_of(const marl_column_guess *c, char *plain, size_t size)
{
    size_t n = 0;
    for (const char *p = c->name; *p != '\0' && *p != '(' && *p != '[' && n + 1 < size; p++) {
        if (isalpha((unsigned char)*p)) {
            plain[n++] = (char)tolower((unsigned char)*p);
        }
    }
    plain[n] = '\0';
}

/* The first column whose name ends so and whose numbers lie within [0, below); SIZE_MAX: none. */
static size_t find_named(const marl_columns_guess *guess, const char *const *words, double below)
{
    for (size_t k = 0; k < guess->n; k++) {
        const marl_column_guess *c = &guess->column[k];
        char plain[MARL_NAME_MAX];
        letters_of(c, plain, sizeof plain);
        for (size_t w = 0; words[w] != NULL; w++) {
            size_t n = strlen(words[w]), has = strlen(plain);
            int ends =
                n > 2 ? has >= n && strcmp(plain + has - n, words[w]) == 0 : strcmp(plain, words[w]) == 0;
            if (ends && c->min >= 0 && c->max < below && strcmp(c->unit, "date") != 0) {
                return k;
            }
        }
    }
    return SIZE_MAX;
}

/* Hours may be missing, as of an hour's log. */
static void find_hours(const marl_columns_guess *guess, parts *p)
{
    static const char *const hours[] = {"hour", "hours", "hh", "h", NULL},
                             *const minutes[] = {"minute", "minutes", "min", "mins", "mm", NULL},
                             *const seconds[] = {"second", "seconds", "sec", "secs", "ss", "s", NULL};
    size_t h = find_named(guess, hours, 25), m = find_named(guess, minutes, 60),
           s = find_named(guess, seconds, 61);
    if (m == SIZE_MAX || s == SIZE_MAX) {
        return;
    }
    if (h != SIZE_MAX) {
        add_part(p, h, 3600, "3600 s");
    }
    add_part(p, m, 60, "60 s");
    add_part(p, s, 1, "s");
}

static double day_at(const lab_rows *rows, size_t i, size_t column)
{
    return fmod(lab_rows_at(rows, i, column), 86400);
}

/* Dates: a day without a time, and a time without a day. */
static void find_day(const marl_columns_guess *guess, const lab_rows *rows, parts *p)
{
    size_t day = SIZE_MAX, clock = SIZE_MAX;
    for (size_t k = 0; k < guess->n; k++) {
        if (strcmp(guess->column[k].unit, "date") == 0) {
            int is_day = guess->column[k].min >= 86400 && lab_rows_median(rows, k, day_at) == 0;
            day = is_day ? k : day;
            clock = guess->column[k].max < 86401 ? k : clock;
        }
    }
    if (clock != SIZE_MAX && day != SIZE_MAX) {
        add_part(p, day, 1, "date");
        add_part(p, clock, 1, "date");
    }
}

/* A clock of whole seconds: dates, or seconds by the column's name or its numbers. */
static void find_whole_seconds(const marl_columns_guess *guess, const lab_rows *rows, parts *p)
{
    for (size_t k = 0; k < guess->n && p->n == 0; k++) {
        const marl_column_guess *c = &guess->column[k];
        int is_date = strcmp(c->unit, "date") == 0;
        int is_clock =
            is_date || (c->target == MARL_COLUMN_T && (c->unit[0] == '\0' || strcmp(c->unit, "s") == 0));
        int is_whole = 1;
        for (size_t i = 0; i < rows->n && is_whole; i++) {
            double v = lab_rows_at(rows, i, k);
            is_whole = !isfinite(v) || v == floor(v);
        }
        if (is_clock && is_whole && c->max > c->min) {
            add_part(p, k, 1, is_date ? "date" : "s");
        }
    }
}

/* What is less than a second: it begins again with each. */
static void find_fraction(const marl_columns_guess *guess, parts *p)
{
    static const struct {
        const char *words[10], *unit;
        double per_second;
    } units[] = {
        {{"ns", "nsec", "nsecs", "nanos", "nanosec", "nanosecs", "nanosecond", "nanoseconds", NULL},
         "ns",
         1e9},
        {{"us", "usec", "usecs", "micros", "microsec", "microsecond", "microseconds", NULL}, "us", 1e6},
        {{"ms", "msec", "msecs", "millis", "millisec", "millisecond", "milliseconds", NULL}, "ms", 1e3}};
    for (size_t i = 0; i < sizeof units / sizeof units[0]; i++) {
        size_t k = find_named(guess, units[i].words, units[i].per_second);
        if (k != SIZE_MAX && !is_part(p, k) && guess->column[k].max > guess->column[k].min) {
            add_part(p, k, 1 / units[i].per_second, units[i].unit);
            return;
        }
    }
}

/* Does the sum go on as a time does? Not without memory. */
static int sum_rises(const lab_rows *rows, const parts *p)
{
    lab_rows sum = {1, rows->n, malloc((rows->n + 1) * sizeof *sum.value), NULL};
    if (sum.value == NULL) {
        return 0;
    }
    for (size_t i = 0; i < rows->n; i++) {
        sum.value[i] = 0;
        for (size_t k = 0; k < p->n; k++) {
            sum.value[i] += p->seconds[k] * lab_rows_at(rows, i, p->column[k]);
        }
    }
    int rises = lab_rows_rise(&sum, 0);
    free(sum.value);
    return rises;
}

static void take(marl_columns_guess *guess, const parts *p)
{
    for (size_t k = 0; k < guess->n; k++) {
        marl_column_guess *c = &guess->column[k];
        if (c->target == MARL_COLUMN_T) {
            c->target = -1;
            c->named = c->sure = 0;
            snprintf(c->why, sizeof c->why, "a time, too");
        }
    }
    for (size_t i = 0; i < p->n; i++) {
        marl_column_guess *c = &guess->column[p->column[i]];
        c->target = MARL_COLUMN_T;
        c->named = c->sure = 1;
        snprintf(c->unit, sizeof c->unit, "%s", p->unit[i]);
        snprintf(c->why, sizeof c->why, "a part of the time");
    }
}

int lab_guess_split_time(marl_columns_guess *guess, const lab_rows *rows)
{
    parts p = {0};
    find_hours(guess, &p);
    if (p.n == 0) {
        find_day(guess, rows, &p);
    }
    if (p.n == 0) {
        find_whole_seconds(guess, rows, &p);
    }
    parts whole = p;
    if (p.n > 0) {
        find_fraction(guess, &p);
    }
    const parts *found = p.n > whole.n && sum_rises(rows, &p)     ? &p
                         : whole.n > 1 && sum_rises(rows, &whole) ? &whole
                                                                  : NULL;
    if (found != NULL) {
        take(guess, found);
    }
    return found != NULL;
}
