/* SPDX-License-Identifier: MIT
 * JSON files: loading, errors with their place, writing. */
#include "lab/files/json_file.h"
#include "lab/base/file_kind.h"
#include "lab/base/unreadable.h"
#include "marlinspike/error.h"
#include <errno.h>
#include <math.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define MAX_BYTES (16u << 20)

static char *read_text(const char *path, marl_status *status, marl_error *error)
{
    FILE *f = fopen(path, "rb");
    char *text = NULL;
    size_t used = 0, capacity = 0;
    if (f == NULL) {
        *status = lab_unreadable(path, error);
        return NULL;
    }
    for (;;) {
        if (used + 1 >= capacity) {
            capacity = capacity ? 2 * capacity : 8192;
            char *larger = capacity <= MAX_BYTES ? realloc(text, capacity) : NULL;
            if (larger == NULL) {
                *status = capacity <= MAX_BYTES ? marl_fail(error, MARL_ERR_SYSTEM, "no memory")
                                                : marl_fail(error, MARL_ERR_INPUT, "%s: larger than %u MiB",
                                                            path, MAX_BYTES >> 20);
                break;
            }
            text = larger;
        }
        size_t got = fread(text + used, 1, capacity - used - 1, f);
        used += got;
        if (got == 0 && ferror(f)) {
            *status = lab_unreadable(path, error);
            break;
        }
        if (got == 0) {
            text[used] = '\0';
            fclose(f);
            return text;
        }
    }
    fclose(f);
    free(text);
    return NULL;
}

static marl_status parse(lab_json *file)
{
    json_error_t fault;
    file->root = json_loads(file->text, JSON_REJECT_DUPLICATES, &fault);
    if (file->root == NULL) {
        return json_error_code(&fault) == json_error_out_of_memory
                   ? marl_fail(file->error, MARL_ERR_SYSTEM, "no memory")
                   : marl_fail(file->error, MARL_ERR_INPUT, "%s:%d: %s", file->path, fault.line, fault.text);
    }
    return json_is_object(file->root)
               ? MARL_OK
               : marl_fail(file->error, MARL_ERR_INPUT, "%s:1: not a JSON object", file->path);
}

static marl_status check_kind(lab_json *file, const char *kind)
{
    char given[64] = "";
    lab_json_at root = lab_json_root(file);
    MARL_TRY(lab_json_string(&root, "marlinspike", LAB_NEEDED, given, sizeof given));
    return strcmp(given, kind) == 0
               ? MARL_OK
               : lab_json_fail(&root, "marlinspike", "is '%s', wanted '%s'", given, kind);
}

marl_status lab_json_load(lab_json *file, const char *path, const char *kind, marl_error *error)
{
    char wanted[32] = "tuning";
    *file = (lab_json){.path = path, .error = error};
    if (kind != NULL) {
        snprintf(wanted, sizeof wanted, "%.*s", (int)strcspn(kind, "/"), kind);
    }
    marl_status status = lab_check_file_kind(path, wanted, error);
    if (status != MARL_OK) {
        return status;
    }
    file->text = read_text(path, &status, error);
    status = file->text != NULL ? parse(file) : status;
    if (status == MARL_OK && kind != NULL) {
        status = check_kind(file, kind);
    }
    if (status != MARL_OK) {
        lab_json_free(file);
    }
    return status;
}

marl_status lab_json_of_value(lab_json *file, json_t *value, const char *path, const char *kind,
                              marl_error *error)
{
    *file = (lab_json){.path = path, .error = error};
    if (!json_is_object(value)) {
        return marl_fail(error, MARL_ERR_INPUT, "%s: not a JSON object", path);
    }
    file->text = json_dumps(value, 0);
    file->root = json_incref(value);
    marl_status status = file->text != NULL ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    status = status == MARL_OK && kind != NULL ? check_kind(file, kind) : status;
    if (status != MARL_OK) {
        lab_json_free(file);
    }
    return status;
}

void lab_json_free(lab_json *file)
{
    json_decref(file->root);
    free(file->text);
    file->root = NULL;
    file->text = NULL;
}

lab_json_at lab_json_root(const lab_json *file)
{
    return (lab_json_at){.file = file, .object = file->root};
}

void lab_json_put(json_t **object, const char *key, json_t *value)
{
    if (json_object_set_new(*object, key, value) != 0) {
        json_decref(*object);
        *object = NULL;
    }
}

void lab_json_push(json_t **array, json_t *value)
{
    if (json_array_append_new(*array, value) != 0) {
        json_decref(*array);
        *array = NULL;
    }
}

json_t *lab_json_from_numbers(const double *value, size_t n)
{
    json_t *array = json_array();
    for (size_t i = 0; i < n; i++) {
        lab_json_push(&array, isfinite(value[i]) ? json_real(value[i]) : json_null());
    }
    return array;
}

json_t *lab_json_from_matrix(const double value[3][3])
{
    json_t *rows = json_array();
    for (int i = 0; i < 3; i++) {
        lab_json_push(&rows, lab_json_from_numbers(value[i], 3));
    }
    return rows;
}

/* jansson leaves parts out without an error when memory is short while it writes: a second text shows it. */
static char *text_of(const json_t *root, size_t flags)
{
    char *text = json_dumps(root, flags), *again = json_dumps(root, flags);
    int whole = text != NULL && again != NULL && strcmp(text, again) == 0;
    free(again);
    if (!whole) {
        free(text);
        return NULL;
    }
    return text;
}

char *lab_json_text(json_t *root)
{
    char *text = text_of(root, JSON_INDENT(2) | JSON_REAL_PRECISION(9));
    json_decref(root);
    size_t n = text != NULL ? strlen(text) : 0;
    char *line = text != NULL ? realloc(text, n + 2) : NULL;
    if (line == NULL) {
        free(text);
        return NULL;
    }
    line[n] = '\n';
    line[n + 1] = '\0';
    return line;
}

char *lab_json_line(json_t *root)
{
    char *text = root != NULL ? text_of(root, JSON_COMPACT) : NULL;
    json_decref(root);
    return text;
}

marl_status lab_json_save(json_t *root, const char *path, marl_error *error)
{
    marl_outfile *out;
    char *text = lab_json_text(root);
    if (text == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    marl_status status = marl_outfile_open(&out, path, error);
    if (status == MARL_OK) {
        marl_outfile_text(out, text);
        status = marl_outfile_commit(out, error);
    }
    free(text);
    return status;
}
