/* SPDX-License-Identifier: MIT
 * A file from elsewhere that needs no map, since its names say all. */
#include "lab/import/columns_guess.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* Every target has its name; only units may be guessed. */
static int is_named(const marl_columns_guess *guess)
{
    int time = 0, readings = 0;
    for (size_t i = 0; i < guess->n; i++) {
        const marl_column_guess *c = &guess->column[i];
        if (c->target >= 0 && !c->named) {
            return 0;
        }
        time += c->target == MARL_COLUMN_T;
        readings += c->target > MARL_COLUMN_T;
    }
    for (size_t i = 0; i < guess->labels; i++) {
        if (guess->label[i].targets != 0 && !guess->label[i].named) {
            return 0;
        }
        readings += guess->label[i].targets != 0;
    }
    return time >= 1 && readings > 0 && strstr(guess->map, "[count]") == NULL;
}

static marl_status load_guessed(marl_log *log, const char *path, const marl_log_options *given,
                                const marl_columns_guess *guess, marl_error *error)
{
    marl_column_map map;
    marl_log_options options = *given;
    MARL_TRY(marl_column_map_read(&map, guess->map, error));
    options.columns = &map;
    return marl_log_load(log, path, &options, error);
}

static int seems_ours(const char *path, char decimal)
{
    marl_columns_guess *guess = calloc(1, sizeof *guess);
    int ours = guess == NULL || marl_columns_guess_file(guess, path, decimal, NULL) != MARL_OK ||
               marl_columns_are_ours(guess);
    free(guess);
    return ours;
}

marl_status marl_log_load_ours(marl_log *log, const char *path, const marl_log_options *options,
                               marl_error *error)
{
    MARL_TRY(marl_log_load(log, path, options, error));
    int is_whole =
        options->columns != NULL || log->info.has_metadata || log->report.unknown_columns[0] == '\0';
    if (!is_whole && !seems_ours(path, options->decimal)) {
        marl_status status = marl_fail(
            error, MARL_ERR_INPUT,
            "%s:1: readings whose columns have no name of ours (%s); it is read by --columns, with the map "
            "that `inspect` prints",
            path, log->report.unknown_columns);
        marl_log_free(log);
        return status;
    }
    return MARL_OK;
}

marl_status marl_log_load_named(marl_log *log, const char *path, const marl_log_options *options,
                                int *unit_guessed, marl_error *error)
{
    static const marl_log_options standard = {0};
    marl_error first = {0};
    options = options != NULL ? options : &standard;
    *unit_guessed = 0;
    marl_status status = marl_log_load_ours(log, path, options, &first);
    if (status != MARL_ERR_INPUT || options->columns != NULL) {
        return status == MARL_OK ? status : marl_fail(error, status, "%s", first.text);
    }
    marl_columns_guess *guess = calloc(1, sizeof *guess);
    if (guess == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    if (marl_columns_guess_file(guess, path, options->decimal, NULL) != MARL_OK ||
        marl_columns_are_ours(guess)) {
        status = marl_fail(error, first.status, "%s", first.text);
    } else if (!is_named(guess)) {
        status = marl_fail(error, MARL_ERR_INPUT,
                           "%s: %s%sits names do not say what it holds: 'inspect %s' shows what it seems to "
                           "be; give it as FILE:MAP",
                           path, guess->remark, guess->remark[0] ? "; " : "", path);
    } else {
        status = load_guessed(log, path, options, guess, error);
    }
    for (size_t i = 0; i < guess->labels; i++) {
        *unit_guessed |= guess->label[i].rate_unit_open;
    }
    for (size_t i = 0; i < guess->n; i++) {
        *unit_guessed |= guess->column[i].target == MARL_COLUMN_GYRO_X && !guess->column[i].sure;
    }
    free(guess);
    return status;
}
