/* SPDX-License-Identifier: MIT
 * JSON files whose errors name file, line and key. jansson reads the values; the place of a key is
 * looked up in the text only for an error message. */
#ifndef LAB_JSON_FILE_H
#define LAB_JSON_FILE_H

#include "marlinspike/error.h"
#include <jansson.h>
#include <stddef.h>

typedef struct lab_json {
    const char *path;
    char *text;
    json_t *root;
    marl_error *error; /* of the load; what is read later fails into it as well. May be NULL */
} lab_json;

/* An object inside the file, and the path of keys to it: "gyro.fit"; "" is the root. */
typedef struct lab_json_at {
    const lab_json *file;
    const json_t *object;
    char keys[160];
} lab_json_at;

/* Loads, and checks that the root is an object with "marlinspike": `kind`; NULL: the version of a tuning, which is looked
 * at later. On failure nothing is held. */
MARL_CHECKED marl_status lab_json_load(lab_json *file, const char *path, const char *kind, marl_error *error);
/* The same of an object that is a part of something read already, which stays as it is. */
MARL_CHECKED marl_status lab_json_of_value(lab_json *file, json_t *value, const char *path, const char *kind,
                                           marl_error *error);
void lab_json_free(lab_json *file);
lab_json_at lab_json_root(const lab_json *file);

/* Fails with "path:line: keys.key: text". */
marl_status lab_json_fail(const lab_json_at *at, const char *key, const char *format, ...)
    __attribute__((format(printf, 3, 4)));

/* Fails when the object has a key outside `known` (NULL-terminated), and lists the known ones. */
MARL_CHECKED marl_status lab_json_only(const lab_json_at *at, const char *const *known);

/* 1 when the key is there and not null. */
int lab_json_has(const lab_json_at *at, const char *key);

/* The readers below leave the value unchanged when the key is absent, unless it is needed. */
enum { LAB_OPTIONAL = 0, LAB_NEEDED = 1, LAB_NULLS = 2 /* of numbers: null is read as NaN */ };

typedef struct lab_json_range {
    double low, high;
} lab_json_range;

MARL_CHECKED marl_status lab_json_object(const lab_json_at *at, const char *key, int needed,
                                         lab_json_at *inner);
MARL_CHECKED marl_status lab_json_string(const lab_json_at *at, const char *key, int needed, char *text,
                                         size_t size);
/* A finite number in the range. */
MARL_CHECKED marl_status lab_json_number(const lab_json_at *at, const char *key, int flags,
                                         lab_json_range range, double *value);
/* An array of n finite numbers. */
MARL_CHECKED marl_status lab_json_numbers(const lab_json_at *at, const char *key, int flags, size_t n,
                                          double *value);
/* A 3 by 3 array of rows. */
MARL_CHECKED marl_status lab_json_matrix(const lab_json_at *at, const char *key, int flags,
                                         double value[3][3]);

/* Puts a value into an object that is being made. Takes the reference to `value`. Without memory (a NULL
 * value, or no place for it) the object is given up and becomes NULL, and stays so; it is written as "no
 * memory". */
void lab_json_put(json_t **object, const char *key, json_t *value);
/* The same with the end of an array. */
void lab_json_push(json_t **array, json_t *value);

/* Arrays for writing; NaN becomes null. NULL without memory. */
json_t *lab_json_from_numbers(const double *value, size_t n);
json_t *lab_json_from_matrix(const double value[3][3]);

/* Writes whole or not at all. Takes the reference to `root`, also on failure. */
MARL_CHECKED marl_status lab_json_save(json_t *root, const char *path, marl_error *error);
/* As text with a line end, to be freed by the caller. Takes the reference to `root`. */
char *lab_json_text(json_t *root);
/* The same in one line without an end of line, every double exactly. */
char *lab_json_line(json_t *root);

#endif
