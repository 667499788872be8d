/* SPDX-License-Identifier: MIT
 * Files of JSON objects as rows of CSV. */
#include "lab/log/json_rows.h"
#include "lab/base/file_kind.h"
#include "marlinspike/log.h"
#include <errno.h>
#include <jansson.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { MAX_CELLS = 128, CELL = 64, NAMING_ROWS = 1000, MAX_DEPTH = 8 };

/* The columns, and the cells of the row at hand. */
typedef struct table {
    size_t n;
    int may_grow;
    char name[MAX_CELLS][MARL_NAME_MAX];
    char cell[MAX_CELLS][CELL];
} table;

static void put_cell(table *t, const char *name, const json_t *value)
{
    size_t k = 0;
    while (k < t->n && strcmp(t->name[k], name) != 0) {
        k++;
    }
    if (k == t->n && (!t->may_grow || t->n == MAX_CELLS)) {
        return;
    }
    if (k == t->n) {
        snprintf(t->name[t->n++], MARL_NAME_MAX, "%s", name);
    }
    if (json_is_integer(value)) {
        snprintf(t->cell[k], CELL, "%" JSON_INTEGER_FORMAT, json_integer_value(value));
    } else if (json_is_real(value)) {
        snprintf(t->cell[k], CELL, "%.15g", json_real_value(value));
    } else if (json_is_string(value)) {
        snprintf(t->cell[k], CELL, "%s", json_string_value(value));
    } else {
        snprintf(t->cell[k], CELL, "%s", json_is_true(value) ? "1" : json_is_false(value) ? "0" : "");
    }
}

/* What would end a cell, or a row, becomes a blank. */
static void put_plain(FILE *out, const char *text)
{
    for (; *text != '\0'; text++) {
        fputc(strchr(",\"\r\n", *text) != NULL ? ' ' : *text, out);
    }
}

/* "parent_key"; an array of three has axes, of any other length numbers. */
static void name_child(char name[MARL_NAME_MAX], const char *parent, const char *key)
{
    snprintf(name, MARL_NAME_MAX, "%s%s%s", parent, parent[0] != '\0' ? "_" : "", key);
}

static void put_value(table *t, const char *name, const json_t *value, int depth)
{
    char child[MARL_NAME_MAX], number[24];
    const char *key;
    json_t *member;
    size_t i;
    if (value == NULL || depth > MAX_DEPTH) {
        return;
    }
    if (json_is_object(value)) {
        json_object_foreach((json_t *)value, key, member)
        {
            name_child(child, name, key);
            put_value(t, child, member, depth + 1);
        }
    } else if (json_is_array(value)) {
        json_array_foreach((json_t *)value, i, member)
        {
            snprintf(number, sizeof number, "#%zu", i + 1);
            name_child(child, name, json_array_size(value) == 3 ? i == 0 ? "x" : i == 1 ? "y" : "z" : number);
            put_value(t, child, member, depth + 1);
        }
    } else {
        put_cell(t, name, value);
    }
}

/* NULL stands for a line that is no object. */
static void write_row(table *t, const json_t *row, FILE *out)
{
    for (size_t k = 0; k < t->n; k++) {
        t->cell[k][0] = '\0';
    }
    put_value(t, "", row, 0);
    for (size_t k = 0; k < t->n; k++) {
        fputs(k > 0 ? "," : "", out);
        put_plain(out, t->cell[k]);
    }
    fputc('\n', out);
}

static void write_names(const table *t, FILE *out)
{
    for (size_t k = 0; k < t->n; k++) {
        fputs(k > 0 ? "," : "", out);
        put_plain(out, t->name[k]);
    }
    fputc('\n', out);
}

/* The next line as an object; NULL where it is none. *ended: there was no line. */
static json_t *next_object(FILE *in, char **line, size_t *size, int *ended)
{
    ssize_t n = getline(line, size, in);
    *ended = n < 0;
    json_t *row = n > 0 ? json_loads(*line, 0, NULL) : NULL;
    if (row != NULL && !json_is_object(row)) {
        json_decref(row);
        row = NULL;
    }
    return row;
}

