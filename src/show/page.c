/* SPDX-License-Identifier: MIT
 * The report page. */
#include "marlinspike/error.h"
#include "marlinspike/show.h"
#include "show/page_assets.h"
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static const struct {
    const char *file, *package;
} libraries[] = {
    {"dygraphs/dygraph.min.js", "libjs-dygraphs"},
    {"dygraphs/src-es5/extras/synchronizer.js", "libjs-dygraphs"},
    {"three/three.min.js", "libjs-three"},
};
static const char library_style[] = "dygraphs/dygraph.min.css";
enum { LIBRARIES = sizeof libraries / sizeof libraries[0] };

marl_status marl_page_check_path(const char *path, marl_error *error)
{
    size_t n = strlen(path);
    return n > 5 && strcmp(path + n - 5, ".html") == 0
               ? MARL_OK
               : marl_fail(error, MARL_ERR_USE, "%s: a report page ends in .html", path);
}

static const char *folder(void)
{
    const char *given = getenv("MARLINSPIKE_JAVASCRIPT");
    return given != NULL && given[0] != '\0' ? given : MARLINSPIKE_JAVASCRIPT;
}

/* The whole file as text, to be freed. */
static char *read_library(const char *file, const char *package, marl_error *error)
{
    char path[4096];
    snprintf(path, sizeof path, "%s/%s", folder(), file);
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
        (void)!marl_fail(error, MARL_ERR_SYSTEM, "%s: cannot be read; the report page needs it (package %s)",
                         path, package);
        free(text);
        return NULL;
    }
    text[size] = '\0';
    return text;
}

/* Text in which `<` is written so that no browser takes it for markup: in HTML as an entity. */
static void put_text(marl_outfile *out, const char *text)
{
    for (; *text != '\0'; text++) {
        switch (*text) {
        case '<':
            marl_outfile_text(out, "&lt;");
            break;
        case '>':
            marl_outfile_text(out, "&gt;");
            break;
        case '&':
            marl_outfile_text(out, "&amp;");
            break;
        case '"':
            marl_outfile_text(out, "&quot;");
            break;
        default:
            marl_outfile_write(out, text, 1);
        }
    }
}

/* JSON within a script element: `<` stands in strings only, where it may be escaped. */
static void put_json(marl_outfile *out, const char *json)
{
    while (*json != '\0') {
        size_t plain = strcspn(json, "<");
        marl_outfile_write(out, json, plain);
        json += plain;
        if (*json == '<') {
            marl_outfile_text(out, "\\u003c");
            json++;
        }
    }
}

/* A script of others: an end tag in it can only stand in a string. */
static void put_script(marl_outfile *out, const char *script)
{
    marl_outfile_text(out, "<script>");
    for (const char *end; (end = strstr(script, "</script")) != NULL; script = end + 2) {
        marl_outfile_write(out, script, (size_t)(end - script));
        marl_outfile_text(out, "<\\/");
    }
    marl_outfile_text(out, script);
    marl_outfile_text(out, "</script>\n");
}

static void put_head(marl_outfile *out, const char *title, const char *style)
{
    marl_outfile_text(out,
                      "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
                      "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n"
                      "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; script-src "
                      "'unsafe-inline'; style-src 'unsafe-inline'; img-src data: blob:\">\n<title>");
    put_text(out, title);
    marl_outfile_text(out, "</title>\n<style>\n");
    marl_outfile_text(out, style);
    marl_outfile_text(out, show_page_style);
    marl_outfile_text(out, "</style>\n</head>\n<body>\n<noscript>This page needs JavaScript.</noscript>\n"
                           "<main id=\"page\"></main>\n<script type=\"application/json\" id=\"data\">");
}

static marl_status put_page(marl_outfile *out, const char *title, const char *json, marl_error *error)
{
    char *style = read_library(library_style, libraries[0].package, error);
    if (style == NULL) {
        return MARL_ERR_SYSTEM;
    }
    put_head(out, title, style);
    free(style);
    put_json(out, json);
    marl_outfile_text(out, "</script>\n");
    for (int i = 0; i < LIBRARIES; i++) {
        char *script = read_library(libraries[i].file, libraries[i].package, error);
        if (script == NULL) {
            return MARL_ERR_SYSTEM;
        }
        put_script(out, script);
        free(script);
    }
    put_script(out, show_page_script);
    marl_outfile_text(out, "</body>\n</html>\n");
    return MARL_OK;
}

marl_status marl_page_write(const char *path, const char *title, const char *json, marl_error *error)
{
    marl_outfile *out;
    marl_status status = marl_page_check_path(path, error);
    status = status != MARL_OK ? status : marl_outfile_open(&out, path, error);
    if (status != MARL_OK) {
        return status;
    }
    status = put_page(out, title, json, error);
    if (status != MARL_OK) {
        marl_outfile_abort(out);
        return status;
    }
    return marl_outfile_commit(out, error);
}
