/* SPDX-License-Identifier: MIT
 * Which column is the time, and its unit, from the numbers. */
#include "lab/import/columns_guess.h"
#include "lab/maths/statistics.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define MIN_ROWS 16
#define SLOWEST_HZ 1.5
#define STEADY_SHARE 0.95 /* of the steps of a column of times: they rise, by under three usual steps */
#define FASTEST_HZ 9000.0

double lab_rows_median(const lab_rows *rows, size_t at, double (*f)(const lab_rows *, size_t, size_t))
{
    double *value = malloc((rows->n + 1) * sizeof *value), result = NAN;
    size_t n = 0;
    for (size_t i = 0; i < rows->n && value != NULL; i++) {
        double v = f(rows, i, at);
        if (isfinite(v)) {
            value[n++] = v;
        }
    }
    if (n >= MIN_ROWS) {
        result = lab_quantile(value, n, 0.5);
    }
    free(value);
    return result;
}

static double step_at(const lab_rows *rows, size_t i, size_t column)
{
    return i > 0 ? lab_rows_at(rows, i, column) - lab_rows_at(rows, i - 1, column) : NAN;
}

/* Share of the rows in which the column goes on by something like its usual step. */
static double steadiness(const lab_rows *rows, size_t column, double step)
{
    size_t good = 0;
    for (size_t i = 1; i < rows->n; i++) {
        double s = step_at(rows, i, column);
        good += s > 0 && s < 3 * step;
    }
    return (double)good / (double)(rows->n > 1 ? rows->n - 1 : 1);
}

int lab_rows_rise(const lab_rows *rows, size_t column)
{
    double step = lab_rows_median(rows, column, step_at);
    return step > 0 && steadiness(rows, column, step) > STEADY_SHARE;
}

/* A column that is called a time, but shows the same in all rows, is something else: T, say. */
static void forget_constants(marl_columns_guess *guess)
{
    for (size_t k = 0; k < guess->n; k++) {
        marl_column_guess *c = &guess->column[k];
        if (c->target == MARL_COLUMN_T && c->min >= c->max) {
            lab_guess_forget(c, "called a time, but always the same");
        }
    }
}

/* Of several columns that are called times the one that rises steadily counts, and of those the one that is farthest from
 * zero, in steps: a clock that other files go by, too. */
static void choose_time(marl_columns_guess *guess, const lab_rows *rows)
{
    double best = -1;
    size_t at = guess->n;
    for (size_t k = 0; k < guess->n; k++) {
        double step = lab_rows_median(rows, k, step_at);
        int stands = strcmp(guess->column[k].unit, "date") == 0 && !lab_rows_rise(rows, k);
        double score = stands                   ? -1
                       : !(step > 0)            ? 0
                       : lab_rows_rise(rows, k) ? 1 + fabs(guess->column[k].min) / step
                                                : 0.5;
        if (guess->column[k].target == MARL_COLUMN_T && isfinite(guess->column[k].min) && score > best) {
            best = score;
            at = k;
        }
    }
    for (size_t k = 0; k < guess->n; k++) {
        marl_column_guess *c = &guess->column[k];
        if (c->target == MARL_COLUMN_T && k != at) {
            c->target = -1;
            c->sure = 0;
            snprintf(c->why, sizeof c->why,
                     at == guess->n ? "a time that cannot be read: give the rate" : "a time, too");
        }
    }
}

/* The first unit in which the rows come at a rate that sensors have; the order is that of likelihood. */
static const char *unit_of_time(double step, double *rate)
{
    static const struct {
        const char *unit;
        double seconds;
    } units[] = {{"s", 1}, {"ms", 1e-3}, {"us", 1e-6}, {"ns", 1e-9}};
    for (size_t i = 0; i < sizeof units / sizeof units[0]; i++) {
        *rate = 1 / (step * units[i].seconds);
        if (*rate > SLOWEST_HZ && *rate < FASTEST_HZ) {
            return units[i].unit;
        }
    }
    return "";
}

/* Rows a unit of the column, from its first change to its last, where it never goes back; 0 when it does, or hardly
 * changes. */
static double rows_per_unit(const lab_rows *rows, size_t column)
{
    size_t first = 0, last = 0;
    for (size_t i = 1; i < rows->n; i++) {
        double step = step_at(rows, i, column);
        if (!(step >= 0)) {
            return 0;
        }
        first = step > 0 && first == 0 ? i : first;
        last = step > 0 ? i : last;
    }
    double passed = last > first ? lab_rows_at(rows, last, column) - lab_rows_at(rows, first, column) : 0;
    return passed > 0 && last - first >= MIN_ROWS ? (double)(last - first) / passed : 0;
}

/* A time that stands still from row to row is that of batches, or in whole seconds: it shows only how many rows come in a
 * second. */