/* The array of objects that the document is, or the longest that is a member of it. */
static const json_t *find_rows(const json_t *document)
{
    const char *key;
    json_t *member;
    const json_t *rows = json_is_array(document) ? document : NULL;
    json_object_foreach((json_t *)document, key, member)
    {
        rows = json_array_size(member) > json_array_size(rows) ? member : rows;
    }
    return json_is_object(json_array_get(rows, 0)) ? rows : NULL;
}

/* A line for each row; 0 when the first line is no object of its own. */
static int convert_lines(FILE *in, table *t, FILE *out)
{
    char *line = NULL;
    size_t size = 0, rows = 0;
    int ended = 0, is_rows = 1;
    for (; rows < NAMING_ROWS && !ended && is_rows; rows++) {
        json_t *row = next_object(in, &line, &size, &ended);
        is_rows = rows > 0 || (row != NULL && find_rows(row) == NULL);
        put_value(t, "", row, 0);
        json_decref(row);
    }
    t->may_grow = 0;
    write_names(t, out);
    rewind(in);
    for (ended = 0; is_rows;) {
        json_t *row = next_object(in, &line, &size, &ended);
        if (ended) {
            break;
        }
        write_row(t, row, out);
        json_decref(row);
    }
    free(line);
    return is_rows;
}

static int convert_document(FILE *in, table *t, FILE *out)
{
    rewind(in);
    json_t *document = json_loadf(in, 0, NULL);
    const json_t *rows = find_rows(document);
    size_t n = json_array_size(rows);
    for (size_t i = 0; i < n && i < NAMING_ROWS; i++) {
        put_value(t, "", json_array_get(rows, i), 0);
    }
    t->may_grow = 0;
    write_names(t, out);
    for (size_t i = 0; i < n; i++) {
        write_row(t, json_array_get(rows, i), out);
    }
    json_decref(document);
    return n > 0;
}

/* Does it begin as a JSON text of objects does? */
static FILE *open_json(const char *path)
{
    char start[65] = "";
    FILE *in = lab_open_regular(path);
    size_t n = in != NULL ? fread(start, 1, sizeof start - 1, in) : 0;
    start[n] = '\0';
    char first = start[strspn(start, " \t\r\n")];
    if (in != NULL && first != '{' && first != '[') {
        fclose(in);
        return NULL;
    }
    if (in != NULL) {
        rewind(in);
    }
    return in;
}

marl_status lab_json_rows(const char *path, int *csv, marl_error *error)
{
    marl_status status = MARL_OK;
    FILE *in = open_json(path);
    *csv = -1;
    if (in == NULL) {
        return MARL_OK;
    }
    table *t = calloc(1, sizeof *t);
    FILE *out = tmpfile();
    if (t == NULL || out == NULL) {
        status = marl_fail(error, MARL_ERR_SYSTEM, "%s: no room for its rows: %s", path, strerror(errno));
    } else {
        t->may_grow = 1;
        int is_rows = convert_lines(in, t, out);
        if (!is_rows) {
            rewind(out);
            *t = (table){.may_grow = 1};
            is_rows = ftruncate(fileno(out), 0) == 0 && convert_document(in, t, out);
        }
        if (fflush(out) != 0 || ferror(out)) {
            status = marl_fail(error, MARL_ERR_SYSTEM, "%s: no room for its rows: %s", path, strerror(errno));
        } else if (is_rows && t->n > 0) {
            *csv = dup(fileno(out));
            if (*csv < 0 || lseek(*csv, 0, SEEK_SET) != 0) {
                status =
                    marl_fail(error, MARL_ERR_SYSTEM, "%s: no room for its rows: %s", path, strerror(errno));
            }
        }
    }
    if (out != NULL) {
        fclose(out);
    }
    fclose(in);
    free(t);
    return status;
}
