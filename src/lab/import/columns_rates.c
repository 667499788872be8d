/* SPDX-License-Identifier: MIT
 * The unit of a gyroscope that no name gives, by how gravity turns. */
#include "lab/import/columns_guess.h"
#include "marlinspike/inspect.h"
#include <stdio.h>
#include <string.h>

#define WRONG_UNIT_LOW 0.7 /* a scale within these of 57.3 or 1 / 57.3 is the other unit of angles */
#define WRONG_UNIT_HIGH 1.4

static void set_unit(marl_columns_guess *guess, int first, const char *unit)
{
    for (int k = 0; k < 3; k++) {
        int at = lab_guess_column(guess, first + k);
        if (at >= 0) {
            snprintf(guess->column[at].unit, sizeof guess->column[at].unit, "%s", unit);
        }
    }
}

static const char size_alone[] =
    "the gyroscope's unit is by its size alone: turn it and see whether inspect suspects it";

/* A unit of the gyroscope inferred from its size alone is checked against gravity, which turns with it, in the file as the
 * map reads it. 1 when that decides; then *degrees may have changed. */
static int gravity_shows_unit(const char *map_text, const char *path, char decimal, int *degrees)
{
    marl_column_map map;
    marl_log log;
    marl_axes axes;
    if (marl_column_map_read(&map, map_text, NULL) != MARL_OK) {
        return 0;
    }
    const marl_log_options options = {.decimal = decimal, .columns = &map};
    if (marl_log_load(&log, path, &options, NULL) != MARL_OK) {
        return 0;
    }
    int shows = marl_axes_find(&log, &axes, NULL) == MARL_OK && axes.gyro.verdict == MARL_AXES_DECIDED;
    double off = !shows ? 0 : *degrees ? axes.gyro.scale * MARL_DEGREE : axes.gyro.scale / MARL_DEGREE;
    *degrees = off > WRONG_UNIT_LOW && off < WRONG_UNIT_HIGH ? !*degrees : *degrees;
    marl_log_free(&log);
    return shows;
}

void lab_guess_check_rates(marl_columns_guess *guess, const char *path, char decimal)
{
    int at = lab_guess_column(guess, MARL_COLUMN_GYRO_X);
    int timed = lab_guess_has(guess, MARL_COLUMN_T) || guess->rate_hz > 0;
    if (at < 0 || !lab_guess_has(guess, MARL_COLUMN_ACCEL_X) || !timed) {
        return;
    }
    int degrees = strcmp(guess->column[at].unit, "deg/s") == 0;
    if (!gravity_shows_unit(guess->map, path, decimal, &degrees)) {
        lab_guess_remark(guess, size_alone);
        return;
    }
    set_unit(guess, MARL_COLUMN_GYRO_X, degrees ? "deg/s" : "rad/s");
    for (int k = 0; k < 3; k++) {
        marl_column_guess *c = &guess->column[lab_guess_column(guess, MARL_COLUMN_GYRO_X + k)];
        size_t n = strlen(c->why);
        snprintf(c->why + n, sizeof c->why - n, "; its unit from how gravity turns");
        c->sure = c->named;
    }
}

/* The same for rows with labels, whose map is complete: both units are words of five letters. */
void lab_guess_check_labelled_rates(marl_columns_guess *guess, const char *path, char decimal)
{
    marl_label_guess *l = guess->label, *behind = guess->label + guess->labels;
    while (l < behind && !l->rate_unit_open) {
        l++;
    }
    char *gyro = strstr(guess->map, "gyro="), *unit = gyro != NULL ? strchr(gyro, '[') : NULL;
    if (l == behind || unit == NULL) {
        return;
    }
    int degrees = strncmp(unit, "[deg/s]", 7) == 0;
    if (!gravity_shows_unit(guess->map, path, decimal, &degrees)) {
        lab_guess_remark(guess, size_alone);
        return;
    }
    size_t n = strlen(l->why);
    snprintf(l->why + n, sizeof l->why - n, "; the rate's unit from how gravity turns");
    l->rate_unit_open = 0;
    l->sure = l->named;
    memcpy(unit + 1, degrees ? "deg/s" : "rad/s", 5);
}
