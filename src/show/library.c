/* SPDX-License-Identifier: MIT
 * The JavaScript libraries of the pages. */
#include "show/library.h"
#include <stdio.h>
#include <stdlib.h>

static const struct {
    const char *file, *package;
} libraries[SHOW_LIBRARIES] = {
    [SHOW_LIBRARY_STYLE] = {"dygraphs/dygraph.min.css", "libjs-dygraphs"},
    [SHOW_LIBRARY_DYGRAPH] = {"dygraphs/dygraph.min.js", "libjs-dygraphs"},
    [SHOW_LIBRARY_THREE] = {"three/three.min.js", "libjs-three"},
};

static const char *folder(void)
{
    const char *given = getenv("MARLINSPIKE_JAVASCRIPT");
    return given != NULL && given[0] != '\0' ? given : MARLINSPIKE_JAVASCRIPT;
}

char *show_library_read(show_library library, marl_error *error)
{
    char path[4096];
    snprintf(path, sizeof path, "%s/%s", folder(), libraries[library].file);
    FILE *in = fopen(path, "rb");
    long size = -1;
    if (in != NULL && fseek(in, 0, SEEK_END) == 0) {
        size = ftell(in);
        rewind(in);
    }
    char *text = size >= 0 ? malloc((size_t)size + 1) : NULL;
    int whole = text != NULL && fread(text, 1, (size_t)size, in) == (size_t)size;
    if (in != NULL) {
        fclose(in);
    }
    if (!whole) {
        (void)!marl_fail(error, MARL_ERR_SYSTEM, "%s: cannot be read; a page needs it (package %s)", path,
                         libraries[library].package);
        free(text);
        return NULL;
    }
    text[size] = '\0';
    return text;
}
