/* SPDX-License-Identifier: MIT
 * Tunings as JSON. */
#include "lab/files/tuning_file.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define KIND "tuning/2"
#define OLD_KIND "tuning/1"
/* Whether the weighting acts, beside its parameters. */
#define USE "use"

/* What became of the keys of tuning/1; NULL: nothing took its place. */
static const struct {
    const char *before, *now;
} renamed[] = {
    {"trust", "weighting"},
    {"tilt_speed", "beta"},
    {"heading_speed", "heading_beta"},
    {"bias_time", "damping (complementary) or zeta (gradient-descent)"},
    {"gyro_flicker", "gyro_walk"},
    {"accel_white", "accel_floor"},
    {"mag_white", "mag_noise"},
    {"mag_error", "mag_noise"},
    {"accel_slack", "accel_threshold"},
    {"field_slack", "mag_threshold"},
    {"dip_slack", "mag_threshold"},
    {"rate_slack", NULL},
    {"tilt_slack", NULL},
    {"heading_slack", NULL},
    {"linger", NULL},
    {"hold_limit", NULL},
};

/* Fails when the object has a key of the old format, and names the new one. */
static marl_status refuse_old_keys(const lab_json_at *at)
{
    for (size_t i = 0; i < sizeof renamed / sizeof renamed[0]; i++) {
        if (json_object_get(at->object, renamed[i].before) == NULL) {
            continue;
        }
        if (renamed[i].now == NULL) {
            return lab_json_fail(at, renamed[i].before, "unknown key: it has no replacement since " KIND);
        }
        return lab_json_fail(at, renamed[i].before, "unknown key: it is %s since " KIND, renamed[i].now);
    }
    return MARL_OK;
}

static marl_status check_kind(const lab_json *file)
{
    char kind[64] = "", list[700] = "";
    lab_json_at root = lab_json_root(file);
    marl_status status = lab_json_string(&root, "marlinspike", LAB_NEEDED, kind, sizeof kind);
    if (status != MARL_OK || strcmp(kind, KIND) == 0) {
        return status;
    }
    if (strcmp(kind, OLD_KIND) != 0) {
        return lab_json_fail(&root, "marlinspike", "is '%s', wanted '" KIND "'", kind);
    }
    for (size_t i = 0; i < sizeof renamed / sizeof renamed[0]; i++) {
        char item[96];
        if (renamed[i].now != NULL && strstr(file->text, renamed[i].before) != NULL) {
            snprintf(item, sizeof item, "%s is now %s", renamed[i].before, renamed[i].now);
            marl_list_append(list, sizeof list, item);
        }
    }
    return lab_json_fail(&root, "marlinspike",
                         "'" OLD_KIND "' is no longer read, write '" KIND
                         "': the filters have new parameters, see "
                         "'marlinspike tuning'%s%s",
                         list[0] ? "; " : "", list);
}

static marl_status read_switch(const lab_json_at *at, const char *name, float *value)
{
    const json_t *found = json_object_get(at->object, name);
    if (found == NULL) {
        return MARL_OK;
    }
    if (!json_is_boolean(found)) {
        return lab_json_fail(at, name, "must be true or false");
    }
    *value = json_is_true(found) ? 1.0f : 0.0f;
    return MARL_OK;
}

static marl_status read_parameter(const lab_json_at *at, const marl_parameter *row, float *value)
{
    double number = (double)*value;
    if (row->kind == MARL_KIND_SWITCH) {
        return read_switch(at, row->name, value);
    }
    const lab_json_range any = {-HUGE_VAL, HUGE_VAL}; /* the range is one of floats, as the table has it */
    MARL_TRY(lab_json_number(at, row->name, LAB_OPTIONAL, any, &number));
    *value = (float)number;
    if (!(*value >= row->low && *value <= row->high)) {
        return lab_json_fail(at, row->name, "%g is out of its range, %g to %g", number, (double)row->low,
                             (double)row->high);
    }
    return MARL_OK;
}

