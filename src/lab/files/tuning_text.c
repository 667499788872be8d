/* SPDX-License-Identifier: MIT
 * Tunings on the command line: a filter or a file, and changes of single parameters behind a colon. */
#include "lab/files/tuning_file.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

void lab_list_filters(char *text, size_t size)
{
    text[0] = '\0';
    for (int i = 0; i < MARL_FILTER_COUNT; i++) {
        marl_list_append(text, size, marl_filter_name((marl_filter)i));
    }
}

/* The message names the parameters that there are, the one that may be meant first. */
static marl_status refuse_parameter(const char *all, const char *name, marl_filter filter, marl_error *error)
{
    char known[600] = "";
    marl_nearest_word nearest = {.given = name};
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        const marl_parameter *row = marl_parameter_row((marl_parameter_id)i);
        if ((row->filters >> filter) & 1u) {
            marl_list_append(known, sizeof known, row->name);
            marl_nearest(&nearest, row->name);
        }
    }
    return marl_fail(error, MARL_ERR_USE, "%s: '%s' is no parameter of %s%s%s%s; known: %s", all, name,
                     marl_filter_name(filter), nearest.found != NULL ? " (" : "",
                     nearest.found != NULL ? nearest.found : "", nearest.found != NULL ? "?)" : "", known);
}

static int is_word(const char *text, const char *yes, const char *also)
{
    return strcmp(text, yes) == 0 || strcmp(text, also) == 0;
}

static marl_status set_switch(const char *all, const marl_parameter *row, const char *text, float *value,
                              marl_error *error)
{
    if (is_word(text, "on", "true") || is_word(text, "off", "false")) {
        *value = is_word(text, "on", "true") ? 1.0f : 0.0f;
        return MARL_OK;
    }
    return marl_fail(error, MARL_ERR_USE, "%s: %s is on or off, and not '%s'", all, row->name, text);
}

static marl_status set_number(const char *all, const marl_parameter *row, const char *text, float *value,
                              marl_error *error)
{
    char *end;
    double number = strtod(text, &end);
    if (end == text || *end != '\0' || !isfinite(number)) {
        return marl_fail(error, MARL_ERR_USE, "%s: %s is a number, and not '%s'", all, row->name, text);
    }
    *value = (float)number;
    if (!(*value >= row->low && *value <= row->high)) {
        return marl_fail(error, MARL_ERR_USE, "%s: %s: %s is out of its range, %g to %g %s", all, row->name,
                         text, (double)row->low, (double)row->high, row->unit);
    }
    return MARL_OK;
}

/* One "name=value"; `all` is the whole text, for messages. */
static marl_status apply(const char *all, char *change, marl_tuning *tuning, marl_error *error)
{
    char *value = strchr(change, '=');
    marl_parameter_id id;
    if (value == NULL) {
        return marl_fail(error, MARL_ERR_USE, "%s: '%s' is not NAME=VALUE", all, change);
    }
    *value++ = '\0';
    if (strcmp(change, "world") == 0) {
        tuning->world = strcmp(value, "ned") == 0 ? MARL_WORLD_NED : MARL_WORLD_ENU;
        return strcmp(value, marl_world_name(tuning->world)) == 0
                   ? MARL_OK
                   : marl_fail(error, MARL_ERR_USE, "%s: world is enu or ned, and not '%s'", all, value);
    }
    if (marl_parameter_find(tuning->filter, change, &id) != MARL_OK) {
        return refuse_parameter(all, change, tuning->filter, error);
    }
    const marl_parameter *row = marl_parameter_row(id);
    return row->kind == MARL_KIND_SWITCH ? set_switch(all, row, value, &tuning->value[id], error)
                                         : set_number(all, row, value, &tuning->value[id], error);
}

static marl_status apply_all(const char *all, const char *changes, marl_tuning *tuning, marl_error *error)
{
    char one[80];
    do {
        size_t n = strcspn(changes, ",");
        if (n >= sizeof one) {
            return marl_fail(error, MARL_ERR_USE, "%s: a change of a parameter is longer than any", all);
        }
        memcpy(one, changes, n);
        one[n] = '\0';
        MARL_TRY(apply(all, one, tuning, error));
        changes += n + (changes[n] == ',');
    } while (*changes != '\0');
    return MARL_OK;
}

static marl_status read_base(marl_named_tuning *tuning, const char *base, const marl_sheet *sheet,
                             marl_error *error)
{
    marl_filter filter;
    char known[120];
    if (marl_filter_from_name(base, &filter) == MARL_OK) {
        snprintf(tuning->name, sizeof tuning->name, "%.199s", base);
        tuning->about[0] = '\0';
        tuning->tuning = sheet != NULL ? marl_tuning_for_sheet(filter, sheet) : marl_tuning_default(filter);
        return MARL_OK;
    }
    if (access(base, F_OK) != 0) {
        int is_path = strpbrk(base, "./") != NULL; /* no filter's name */
        marl_nearest_word nearest = {.given = base};
        for (int f = 0; f < MARL_FILTER_COUNT; f++) {
            marl_nearest(&nearest, marl_filter_name((marl_filter)f));
        }
        lab_list_filters(known, sizeof known);
        return marl_fail(error, is_path ? MARL_ERR_INPUT : MARL_ERR_USE,
                         "%s: neither a file nor a filter%s%s%s; filters: %s", base,
                         nearest.found != NULL ? " (" : "", nearest.found != NULL ? nearest.found : "",
                         nearest.found != NULL ? "?)" : "", known);
    }
    return lab_tuning_file_read(tuning, base, error);
}

marl_status marl_tuning_read(marl_named_tuning *tuning, const char *text, const marl_sheet *sheet,
                             marl_error *error)
{
    char base[1024];
    const char *colon = access(text, F_OK) == 0 ? NULL : strrchr(text, ':');
    size_t n = colon != NULL ? (size_t)(colon - text) : strlen(text);
    if (n >= sizeof base) {
        return marl_fail(error, MARL_ERR_INPUT, "%.60s...: the name is too long", text);
    }
    memcpy(base, text, n);
    base[n] = '\0';
    MARL_TRY(read_base(tuning, base, sheet, error));
    if (colon != NULL) {
        size_t named = strlen(tuning->name);
        snprintf(tuning->name + named, sizeof tuning->name - named, "%s", colon);
        MARL_TRY(apply_all(text, colon + 1, &tuning->tuning, error));
    }
    marl_text_clean(tuning->name); /* of a path, and cut: it must be a text that can be written */
    marl_text_clean(tuning->about);
    return MARL_OK;
}
