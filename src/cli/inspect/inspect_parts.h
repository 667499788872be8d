/* SPDX-License-Identifier: MIT
 * Where inspect's recording comes from. */
#ifndef CLI_INSPECT_PARTS_H
#define CLI_INSPECT_PARTS_H

#include "cli/inspect/inspect.h"

/* A file of the command line or of a folder there, and the map that was given with it as FILE:MAP, or NULL. */
typedef struct cli_file {
    char *path, *map;
} cli_file;

typedef struct cli_sources {
    size_t n;
    cli_file *file;
    int mapped; /* a map was given with one of them */
} cli_sources;

/* MARL_ERR_INPUT for a folder that cannot be read or holds no text, MARL_ERR_SYSTEM without memory; to be freed in any
 * case. */
MARL_CHECKED marl_status cli_sources_find(const cli *c, cli_sources *sources, marl_error *error);
void cli_sources_free(cli_sources *sources);

/* What the columns of a file that is no log of ours seem to be; nothing where that cannot be seen. */
void cli_inspect_print_guess(const cli *c, const cli_reading *reading, const char *path);
/* Of a file whose columns have the names of a log's but no units, when its numbers show others than SI. */
void cli_inspect_warn_of_units(cli_inspected *seen, const cli_reading *reading);

#endif
