/* SPDX-License-Identifier: MIT
 * Targets and units from the numbers of a column. */
#include "lab/import/columns_guess.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

#define SPREAD 0.5 /* of the length of gravity, or of the field, in a recording */

static double length_at(const lab_rows *rows, size_t i, size_t column)
{
    double x = lab_rows_at(rows, i, column), y = lab_rows_at(rows, i, column + 1),
           z = lab_rows_at(rows, i, column + 2);
    return sqrt(x * x + y * y + z * z);
}

/* Share by which the length of the vector that begins at the column varies. */
static double spread_of_length(const lab_rows *rows, size_t column, double middle)
{
    double squares = 0;
    size_t n = 0;
    for (size_t i = 0; i < rows->n; i++) {
        double d = length_at(rows, i, column) / middle - 1;
        if (isfinite(d)) {
            squares += d * d;
            n++;
        }
    }
    return n > 0 ? sqrt(squares / (double)n) : NAN;
}

typedef struct length_range {
    marl_column first;
    const char *unit;
    double low, high; /* of the median length */
} length_range;

/* Gravity, then the Earth's field (22 to 67 uT). */
static const length_range accels[] = {{MARL_COLUMN_ACCEL_X, "m/s^2", 9.2, 10.4},
                                      {MARL_COLUMN_ACCEL_X, "g", 0.94, 1.06},
                                      {MARL_COLUMN_ACCEL_X, "mg", 940, 1060}};
static const length_range mags[] = {
    {MARL_COLUMN_MAG_X, "uT", 18, 90},      {MARL_COLUMN_MAG_X, "G", 0.18, 0.9},
    {MARL_COLUMN_MAG_X, "mG", 180, 900},    {MARL_COLUMN_MAG_X, "nT", 18000, 90000},
    {MARL_COLUMN_MAG_X, "mT", 0.018, 0.09}, {MARL_COLUMN_MAG_X, "T", 18e-6, 90e-6}};
enum { ACCELS = sizeof accels / sizeof accels[0], MAGS = sizeof mags / sizeof mags[0] };
enum { MAGS_UNNAMED = MAGS - 2 }; /* without a name, small numbers may be anything */

static const length_range *like(const length_range *table, size_t n, double length)
{
    for (size_t i = 0; i < n; i++) {
        if (length >= table[i].low && length <= table[i].high) {
            return &table[i];
        }
    }
    return NULL;
}

static int is_integer(const lab_rows *rows, size_t column)
{
    double max = 0;
    for (size_t i = 0; i < rows->n; i++) {
        double v = lab_rows_at(rows, i, column);
        if (isfinite(v) && v != rint(v)) {
            return 0;
        }
        max = isfinite(v) ? fmax(max, fabs(v)) : max;
    }
    return max > 100;
}

static int in_counts(const lab_rows *rows, size_t column)
{
    return is_integer(rows, column) && is_integer(rows, column + 1) && is_integer(rows, column + 2);
}

static int axis_in_name(const char *name)
{
    size_t n = strcspn(name, "[( ");
    char last = n > 0 ? (char)(name[n - 1] | 0x20) : '\0';
    return last >= 'x' && last <= 'z' ? last - 'x' : -1;
}

/* The axes of three columns whose names end in x, y and z, in any order: 1; else in the order of the columns. */
static int are_axes(const marl_columns_guess *guess, size_t at, int axis[3])
{
    unsigned seen = 0;
    for (size_t k = 0; k < 3; k++) {
        axis[k] = axis_in_name(guess->column[at + k].name);
        seen |= axis[k] >= 0 ? 1u << axis[k] : 8u;
    }
    for (int k = 0; k < 3 && seen != 7; k++) {
        axis[k] = k;
    }
    return seen == 7;
}

static void assign_triple(marl_columns_guess *guess, size_t at, marl_column first, const char *unit,
                          const char *why)
{
    int axis[3];
    are_axes(guess, at, axis);
    for (size_t k = 0; k < 3; k++) {
        marl_column_guess *c = &guess->column[at + k];
        c->target = (int)first + axis[k];
        snprintf(c->unit, sizeof c->unit, "%s", unit);
        snprintf(c->why, sizeof c->why, "%s", why);
    }
}

/* Hardly anything turns faster than 4 rad/s; nearly everything turns faster than 4 deg/s once. */
static const char *unit_of_rates(const lab_rows *rows, size_t column)
{
    double max = 0;
    for (size_t i = 0; i < rows->n; i++) {
        double length = length_at(rows, i, column);
        max = isfinite(length) ? fmax(max, length) : max;
    }
    return in_counts(rows, column) ? "count" : max > 4 ? "deg/s" : "rad/s";
}

