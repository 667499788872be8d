/* SPDX-License-Identifier: MIT
 * Where the text of a column map stands: on the command line, in a file, or behind a file's name. */
#include "lab/log/log_map.h"
#include <errno.h>
#include <stdio.h>
#include <string.h>

#define MAX_TEXT 4096

marl_status marl_column_map_read(marl_column_map *map, const char *text, marl_error *error)
{
    char content[MAX_TEXT + 1];
    if (strchr(text, '=') != NULL) {
        return lab_column_map_parse(map, text, MARL_ERR_USE, error);
    }
    FILE *file = fopen(text, "r");
    if (file == NULL) {
        return marl_fail(error, MARL_ERR_INPUT,
                         "%s: cannot be read: %s (a column map is a text such as t=1[ms]; "
                         "accel=2,3,4[g], or a file that holds one)",
                         text, strerror(errno));
    }
    size_t n = fread(content, 1, MAX_TEXT, file);
    fclose(file);
    content[n] = '\0';
    return n == MAX_TEXT || strlen(content) != n
               ? marl_fail(error, MARL_ERR_INPUT, "%s: not a column map", text)
               : lab_column_map_parse(map, content, MARL_ERR_INPUT, error);
}

const char *marl_column_map_in(const char *text)
{
    const char *equals = strchr(text, '='), *colon = strchr(text, ':');
    FILE *whole = equals != NULL && colon != NULL && colon < equals ? fopen(text, "rb") : NULL;
    if (whole != NULL) {
        fclose(whole);
        return NULL;
    }
    return equals != NULL && colon != NULL && colon < equals ? colon : NULL;
}
