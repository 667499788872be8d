/* SPDX-License-Identifier: MIT
 * JSON values of known type and range. */
#include "lab/files/json_file.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

marl_status lab_json_only(const lab_json_at *at, const char *const *known)
{
    const char *key;
    json_t *value;
    json_object_foreach((json_t *)at->object, key, value)
    {
        size_t i = 0;
        while (known[i] != NULL && strcmp(known[i], key) != 0) {
            i++;
        }
        if (known[i] == NULL) {
            char list[300] = "";
            for (i = 0; known[i] != NULL; i++) {
                marl_list_append(list, sizeof list, known[i]);
            }
            return lab_json_fail(at, key, "unknown key; known: %s", list[0] ? list : "none");
        }
    }
    return MARL_OK;
}

int lab_json_has(const lab_json_at *at, const char *key)
{
    const json_t *value = json_object_get(at->object, key);
    return value != NULL && !json_is_null(value);
}

/* The value of a key; NULL when it is absent, and then *status is MARL_OK if that is allowed. */
static json_t *get(const lab_json_at *at, const char *key, int flags, marl_status *status)
{
    json_t *value = json_object_get(at->object, key);
    *status = MARL_OK;
    if (value == NULL && (flags & LAB_NEEDED)) {
        *status = lab_json_fail(at, key, "is missing");
    }
    return value;
}

marl_status lab_json_object(const lab_json_at *at, const char *key, int flags, lab_json_at *inner)
{
    marl_status status;
    const json_t *value = get(at, key, flags, &status);
    *inner = (lab_json_at){.file = at->file};
    if (value == NULL) {
        return status;
    }
    if (!json_is_object(value)) {
        return lab_json_fail(at, key, "must be an object");
    }
    inner->object = value;
    snprintf(inner->keys, sizeof inner->keys, "%.80s%s%.60s", at->keys, at->keys[0] ? "." : "", key);
    return MARL_OK;
}

marl_status lab_json_string(const lab_json_at *at, const char *key, int flags, char *text, size_t size)
{
    marl_status status;
    const json_t *value = get(at, key, flags, &status);
    if (value == NULL) {
        return status;
    }
    if (!json_is_string(value) || json_string_length(value) >= size) {
        return lab_json_fail(at, key, "must be a text of less than %zu bytes", size);
    }
    memcpy(text, json_string_value(value), json_string_length(value) + 1);
    marl_text_clean(text);
    return MARL_OK;
}

marl_status lab_json_number(const lab_json_at *at, const char *key, int flags, lab_json_range range,
                            double *value)
{
    marl_status status;
    const json_t *found = get(at, key, flags, &status);
    if (found == NULL) {
        return status;
    }
    if (!json_is_number(found)) {
        return lab_json_fail(at, key, "must be a number");
    }
    double number = json_number_value(found);
    if (!(number >= range.low && number <= range.high)) {
        return lab_json_fail(at, key, "%g is out of its range, %g to %g", number, range.low, range.high);
    }
    *value = number;
    return MARL_OK;
}

/* Fills n numbers from an array; 0 when it is not one. */
static int parse_numbers(const json_t *array, int nulls, size_t n, double *value)
{
    if (!json_is_array(array) || json_array_size(array) != n) {
        return 0;
    }
    for (size_t i = 0; i < n; i++) {
        const json_t *item = json_array_get(array, i);
        int is_null = nulls && json_is_null(item);
        if (!is_null && !json_is_number(item)) {
            return 0;
        }
        value[i] = is_null ? NAN : json_number_value(item);
    }
    return 1;
}

marl_status lab_json_numbers(const lab_json_at *at, const char *key, int flags, size_t n, double *value)
{
    marl_status status;
    const json_t *array = get(at, key, flags, &status);
    if (array == NULL) {
        return status;
    }
    if (!parse_numbers(array, flags & LAB_NULLS, n, value)) {
        return lab_json_fail(at, key, "must be %zu numbers%s", n, flags & LAB_NULLS ? " or nulls" : "");
    }
    return MARL_OK;
}

marl_status lab_json_matrix(const lab_json_at *at, const char *key, int flags, double value[3][3])
{
    marl_status status;
    const json_t *rows = get(at, key, flags, &status);
    if (rows == NULL) {
        return status;
    }
    int good = json_is_array(rows) && json_array_size(rows) == 3;
    for (size_t i = 0; good && i < 3; i++) {
        good = parse_numbers(json_array_get(rows, i), flags & LAB_NULLS, 3, value[i]);
    }
    return good ? MARL_OK
                : lab_json_fail(at, key, "must be 3 rows of 3 numbers%s",
                                flags & LAB_NULLS ? " or nulls" : "");
}