/* May the column be an axis? Not a time, nor what its name says is none. */
static int is_free(const marl_columns_guess *guess, const lab_rows *rows, size_t k)
{
    const marl_column_guess *c = &guess->column[k];
    const char *unit;
    return c->target < 0 && isfinite(c->min) && c->why[0] == '\0' && !lab_guess_is_time(c->name, &unit) &&
           !lab_rows_rise(rows, k);
}

/* Three free columns in a row that are not all constant; where one of them is called x, y or z, they must be called so all three. */
static int is_free_triple(const marl_columns_guess *guess, const lab_rows *rows, size_t k)
{
    unsigned axes = 0;
    int named = 0, moves = 0;
    for (size_t j = k; j < k + 3; j++) {
        if (j >= guess->n || !is_free(guess, rows, j)) {
            return 0;
        }
        int axis = axis_in_name(guess->column[j].name);
        named += axis >= 0;
        axes |= axis >= 0 ? 1u << axis : 0;
        moves |= guess->column[j].max > guess->column[j].min;
    }
    return moves && (named == 0 || axes == 7);
}

void lab_guess_hinted_triple(marl_columns_guess *guess, const lab_rows *rows, const lab_file_hint *hint)
{
    if (hint->first < 0 || hint->axes != 3 || hint->unwanted || lab_guess_has(guess, hint->first)) {
        return;
    }
    for (size_t k = 0; k + 2 < guess->n; k++) {
        if (is_free_triple(guess, rows, k)) {
            assign_triple(guess, k, (marl_column)hint->first, "", "by the label");
            for (size_t j = k; j < k + 3; j++) {
                guess->column[j].named = 1;
            }
            return;
        }
    }
}

static int is_linear(const marl_column_guess *c)
{
    char plain[MARL_NAME_MAX];
    lab_guess_simplify(c->name, plain, sizeof plain);
    return c->target < 0 && strstr(plain, "linear") != NULL && strstr(plain, "acc") != NULL;
}

/* A linear acceleration is one without gravity to some, and to others any that is not angular: its length decides. */
static void find_linear(marl_columns_guess *guess, const lab_rows *rows)
{
    for (size_t k = 0; k + 2 < guess->n && !lab_guess_has(guess, MARL_COLUMN_ACCEL_X); k++) {
        marl_column_guess *c = &guess->column[k];
        int axis[3];
        double length = lab_rows_median(rows, k, length_at);
        if (is_linear(c) && is_linear(c + 1) && is_linear(c + 2) && are_axes(guess, k, axis) &&
            like(accels, ACCELS, length) != NULL && spread_of_length(rows, k, length) < SPREAD) {
            assign_triple(guess, k, MARL_COLUMN_ACCEL_X, "", "by its name, with gravity");
            for (size_t j = 0; j < 3; j++) {
                c[j].named = 1;
            }
        }
    }
}

/* Beside an attitude in a file with names, columns whose names say nothing are a place. */
static int is_of_poses(const marl_columns_guess *guess)
{
    return guess->header > 0 && !lab_guess_has(guess, MARL_COLUMN_ACCEL_X) &&
           (lab_guess_has(guess, MARL_COLUMN_Q_W) || lab_guess_has(guess, MARL_COLUMN_ROLL));
}

/* Three columns in a row whose length hardly changes are gravity or the field; three that are left are rates.
 */
static void find_triples(marl_columns_guess *guess, const lab_rows *rows)
{
    char why[80];
    for (size_t k = 0; k + 2 < guess->n && !is_of_poses(guess); k++) {
        if (!is_free_triple(guess, rows, k)) {
            continue;
        }
        double length = lab_rows_median(rows, k, length_at), spread = spread_of_length(rows, k, length);
        const length_range *found = NULL;
        if (!lab_guess_has(guess, MARL_COLUMN_ACCEL_X) && spread < SPREAD) {
            found = like(accels, ACCELS, length);
        }
        int is_pose = lab_guess_has(guess, MARL_COLUMN_Q_W) && !lab_guess_has(guess, MARL_COLUMN_ACCEL_X);
        if (found == NULL && !lab_guess_has(guess, MARL_COLUMN_MAG_X) && spread < SPREAD && !is_pose) {
            found = like(mags, MAGS_UNNAMED, length);
        }
        if (found != NULL) {
            snprintf(why, sizeof why, "length %.4g, as %s", length,
                     found->first == MARL_COLUMN_ACCEL_X ? "gravity" : "the Earth's field");
            assign_triple(guess, k, found->first, found->unit, why);
        } else if (!lab_guess_has(guess, MARL_COLUMN_ACCEL_X) && spread < 0.1 && in_counts(rows, k)) {
            snprintf(why, sizeof why, "length %.5g in whole numbers, hardly changing", length);
            assign_triple(guess, k, MARL_COLUMN_ACCEL_X, "count", why);
        } else if (lab_guess_has(guess, MARL_COLUMN_ACCEL_X) && !lab_guess_has(guess, MARL_COLUMN_GYRO_X)) {
            assign_triple(guess, k, MARL_COLUMN_GYRO_X, "", "three columns behind the accelerometer's");
        }
    }
    int is_other = is_of_poses(guess) || lab_guess_has(guess, MARL_COLUMN_ACCEL_X) ||
                   lab_guess_has(guess, MARL_COLUMN_GYRO_X) || lab_guess_has(guess, MARL_COLUMN_MAG_X);
    for (size_t k = 0; k + 2 < guess->n && !is_other; k++) {
        if (is_free_triple(guess, rows, k)) { /* nothing else in the file */
            assign_triple(guess, k, MARL_COLUMN_GYRO_X, "", "neither gravity nor a field");
            lab_guess_remark(
                guess, "columns %zu to %zu may be angular rates, since they are neither gravity nor a field",
                k + 1, k + 3);
            break;
        }
    }
}

