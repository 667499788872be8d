/* SPDX-License-Identifier: MIT
 * The place of a key in a JSON file, for its error message. */
#include "lab/files/json_file.h"
#include <stdarg.h>
#include <stdio.h>
#include <string.h>

/* The end of the string that begins at the quote p. */
static const char *skip_string(const char *p)
{
    for (p++; *p != '"' && *p != '\0'; p++) {
        p += *p == '\\' && p[1] != '\0';
    }
    return *p == '"' ? p + 1 : p;
}

/* From `p` just inside an object: the key's opening quote in this object (not in nested ones), or NULL.
 * The text is known to be valid JSON. */
static const char *find_key(const char *p, const char *key, size_t n)
{
    for (int depth = 0; *p != '\0' && depth >= 0;) {
        if (*p == '"') {
            const char *end = skip_string(p);
            const char *after = end + strspn(end, " \t\r\n");
            if (depth == 0 && *after == ':' && (size_t)(end - p) == n + 2 && strncmp(p + 1, key, n) == 0) {
                return p;
            }
            p = end;
            continue;
        }
        depth += (*p == '{' || *p == '[') - (*p == '}' || *p == ']');
        p++;
    }
    return NULL;
}

/* The line on which the last of the dotted keys stands; that of the nearest outer one when it is absent. */
static int line_of(const lab_json *file, const char *keys)
{
    const char *p = strchr(file->text, '{');
    const char *found = p;
    while (p != NULL && *keys != '\0') {
        size_t n = strcspn(keys, ".");
        p = find_key(p + 1, keys, n);
        if (p == NULL) {
            break;
        }
        found = p;
        p = strpbrk(skip_string(p), "{");
        keys += n + (keys[n] == '.');
    }
    int line = 1;
    for (const char *c = file->text; c < found; c++) {
        line += *c == '\n';
    }
    return line;
}

marl_status lab_json_fail(const lab_json_at *at, const char *key, const char *format, ...)
{
    char keys[256], text[360];
    va_list arguments;
    snprintf(keys, sizeof keys, "%s%s%s", at->keys, at->keys[0] ? "." : "", key);
    va_start(arguments, format);
    vsnprintf(text, sizeof text, format, arguments);
    va_end(arguments);
    return marl_fail(at->file->error, MARL_ERR_INPUT, "%s:%d: %s: %s", at->file->path,
                     line_of(at->file, keys), keys, text);
}
