/* SPDX-License-Identifier: MIT
 * What a file is, by its beginning. */
#include "lab/base/file_kind.h"
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>

/* A file begins with `mark`; one of JSON has it as the value of "marlinspike", up to the version. */
typedef struct kind {
    const char *mark, *name, *use; /* use holds the path once, or not at all */
    int is_json;
} kind;

static const kind kinds[] = {
    {"# marlinspike log", "log", "'marlinspike inspect %s' shows what is in it", 0},
    {"t[", "log", "'marlinspike inspect %s' shows what is in it", 0},
    {"calibration/", "calibration", "'marlinspike verify %s LOG' tries it", 1},
    {"tuning/", "tuning", "'marlinspike tuning %s' shows it", 1},
    {"sheet/", "sheet", "'marlinspike simulate --sheet %s' makes logs of such sensors", 1},
    {"chip/", "chip", "'marlinspike record --from sim:still --chip %s' reads such a chip", 1},
    {"MRSK", "board's memory", "'marlinspike send --to sim:%s' reaches that board", 0},
    {"\x89PNG", "picture", "a browser shows it", 0},
    {"<!DOCTYPE", "page", "a browser shows it", 0},
    {"<!doctype", "page", "a browser shows it", 0},
    {"<?xml", "picture or another file of XML", "a browser shows it", 0},
    {"<svg", "picture", "a browser shows it", 0},
};

/* The text behind "marlinspike": ", or NULL. */
static const char *json_mark(const char *text)
{
    const char *key = strstr(text, "\"marlinspike\""), *value = NULL;
    if (text[strspn(text, " \t\r\n")] == '{' && key != NULL) {
        key += strlen("\"marlinspike\"");
        key += strspn(key, " \t\r\n:");
        value = key[0] == '"' ? key + 1 : NULL;
    }
    return value;
}

static long line_of(const char *text, const char *at)
{
    long line = 1;
    for (; text < at; text++) {
        line += *text == '\n';
    }
    return line;
}

FILE *lab_open_regular(const char *path)
{
    struct stat status;
    return stat(path, &status) == 0 && S_ISREG(status.st_mode) ? fopen(path, "rb") : NULL;
}

marl_status lab_check_file_kind(const char *path, const char *wanted, marl_error *error)
{
    char text[1024];
    FILE *f = lab_open_regular(path);
    if (f == NULL) {
        return MARL_OK;
    }
    size_t n = fread(text, 1, sizeof text - 1, f);
    fclose(f);
    text[n] = '\0';
    const char *mark = json_mark(text);
    for (size_t i = 0; i < sizeof kinds / sizeof kinds[0]; i++) {
        const kind *k = &kinds[i];
        const char *at = k->is_json ? mark : text;
        if (at == NULL || strncmp(at, k->mark, strlen(k->mark)) != 0) {
            continue;
        }
        if (strcmp(k->name, wanted) == 0) {
            return MARL_OK;
        }
        const char *here = strstr(k->use, "%s");
        int before = here != NULL ? (int)(here - k->use) : (int)strlen(k->use);
        return marl_fail(error, MARL_ERR_INPUT, "%s:%ld: is a %s, and a %s is wanted here; %.*s%s%s", path,
                         line_of(text, at), k->name, wanted, before, k->use, here != NULL ? path : "",
                         here != NULL ? here + 2 : "");
    }
    return MARL_OK;
}