static void find_rate(marl_columns_guess *guess, const lab_rows *rows)
{
    static const struct {
        const char *unit;
        double seconds;
    } units[] = {{"s", 1}, {"date", 1}, {"ms", 1e-3}, {"us", 1e-6}, {"ns", 1e-9}};
    for (size_t k = 0; k < guess->n && guess->rate_hz <= 0; k++) {
        marl_column_guess *c = &guess->column[k];
        int is_time = c->target == MARL_COLUMN_T || strcmp(c->unit, "date") == 0;
        double step = lab_rows_median(rows, k, step_at), per_unit = rows_per_unit(rows, k), rate;
        if (!is_time || step > 0 || per_unit <= 0) {
            continue;
        }
        const char *unit = c->unit[0] != '\0' ? c->unit : unit_of_time(1 / per_unit, &rate);
        for (size_t i = 0; i < sizeof units / sizeof units[0]; i++) {
            guess->rate_hz = strcmp(unit, units[i].unit) == 0 ? per_unit / units[i].seconds : guess->rate_hz;
        }
        c->target = -1;
        snprintf(c->why, sizeof c->why, "a time that stands still from row to row");
        lab_guess_remark(
            guess,
            "column %zu is a time that stands still from row to row, as of batches or whole seconds: its "
            "rows are read as coming evenly, by its average; lost ones would not show (with that time in the "
            "map, --even-times -o LOG shows them)",
            k + 1);
    }
}

/* Names of what counts rows. */
static int is_counter(const char *name)
{
    static const char *const parts[] = {"sample", "index", "count", "packet", "frame", "sequence", "number"};
    static const char *const whole[] = {"idx", "i", "n", "no", "nr", "row", "seq", "id", "line"};
    char plain[MARL_NAME_MAX];
    int is = 0;
    lab_guess_simplify(name, plain, sizeof plain);
    for (size_t i = 0; i < sizeof parts / sizeof parts[0]; i++) {
        is |= strstr(plain, parts[i]) != NULL;
    }
    for (size_t i = 0; i < sizeof whole / sizeof whole[0]; i++) {
        is |= strcmp(plain, whole[i]) == 0;
    }
    return is;
}

/* The first column that rises steadily; one that counts by one is a row number where another does not. */
void lab_guess_find_time(marl_columns_guess *guess, const lab_rows *rows)
{
    double best = NAN;
    if (guess->label_column == 0 && lab_guess_split_time(guess, rows)) {
        return;
    }
    forget_constants(guess);
    choose_time(guess, rows);
    find_rate(guess, rows);
    size_t at = guess->n;
    for (size_t k = 0; k < guess->n && !lab_guess_has(guess, MARL_COLUMN_T); k++) {
        double step = lab_rows_median(rows, k, step_at);
        int is_better = at == guess->n || (best == 1 && step != 1);
        int is_row = step == 1 && is_counter(guess->column[k].name);
        if (guess->column[k].target < 0 && is_better && !is_row && lab_rows_rise(rows, k)) {
            at = k;
            best = step;
        }
    }
    if (at < guess->n) {
        guess->column[at].target = MARL_COLUMN_T;
        snprintf(guess->column[at].why, sizeof guess->column[at].why, "it goes on by %.6g a row", best);
    }
}

/* A time that goes on by one, beside columns with names of which none is a sensor's axis: of seconds, as a receiver of satellites
 * writes them. */
static int is_of_whole_seconds(const marl_columns_guess *guess, const marl_column_guess *time, double step)
{
    int names = 0, axes = 0;
    for (size_t k = 0; k < guess->n; k++) {
        int target = guess->column[k].target;
        names += guess->column[k].named;
        axes += target >= MARL_COLUMN_ACCEL_X && target <= MARL_COLUMN_MAG_Z;
    }
    return step == 1 && time->why[0] != '\0' && names > 0 && axes == 0;
}

void lab_guess_time_unit(marl_columns_guess *guess, const lab_rows *rows)
{
    for (size_t k = 0; k < guess->n; k++) {
        marl_column_guess *c = &guess->column[k];
        double rate, step = lab_rows_median(rows, k, step_at);
        if (c->target != MARL_COLUMN_T || c->unit[0] != '\0' || !(step > 0)) {
            continue;
        }
        if (step == 1) {
            lab_guess_remark(
                guess, "column %zu may be a row number instead of a time: then use t=@RATE, in Hz", k + 1);
        }
        snprintf(c->unit, sizeof c->unit, "%s", unit_of_time(step, &rate));
        if (is_of_whole_seconds(guess, c, step)) {
            snprintf(c->unit, sizeof c->unit, "s");
            rate = 1;
        }
        if (c->unit[0] != '\0') {
            size_t n = strlen(c->why);
            snprintf(c->why + n, sizeof c->why - n, "%sin %s that is %.6g rows/s", n ? "; " : "", c->unit,
                     rate);
            c->sure = n > 0 && 1000 * rate > FASTEST_HZ; /* no other unit gives a rate that sensors have */
        }
    }
}
