/* SPDX-License-Identifier: MIT
 * The files of inspect: those of the command line, each as FILE or FILE:MAP, and those of folders there. */
#include "cli/inspect/inspect_parts.h"
#include <dirent.h>
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

static marl_status add_file(cli_sources *s, const char *path, size_t length, const char *map,
                            marl_error *error)
{
    cli_file *larger = realloc(s->file, (s->n + 1) * sizeof *larger);
    char *copy = strndup(path, length), *map_copy = map != NULL ? strdup(map) : NULL;
    if (larger != NULL) {
        s->file = larger;
    }
    if (larger == NULL || copy == NULL || (map != NULL && map_copy == NULL)) {
        free(copy);
        free(map_copy);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    s->file[s->n++] = (cli_file){copy, map_copy};
    s->mapped |= map != NULL;
    return MARL_OK;
}

static int is_text(const char *name)
{
    const char *end = strrchr(name, '.');
    return end != NULL && end != name &&
           (strcmp(end, ".csv") == 0 || strcmp(end, ".txt") == 0 || strcmp(end, ".tsv") == 0);
}

static int by_path(const void *a, const void *b)
{
    return strcmp(((const cli_file *)a)->path, ((const cli_file *)b)->path);
}

static marl_status add_folder(cli_sources *s, const char *path, marl_error *error)
{
    DIR *folder = opendir(path);
    size_t first = s->n;
    marl_status status = MARL_OK;
    if (folder == NULL) {
        return marl_fail(error, MARL_ERR_INPUT, "%s: cannot be read: %s", path, strerror(errno));
    }
    for (struct dirent *entry; status == MARL_OK && (entry = readdir(folder)) != NULL;) {
        char name[1024];
        if (is_text(entry->d_name)) {
            snprintf(name, sizeof name, "%s/%s", path, entry->d_name);
            status = add_file(s, name, strlen(name), NULL, error);
        }
    }
    closedir(folder);
    if (status == MARL_OK && s->n == first) {
        return marl_fail(error, MARL_ERR_INPUT, "%s: no .csv, .txt or .tsv in this folder", path);
    }
    if (status == MARL_OK) {
        qsort(s->file + first, s->n - first, sizeof *s->file, by_path);
    }
    return status;
}

static marl_status add_argument(cli_sources *s, const char *text, marl_error *error)
{
    struct stat file;
    if (stat(text, &file) == 0) {
        return S_ISDIR(file.st_mode) ? add_folder(s, text, error)
                                     : add_file(s, text, strlen(text), NULL, error);
    }
    const char *colon = marl_column_map_in(text);
    return colon != NULL ? add_file(s, text, (size_t)(colon - text), colon + 1, error)
                         : add_file(s, text, strlen(text), NULL, error);
}

marl_status cli_sources_find(const cli *c, cli_sources *sources, marl_error *error)
{
    *sources = (cli_sources){0, NULL, 0};
    for (int i = 0; i < c->files; i++) {
        MARL_TRY(add_argument(sources, c->file[i], error));
    }
    return MARL_OK;
}

void cli_sources_free(cli_sources *sources)
{
    for (size_t i = 0; i < sources->n; i++) {
        free(sources->file[i].path);
        free(sources->file[i].map);
    }
    free(sources->file);
    *sources = (cli_sources){0, NULL, 0};
}
