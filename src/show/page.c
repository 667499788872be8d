/* SPDX-License-Identifier: MIT
 * The report page. */
#include "marlinspike/error.h"
#include "marlinspike/show.h"
#include "show/library.h"
#include "show/page_assets.h"
#include <errno.h>
#include <nettle/base64.h>
#include <nettle/sha2.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

marl_status marl_page_check_path(const char *path, marl_error *error)
{
    size_t n = strlen(path);
    return n > 5 && strcmp(path + n - 5, ".html") == 0
               ? MARL_OK
               : marl_fail(error, MARL_ERR_USE, "%s: a report page ends in .html", path);
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

/* A script as it stands in the page, to be freed: an end tag in it can only stand in a string. */
static char *script_text(const char *script)
{
    size_t n = strlen(script);
    char *text = malloc(2 * n + 1), *to = text;
    if (text == NULL) {
        return NULL;
    }
    for (const char *end; (end = strstr(script, "</script")) != NULL; script = end + 2) {
        memcpy(to, script, (size_t)(end - script));
        to += end - script;
        memcpy(to, "<\\/", 3);
        to += 3;
    }
    memcpy(to, script, strlen(script) + 1);
    return text;
}

enum { LIBRARIES = 2, SCRIPTS = LIBRARIES + 1, MODULE_BLOCK = 3 * 1024 };

/* Everything that the page is made of. */
typedef struct parts {
    char *style;
    char *script[SCRIPTS];
} parts;

static void free_parts(parts *p)
{
    free(p->style);
    for (int i = 0; i < SCRIPTS; i++) {
        free(p->script[i]);
    }
}

static marl_status read_parts(parts *p, marl_error *error)
{
    static const show_library libraries[LIBRARIES] = {SHOW_LIBRARY_DYGRAPH, SHOW_LIBRARY_THREE};
    p->style = show_library_read(SHOW_LIBRARY_STYLE, error);
    if (p->style == NULL) {
        return MARL_ERR_SYSTEM;
    }
    for (int i = 0; i < SCRIPTS; i++) {
        char *script = i < LIBRARIES ? show_library_read(libraries[i], error) : NULL;
        if (i < LIBRARIES && script == NULL) {
            return MARL_ERR_SYSTEM;
        }
        p->script[i] = script_text(i < LIBRARIES ? script : show_page_script);
        free(script);
        if (p->script[i] == NULL) {
            return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
        }
    }
    return MARL_OK;
}

/* The source expression that allows this very script ("Content Security Policy Level 3", 2.3.1). */
static void put_hash(marl_outfile *out, const char *script)
{
    struct sha256_ctx hash;
    uint8_t digest[SHA256_DIGEST_SIZE];
    char text[BASE64_ENCODE_RAW_LENGTH(SHA256_DIGEST_SIZE)];
    sha256_init(&hash);
    sha256_update(&hash, strlen(script), (const uint8_t *)script);
    sha256_digest(&hash, sizeof digest, digest);
    base64_encode_raw(text, sizeof digest, digest);
    marl_outfile_text(out, " 'sha256-");
    marl_outfile_write(out, text, sizeof text);
    marl_outfile_text(out, "'");
}

/* No script runs but the page's own, should anything of a log ever come through as markup. A page that computes may
 * compile its module, and start a worker from its own text. */
static void put_policy(marl_outfile *out, const parts *p, int computes)
{
    marl_outfile_text(
        out, "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; script-src");
    for (int i = 0; i < SCRIPTS; i++) {
        put_hash(out, p->script[i]);
    }
    marl_outfile_text(out, computes ? " 'wasm-unsafe-eval'; worker-src blob:" : "");
    marl_outfile_text(out, "; style-src 'unsafe-inline'; img-src data: blob:\">\n");
}

static void put_head(marl_outfile *out, const char *title, const parts *p, int computes)
{
    marl_outfile_text(out, "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
                           "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n");
    put_policy(out, p, computes);
    marl_outfile_text(out, "<title>");
    put_text(out, title);
    marl_outfile_text(out, "</title>\n<style>\n");
    marl_outfile_text(out, p->style);
    marl_outfile_text(out, show_page_style);
    marl_outfile_text(out, "</style>\n</head>\n<body>\n<noscript>This page needs JavaScript.</noscript>\n"
                           "<main id=\"page\"></main>\n<script type=\"application/json\" id=\"data\">");
}

/* The module as base64 of its gzip, and the text of the worker that runs it: neither is a script of the page. */
static void put_engine(marl_outfile *out)
{
    char block[BASE64_ENCODE_RAW_LENGTH(MODULE_BLOCK)];
    marl_outfile_text(out, "<script type=\"text/plain\" id=\"engine\">");
    marl_outfile_text(out, show_page_engine);
    marl_outfile_text(out, "</script>\n<script type=\"text/plain\" id=\"module\">");
    for (size_t at = 0; at < show_page_module_size; at += MODULE_BLOCK) {
        size_t n = show_page_module_size - at < MODULE_BLOCK ? show_page_module_size - at : MODULE_BLOCK;
        base64_encode_raw(block, n, show_page_module + at);
        marl_outfile_write(out, block, BASE64_ENCODE_RAW_LENGTH(n));
    }
    marl_outfile_text(out, "</script>\n");
}

static void put_page(marl_outfile *out, const char *title, const char *json, const parts *p, int computes)
{
    put_head(out, title, p, computes);
    put_json(out, json);
    marl_outfile_text(out, "</script>\n");
    if (computes) {
        put_engine(out);
    }
    for (int i = 0; i < SCRIPTS; i++) {
        marl_outfile_text(out, "<script>");
        marl_outfile_text(out, p->script[i]);
        marl_outfile_text(out, "</script>\n");
    }
    marl_outfile_text(out, "</body>\n</html>\n");
}

marl_status marl_page_write(const char *path, const char *title, const char *json, int computes,
                            marl_error *error)
{
    marl_outfile *out;
    parts p = {0};
    marl_status status = marl_page_check_path(path, error);
    status = status != MARL_OK ? status : read_parts(&p, error);
    status = status != MARL_OK ? status : marl_outfile_open(&out, path, error);
    if (status == MARL_OK) {
        put_page(out, title, json, &p, computes);
        status = marl_outfile_commit(out, error);
    }
    free_parts(&p);
    return status;
}
