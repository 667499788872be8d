/* SPDX-License-Identifier: MIT
 * Tunings as JSON. */
#include "marlinspike/tuning_file.h"
#include "json_file.h"
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#define KIND "tuning/1"

static marl_status read_switch(const lab_json_at *at, const marl_parameter *row, float *value,
                               marl_error *error)
{
    const json_t *found = json_object_get(at->object, row->name);
    if (found == NULL) {
        return MARL_OK;
    }
    if (!json_is_boolean(found)) {
        return lab_json_fail(at, row->name, error, "must be true or false");
    }
    *value = json_is_true(found) ? 1.0f : 0.0f;
    return MARL_OK;
}

static marl_status read_parameter(const lab_json_at *at, const marl_parameter *row, float *value,
                                  marl_error *error)
{
    double number = (double)*value;
    if (row->kind == MARL_KIND_SWITCH) {
        return read_switch(at, row, value, error);
    }
    marl_status status =
        lab_json_number(at, row->name, LAB_OPTIONAL, (double)row->low, (double)row->high, &number, error);
    *value = (float)number;
    return status;
}

/* The object that holds a parameter in the file. */
static const char *group_of(int parameter)
{
    return marl_parameter_is_trust((marl_parameter_id)parameter) ? "trust" : "parameters";
}

static int is_of(int parameter, marl_filter filter, const char *group)
{
    const marl_parameter *row = marl_parameter_row((marl_parameter_id)parameter);
    return row != NULL && ((row->filters >> filter) & 1u) && strcmp(group_of(parameter), group) == 0;
}

static marl_status read_group(const lab_json_at *root, const char *group, marl_tuning *tuning,
                              marl_error *error)
{
    const char *known[MARL_PARAMETER_COUNT + 1] = {NULL};
    size_t n = 0;
    lab_json_at at;
    marl_status s = lab_json_object(root, group, LAB_OPTIONAL, &at, error);
    if (s != MARL_OK || at.object == NULL) {
        return s;
    }
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        if (is_of(i, tuning->filter, group)) {
            known[n++] = marl_parameter_row((marl_parameter_id)i)->name;
        }
    }
    s = lab_json_only(&at, known, error);
    for (int i = 0; i < MARL_PARAMETER_COUNT && s == MARL_OK; i++) {
        if (is_of(i, tuning->filter, group)) {
            s = read_parameter(&at, marl_parameter_row((marl_parameter_id)i), &tuning->value[i], error);
        }
    }
    return s;
}

static void list_filters(char *text, size_t size)
{
    text[0] = '\0';
    for (int i = 0; i < MARL_FILTER_COUNT; i++) {
        marl_list_append(text, size, marl_filter_name((marl_filter)i));
    }
}

static marl_status read_filter(const lab_json_at *root, marl_filter *filter, marl_error *error)
{
    char name[32] = "";
    marl_status s = lab_json_string(root, "filter", LAB_NEEDED, name, sizeof name, error);
    if (s == MARL_OK && marl_filter_from_name(name, filter) != MARL_OK) {
        char known[120];
        list_filters(known, sizeof known);
        s = lab_json_fail(root, "filter", error, "unknown filter '%s'; known: %s", name, known);
    }
    return s;
}

static marl_status read_world(const lab_json_at *root, marl_world *world, marl_error *error)
{
    char name[8] = "enu";
    marl_status s = lab_json_string(root, "world", LAB_OPTIONAL, name, sizeof name, error);
    *world = strcmp(name, "ned") == 0 ? MARL_WORLD_NED : MARL_WORLD_ENU;
    if (s == MARL_OK && strcmp(name, marl_world_name(*world)) != 0) {
        s = lab_json_fail(root, "world", error, "is '%s', wanted enu or ned", name);
    }
    return s;
}

static marl_status read_root(const lab_json *file, marl_named_tuning *tuning, marl_error *error)
{
    static const char *const known[] = {"marlinspike", "name",  "filter", "world",
                                        "parameters",  "trust", NULL};
    lab_json_at root = lab_json_root(file);
    marl_filter filter = MARL_FILTER_COMPLEMENTARY;
    marl_status s = lab_json_only(&root, known, error);
    s = s ? s : read_filter(&root, &filter, error);
    tuning->tuning = marl_tuning_default(filter);
    s = s ? s : lab_json_string(&root, "name", LAB_OPTIONAL, tuning->name, sizeof tuning->name, error);
    s = s ? s : read_world(&root, &tuning->tuning.world, error);
    s = s ? s : read_group(&root, "parameters", &tuning->tuning, error);
    return s ? s : read_group(&root, "trust", &tuning->tuning, error);
}

marl_status marl_tuning_read(marl_named_tuning *tuning, const char *path_or_filter, marl_error *error)
{
    marl_filter filter;
    lab_json file;
    snprintf(tuning->name, sizeof tuning->name, "%.63s", path_or_filter);
    if (marl_filter_from_name(path_or_filter, &filter) == MARL_OK) {
        tuning->tuning = marl_tuning_default(filter);
        return MARL_OK;
    }
    if (access(path_or_filter, F_OK) != 0) {
        char known[120];
        list_filters(known, sizeof known);
        return marl_fail(error, MARL_ERR_INPUT, "%s: neither a file nor a filter; filters: %s",
                         path_or_filter, known);
    }
    marl_status status = lab_json_load(&file, path_or_filter, KIND, error);
    if (status == MARL_OK) {
        status = read_root(&file, tuning, error);
        lab_json_free(&file);
    }
    return status;
}

static json_t *group_json(const marl_tuning *tuning, const char *group)
{
    json_t *object = json_object();
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        const marl_parameter *row = marl_parameter_row((marl_parameter_id)i);
        if (is_of(i, tuning->filter, group)) {
            json_object_set_new(object, row->name,
                                row->kind == MARL_KIND_SWITCH ? json_boolean(tuning->value[i] != 0.0f)
                                                              : json_real((double)tuning->value[i]));
        }
    }
    return object;
}

marl_status marl_tuning_write(const marl_named_tuning *tuning, const char *path, marl_error *error)
{
    json_t *root = json_object();
    const marl_tuning *t = &tuning->tuning;
    json_object_set_new(root, "marlinspike", json_string(KIND));
    json_object_set_new(root, "name", json_string(tuning->name));
    json_object_set_new(root, "filter", json_string(marl_filter_name(t->filter)));
    json_object_set_new(root, "world", json_string(marl_world_name(t->world)));
    json_object_set_new(root, "parameters", group_json(t, "parameters"));
    json_object_set_new(root, "trust", group_json(t, "trust"));
    return lab_json_save(root, path, error);
}