/* 1 when the parameter stands in this object of the file. The switch "weighting" is the object itself. */
static int is_in_group(int parameter, marl_filter filter, const char *group)
{
    marl_parameter_id id = (marl_parameter_id)parameter;
    const marl_parameter *row = marl_parameter_row(id);
    return id != MARL_PARAMETER_WEIGHTING && ((row->filters >> filter) & 1u) &&
           strcmp(marl_parameter_group_name(row->group), group) == 0;
}

static marl_status read_group(const lab_json_at *root, const char *group, marl_tuning *tuning)
{
    const char *known[MARL_PARAMETER_COUNT + 2] = {NULL};
    size_t n = 0;
    lab_json_at at;
    MARL_TRY(lab_json_object(root, group, LAB_OPTIONAL, &at));
    if (at.object == NULL) {
        return MARL_OK;
    }
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        if (is_in_group(i, tuning->filter, group)) {
            known[n++] = marl_parameter_row((marl_parameter_id)i)->name;
        }
    }
    if (strcmp(group, "weighting") == 0) {
        known[n++] = USE;
        MARL_TRY(read_switch(&at, USE, &tuning->value[MARL_PARAMETER_WEIGHTING]));
    }
    MARL_TRY(refuse_old_keys(&at));
    MARL_TRY(lab_json_only(&at, known));
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        if (is_in_group(i, tuning->filter, group)) {
            MARL_TRY(read_parameter(&at, marl_parameter_row((marl_parameter_id)i), &tuning->value[i]));
        }
    }
    return MARL_OK;
}

/* "weighting": "off", or an object of its parameters, which are kept where "use" is false. */
static marl_status read_weighting(const lab_json_at *root, marl_tuning *tuning)
{
    const json_t *found = json_object_get(root->object, "weighting");
    if (!json_is_string(found)) {
        return read_group(root, "weighting", tuning);
    }
    if (strcmp(json_string_value(found), "off") != 0) {
        return lab_json_fail(root, "weighting", "is '%s', wanted \"off\" or an object",
                             json_string_value(found));
    }
    tuning->value[MARL_PARAMETER_WEIGHTING] = 0.0f;
    return MARL_OK;
}

static marl_status read_filter(const lab_json_at *root, marl_filter *filter)
{
    char name[32] = "", known[120];
    marl_status s = lab_json_string(root, "filter", LAB_NEEDED, name, sizeof name);
    if (s == MARL_OK && marl_filter_from_name(name, filter) != MARL_OK) {
        lab_list_filters(known, sizeof known);
        s = lab_json_fail(root, "filter", "unknown filter '%s'; known: %s", name, known);
    }
    return s;
}

static marl_status read_world(const lab_json_at *root, marl_world *world)
{
    char name[8] = "enu";
    marl_status s = lab_json_string(root, "world", LAB_OPTIONAL, name, sizeof name);
    *world = strcmp(name, "ned") == 0 ? MARL_WORLD_NED : MARL_WORLD_ENU;
    if (s == MARL_OK && strcmp(name, marl_world_name(*world)) != 0) {
        s = lab_json_fail(root, "world", "is '%s', wanted enu or ned", name);
    }
    return s;
}

static marl_status read_root(const lab_json *file, marl_named_tuning *tuning)
{
    /* "evidence" is what a search found it by: for people, and not looked into */
    static const char *const known[] = {"marlinspike", "name",      "about",    "filter", "world",
                                        "parameters",  "weighting", "evidence", NULL};
    lab_json_at root = lab_json_root(file);
    marl_filter filter = MARL_FILTER_COMPLEMENTARY;
    MARL_TRY(refuse_old_keys(&root));
    MARL_TRY(lab_json_only(&root, known));
    MARL_TRY(read_filter(&root, &filter));
    tuning->tuning = marl_tuning_default(filter);
    MARL_TRY(lab_json_string(&root, "name", LAB_OPTIONAL, tuning->name, sizeof tuning->name));
    MARL_TRY(lab_json_string(&root, "about", LAB_OPTIONAL, tuning->about, sizeof tuning->about));
    MARL_TRY(read_world(&root, &tuning->tuning.world));
    MARL_TRY(read_group(&root, "parameters", &tuning->tuning));
    return read_weighting(&root, &tuning->tuning);
}

