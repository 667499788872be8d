/* SPDX-License-Identifier: MIT
 * Changes as lines of JSON, and those in a log. */
#include "lab/base/unreadable.h"
#include "lab/files/calibration_file.h"
#include "lab/files/tuning_file.h"
#include "marlinspike/live.h"
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define NOTE "# {\"change\""

static const char *const kinds[MARL_CHANGE_KIND_COUNT] = {"tuning", "calibration", "start", "zero", "every"};

char *marl_change_text(const marl_change *change)
{
    json_t *root = json_object();
    lab_json_put(&root, "change", json_string(kinds[change->kind]));
    if (change->after_ns != INT64_MIN) {
        lab_json_put(&root, "after_ns", json_integer(change->after_ns));
    }
    if (change->kind == MARL_CHANGE_TUNING) {
        lab_json_put(&root, "run", json_integer((json_int_t)change->run));
        lab_json_put(&root, "tuning", lab_tuning_json(&change->tuning));
    } else if (change->kind == MARL_CHANGE_CALIBRATION) {
        lab_json_put(&root, "calibration", lab_calibration_json(&change->record));
    } else if (change->kind == MARL_CHANGE_EVERY) {
        lab_json_put(&root, "every", json_integer(change->every));
    }
    return lab_json_line(root);
}

static marl_status read_kind(const lab_json_at *at, marl_change_kind *kind)
{
    char name[32] = "";
    MARL_TRY(lab_json_string(at, "change", LAB_NEEDED, name, sizeof name));
    for (int i = 0; i < MARL_CHANGE_KIND_COUNT; i++) {
        if (strcmp(name, kinds[i]) == 0) {
            *kind = (marl_change_kind)i;
            return MARL_OK;
        }
    }
    return lab_json_fail(at, "change", "'%s' is no change", name);
}

/* Exact, where a double of nanoseconds would not be. */
static int64_t integer_of(const json_t *root, const char *key, int64_t otherwise)
{
    const json_t *value = json_object_get(root, key);
    return json_is_integer(value) ? json_integer_value(value) : otherwise;
}

static marl_status read_change(marl_change *c, json_t *root, const char *where, marl_error *error)
{
    lab_json file;
    MARL_TRY(lab_json_of_value(&file, root, where, NULL, error));
    const lab_json_at at = lab_json_root(&file);
    marl_status status = read_kind(&at, &c->kind);
    c->after_ns = integer_of(root, "after_ns", INT64_MIN);
    int64_t run = integer_of(root, "run", 0), every = integer_of(root, "every", 1);
    if (status == MARL_OK && (run < 0 || run >= MARL_LIVE_RUNS || every < 1 || every > 100000)) {
        status = lab_json_fail(&at, run < 0 || run >= MARL_LIVE_RUNS ? "run" : "every", "is out of range");
    }
    c->run = (size_t)run;
    c->every = (unsigned)every;
    if (status == MARL_OK && c->kind == MARL_CHANGE_TUNING) {
        status = lab_tuning_of_value(&c->tuning, json_object_get(root, "tuning"), where, error);
    } else if (status == MARL_OK && c->kind == MARL_CHANGE_CALIBRATION) {
        status = lab_calibration_of_value(&c->record, json_object_get(root, "calibration"), where, error);
    }
    lab_json_free(&file);
    return status;
}

marl_status marl_change_read(marl_change *change, const char *text, const char *where, marl_error *error)
{
    json_error_t fault;
    memset(change, 0, sizeof *change);
    json_t *root = json_loads(text, JSON_REJECT_DUPLICATES, &fault);
    if (root == NULL) {
        return json_error_code(&fault) == json_error_out_of_memory
                   ? marl_fail(error, MARL_ERR_SYSTEM, "no memory")
                   : marl_fail(error, MARL_ERR_INPUT, "%s: %s", where, fault.text);
    }
    marl_status status = read_change(change, root, where, error);
    json_decref(root);
    return status;
}

static marl_status add_line(marl_changes *changes, const char *text, const char *where, marl_error *error)
{
    marl_change *larger = realloc(changes->change, (changes->n + 1) * sizeof *larger);
    if (larger == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    changes->change = larger;
    marl_change *c = &changes->change[changes->n];
    MARL_TRY(marl_change_read(c, text, where, error));
    if (changes->n > 0 && c->after_ns < c[-1].after_ns) {
        return marl_fail(error, MARL_ERR_INPUT, "%s: is a change from before the one above it", where);
    }
    changes->n++;
    return MARL_OK;
}

marl_status marl_changes_load(marl_changes *changes, const char *path, marl_error *error)
{
    char *line = NULL;
    size_t capacity = 0;
    marl_status status = MARL_OK;
    *changes = (marl_changes){0, 0, NULL};
    FILE *f = fopen(path, "rb");
    if (f == NULL) {
        return lab_unreadable(path, error);
    }
    for (long number = 1; status == MARL_OK && getline(&line, &capacity, f) > 0; number++) {
        if (strncmp(line, NOTE, strlen(NOTE)) == 0 &&
            strchr(line, '\n') != NULL) { /* a line cut off is no change */
            char where[600];
            snprintf(where, sizeof where, "%.500s:%ld", path, number);
            status = add_line(changes, line + 2, where, error);
        }
    }
    if (status == MARL_OK && ferror(f)) {
        status = lab_unreadable(path, error);
    }
    free(line);
    fclose(f);
    if (status == MARL_OK && changes->n == 0) {
        status = marl_fail(error, MARL_ERR_INSUFFICIENT,
                           "%s: holds no changes: it was not recorded by live --record", path);
    }
    if (status != MARL_OK) {
        marl_changes_free(changes);
    }
    return status;
}

void marl_changes_free(marl_changes *changes)
{
    free(changes->change);
    *changes = (marl_changes){0, 0, NULL};
}
