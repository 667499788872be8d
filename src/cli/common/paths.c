/* SPDX-License-Identifier: MIT
 * Outputs that are inputs, and outputs that are one. */
#include "cli/common/paths.h"
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

/* Where a path leads: a file, or a name in a folder where none is yet. */
typedef struct place {
    int found; /* 0: not even a folder */
    int exists;
    dev_t device;
    ino_t number;            /* of the file, or of the folder */
    char name[NAME_MAX + 1]; /* where there is no file */
} place;

/* One text in which files are named, and by which option; NULL: an argument. */
typedef struct use {
    const struct poptOption *option;
    int what;
    const char *text;
} use;

enum { USES_MAX = 256 };

static place place_of(const char *path)
{
    place p = {0};
    struct stat file;
    if (stat(path, &file) == 0) {
        p.found = p.exists = 1;
    } else {
        char *target = marl_outfile_followed(path);
        char *slash = target != NULL ? strrchr(target, '/') : NULL;
        snprintf(p.name, sizeof p.name, "%s", slash != NULL ? slash + 1 : target != NULL ? target : "");
        if (slash != NULL) {
            slash[slash == target] = '\0';
        }
        p.found = target != NULL && stat(slash != NULL ? target : ".", &file) == 0;
        free(target);
    }
    if (p.found) {
        p.device = file.st_dev;
        p.number = file.st_ino;
    }
    return p;
}

static int is_same(const place *a, const place *b)
{
    return a->found && b->found && a->exists == b->exists && a->device == b->device &&
           a->number == b->number && strcmp(a->name, b->name) == 0;
}

/* Is the file the one that the first n characters name? */
static int names(const char *text, size_t n, const place *file)
{
    char path[PATH_MAX];
    if (n == 0 || n >= sizeof path) {
        return 0;
    }
    snprintf(path, sizeof path, "%.*s", (int)n, text);
    place p = place_of(path);
    return is_same(&p, file);
}

static int is_filter(const char *text)
{
    char name[40];
    marl_filter filter;
    snprintf(name, sizeof name, "%.*s", (int)strcspn(text, ":"), text);
    return marl_filter_from_name(name, &filter) == MARL_OK;
}

/* The path of an output, or of a source; NULL where it is no file. */
static const char *path_in(const use *u)
{
    if (u->what == CLI_SOURCE) {
        return strncmp(u->text, "log:", 4) == 0 ? u->text + 4 : NULL;
    }
    if (u->what == CLI_BOARD) {
        return strncmp(u->text, "sim:", 4) == 0 ? u->text + 4 : NULL;
    }
    return u->what == CLI_NO_FILE || (u->what == CLI_TUNING && is_filter(u->text)) ? NULL : u->text;
}

/* Does this text name the file: as a whole, before a colon, or on either side of an equals sign? */
static int uses(const use *u, const place *file)
{
    const char *path = path_in(u);
    if (path == NULL) {
        return 0;
    }
    if (names(path, strlen(path), file)) {
        return 1;
    }
    int parts = u->what == CLI_READS || u->what == CLI_TUNING;
    for (const char *at = path; parts && *(at += strcspn(at, ":=")) != '\0'; at++) {
        if (names(path, (size_t)(at - path), file) || (*at == '=' && names(at + 1, strlen(at + 1), file))) {
            return 1;
        }
    }
    return 0;
}

static int is_output(int what)
{
    return what == CLI_WRITES || what == CLI_WRITES_ROWS || what == CLI_UPDATES || what == CLI_BOARD;
}

/* A calibration may be replaced by its successor. */
static int may_be_one(int a, int b)
{
    return a == CLI_UPDATES && (b == CLI_UPDATES || b == CLI_CALIBRATION);
}

static void add(use *list, size_t *n, use u)
{
    if (*n < USES_MAX && u.what != 0 && u.text != NULL) {
        list[(*n)++] = u;
    }
}

static size_t collect(use *list, const cli *c, int first)
{
    size_t n = 0;
    for (const struct poptOption *o = c->own; o->longName != NULL || o->shortName != '\0'; o++) {
        unsigned kind = o->argInfo & POPT_ARG_MASK;
        if (kind == POPT_ARG_STRING) {
            add(list, &n, (use){o, o->val, *(char **)o->arg});
        } else if (kind == POPT_ARG_ARGV) {
            for (char **text = *(char ***)o->arg; text != NULL && *text != NULL; text++) {
                add(list, &n, (use){o, o->val, *text});
            }
        }
    }
    for (int i = 0; i < c->files; i++) {
        add(list, &n, (use){NULL, i == 0 && first != 0 ? first : CLI_READS, c->file[i]});
    }
    return n;
}

static void print_name(char *name, size_t size, const use *u)
{
    const struct poptOption *o = u->option;
    if (o == NULL) {
        snprintf(name, size, "%s", u->text);
    } else if (o->longName != NULL) {
        snprintf(name, size, "--%s", o->longName);
    } else {
        snprintf(name, size, "-%c", o->shortName);
    }
}

/* The first other option or argument that names this output. */
static const use *find_clash(const use *list, size_t n, const use *output, const char *path)
{
    place file = place_of(path);
    for (const use *u = list; u < list + n; u++) {
        if (u != output && !may_be_one(output->what, u->what) && uses(u, &file)) {
            return u;
        }
    }
    return NULL;
}

static marl_status check_output(const use *list, size_t n, const use *output, const char *path,
                                marl_error *error)
{
    const use *clash = find_clash(list, n, output, path);
    if (clash != NULL) {
        char by[80], other[300];
        print_name(by, sizeof by, output);
        print_name(other, sizeof other, clash);
        return marl_fail(error, MARL_ERR_USE,
                         is_output(clash->what) ? "%s: would be written twice, by %s and by %s"
                                                : "%s: would be replaced by %s, and is an input (%s)",
                         path, by, other);
    }
    return marl_outfile_check(path, output->what == CLI_WRITES_ROWS, error);
}

marl_status paths_check(const cli *c, int first, marl_error *error)
{
    use list[USES_MAX];
    size_t n = collect(list, c, first);
    for (const use *u = list; u < list + n; u++) {
        const char *path = is_output(u->what) ? path_in(u) : NULL;
        if (path != NULL) {
            MARL_TRY(check_output(list, n, u, path, error));
        }
    }
    return MARL_OK;
}
