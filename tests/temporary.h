/* SPDX-License-Identifier: MIT
 * A folder for the files of one test, and small files in it. */
#ifndef TEMPORARY_H
#define TEMPORARY_H

#include <check.h>
#include <dirent.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

typedef struct temporary {
    char dir[64];
    char path[160]; /* of the file last asked for */
} temporary;

static inline temporary temporary_make(void)
{
    temporary t = {.dir = "/tmp/marlinspike-test-XXXXXX"};
    ck_assert_ptr_nonnull(mkdtemp(t.dir));
    return t;
}

static inline const char *temporary_path(temporary *t, const char *name)
{
    snprintf(t->path, sizeof t->path, "%s/%s", t->dir, name);
    return t->path;
}

static inline const char *temporary_write(temporary *t, const char *name, const char *text, size_t n)
{
    FILE *f = fopen(temporary_path(t, name), "wb");
    ck_assert_ptr_nonnull(f);
    ck_assert_uint_eq(fwrite(text, 1, n, f), n);
    ck_assert_int_eq(fclose(f), 0);
    return t->path;
}

static inline const char *temporary_text(temporary *t, const char *name, const char *text)
{
    return temporary_write(t, name, text, strlen(text));
}

/* The whole file, to be freed; NULL when it is not there. */
static inline char *temporary_read(const char *path)
{
    FILE *f = fopen(path, "rb");
    if (f == NULL) {
        return NULL;
    }
    size_t n = 0, capacity = 1 << 16;
    char *text = malloc(capacity);
    for (size_t got; (got = fread(text + n, 1, capacity - n - 1, f)) > 0; n += got) {
        capacity = n + got + 1 >= capacity - 1 ? 2 * capacity : capacity;
        text = realloc(text, capacity);
    }
    text[n] = '\0';
    fclose(f);
    return text;
}

/* How many files the folder holds. */
static inline int temporary_count(const temporary *t)
{
    int n = 0;
    DIR *d = opendir(t->dir);
    for (struct dirent *e = readdir(d); e != NULL; e = readdir(d)) {
        n += e->d_name[0] != '.';
    }
    closedir(d);
    return n;
}

static inline void temporary_remove(temporary *t)
{
    char path[400];
    DIR *d = opendir(t->dir);
    for (struct dirent *e = readdir(d); e != NULL; e = readdir(d)) {
        snprintf(path, sizeof path, "%s/%s", t->dir, e->d_name);
        unlink(path);
    }
    closedir(d);
    rmdir(t->dir);
}

#endif