/* Are the three columns from k on the axes of one sensor? Then its first column, else -1. */
static int sensor_of_triple(const marl_columns_guess *guess, size_t k)
{
    static const int sensors[] = {MARL_COLUMN_ACCEL_X, MARL_COLUMN_GYRO_X, MARL_COLUMN_MAG_X};
    for (size_t i = 0; i < 3; i++) {
        unsigned axes = 0;
        for (size_t j = 0; j < 3; j++) {
            int axis = guess->column[k + j].target - sensors[i];
            axes |= axis >= 0 && axis < 3 ? 1u << axis : 8u;
        }
        if (axes == 7) {
            return sensors[i];
        }
    }
    return -1;
}

/* Units of triples found by name, by their length. */
static void report_units(marl_columns_guess *guess, const lab_rows *rows)
{
    for (size_t k = 0; k + 2 < guess->n; k++) {
        marl_column_guess *c = &guess->column[k];
        int sensor = sensor_of_triple(guess, k);
        if (sensor < 0 || c->unit[0] != '\0') {
            continue;
        }
        double length = lab_rows_median(rows, k, length_at);
        const length_range *found = sensor == MARL_COLUMN_ACCEL_X ? like(accels, ACCELS, length)
                                    : sensor == MARL_COLUMN_MAG_X ? like(mags, MAGS, length)
                                                                  : NULL;
        const char *unit = sensor == MARL_COLUMN_GYRO_X ? unit_of_rates(rows, k)
                           : found != NULL              ? found->unit
                           : in_counts(rows, k)         ? "count"
                                                        : "";
        for (size_t j = 0; j < 3; j++) {
            size_t n = strlen(c[j].why);
            snprintf(c[j].unit, sizeof c[j].unit, "%s", unit);
            c[j].sure = found != NULL && c[j].named;
            if (sensor != MARL_COLUMN_GYRO_X && strstr(c[j].why, "length") == NULL) {
                snprintf(c[j].why + n, sizeof c[j].why - n, "%slength %.4g", n ? "; " : "", length);
            }
        }
    }
}

/* Angles without a unit: what stays within half a turn of radians may be either, and is said to be guessed.
 */
static void report_angles(marl_columns_guess *guess)
{
    double greatest = 0;
    for (size_t k = 0; k < guess->n; k++) {
        const marl_column_guess *c = &guess->column[k];
        if (c->target >= MARL_COLUMN_ROLL && c->target <= MARL_COLUMN_YAW && c->unit[0] == '\0') {
            greatest = fmax(greatest, fmax(fabs(c->min), fabs(c->max)));
        }
    }
    const char *unit = greatest < 3.1416 ? "rad" : "deg";
    for (size_t k = 0; k < guess->n && greatest > 0; k++) {
        marl_column_guess *c = &guess->column[k];
        if (c->target >= MARL_COLUMN_ROLL && c->target <= MARL_COLUMN_YAW && c->unit[0] == '\0') {
            snprintf(c->unit, sizeof c->unit, "%s", unit);
        }
    }
    if (greatest > 0 && greatest < 3.1416) {
        lab_guess_remark(
            guess, "roll, pitch and yaw stay within +-%.2f in these rows: [rad] is a guess, it may be [deg]",
            greatest);
    }
}

void lab_guess_by_numbers(marl_columns_guess *guess, const lab_rows *rows)
{
    lab_guess_find_time(guess, rows);
    lab_guess_time_unit(guess, rows);
    lab_guess_quaternion(guess, rows);
    find_linear(guess, rows);
    find_triples(guess, rows);
    report_units(guess, rows);
    report_angles(guess);
}