static marl_status read_and_free(marl_named_tuning *tuning, lab_json *file)
{
    snprintf(tuning->name, sizeof tuning->name, "%.199s", file->path);
    tuning->about[0] = '\0';
    marl_status status = check_kind(file);
    status = status != MARL_OK ? status : read_root(file, tuning);
    lab_json_free(file);
    return status;
}

marl_status lab_tuning_file_read(marl_named_tuning *tuning, const char *path, marl_error *error)
{
    lab_json file;
    MARL_TRY(lab_json_load(&file, path, NULL, error));
    return read_and_free(tuning, &file);
}

marl_status lab_tuning_of_value(marl_named_tuning *tuning, json_t *value, const char *path, marl_error *error)
{
    lab_json file;
    MARL_TRY(lab_json_of_value(&file, value, path, NULL, error));
    return read_and_free(tuning, &file);
}

/* The shortest decimal that reads back as the same float: 0.1 and not 0.100000001. */
static double shortest(float value)
{
    char text[32];
    double number = (double)value;
    for (int digits = 6; digits <= 9; digits++) {
        snprintf(text, sizeof text, "%.*g", digits, (double)value);
        number = strtod(text, NULL);
        if ((float)number == value) {
            break;
        }
    }
    return number;
}

static json_t *group_json(const marl_tuning *tuning, const char *group)
{
    json_t *object = json_object();
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        const marl_parameter *row = marl_parameter_row((marl_parameter_id)i);
        if (is_in_group(i, tuning->filter, group)) {
            lab_json_put(&object, row->name,
                         row->kind == MARL_KIND_SWITCH ? json_boolean(tuning->value[i] != 0.0f)
                                                       : json_real(shortest(tuning->value[i])));
        }
    }
    return object;
}

/* "off" is all there is to say while the parameters, which do not act, have their defaults. */
static json_t *weighting_json(const marl_tuning *t)
{
    int changed = 0;
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        changed |= is_in_group(i, t->filter, "weighting") &&
                   t->value[i] != marl_parameter_row((marl_parameter_id)i)->standard;
    }
    int off = t->value[MARL_PARAMETER_WEIGHTING] == 0.0f;
    if (off && !changed) {
        return json_string("off");
    }
    json_t *object = group_json(t, "weighting");
    if (off) {
        lab_json_put(&object, USE, json_false());
    }
    return object;
}

json_t *lab_tuning_json(const marl_named_tuning *tuning)
{
    json_t *root = json_object();
    const marl_tuning *t = &tuning->tuning;
    lab_json_put(&root, "marlinspike", json_string(KIND));
    lab_json_put(&root, "name", json_string(tuning->name));
    if (tuning->about[0] != '\0') {
        lab_json_put(&root, "about", json_string(tuning->about));
    }
    lab_json_put(&root, "filter", json_string(marl_filter_name(t->filter)));
    lab_json_put(&root, "world", json_string(marl_world_name(t->world)));
    lab_json_put(&root, "parameters", group_json(t, "parameters"));
    lab_json_put(&root, "weighting", weighting_json(t));
    return root;
}

char *marl_tuning_text(const marl_named_tuning *tuning)
{
    return lab_json_text(lab_tuning_json(tuning));
}

marl_status marl_tuning_write(const marl_named_tuning *tuning, const char *path, marl_error *error)
{
    return lab_json_save(lab_tuning_json(tuning), path, error);
}
