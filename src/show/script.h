/* SPDX-License-Identifier: MIT
 * Bytes that grow in memory. A stream of the C library would lose parts without an error where memory is short. */
#ifndef SHOW_SCRIPT_H
#define SHOW_SCRIPT_H

#include <stddef.h>

typedef struct show_script {
    char *text;
    size_t n, capacity;
    int no_memory; /* a part is missing */
} show_script;

/* Makes room for so many bytes more. 0 without memory. */
int show_room(show_script *script, size_t more);

void show_put(show_script *script, const char *format, ...) __attribute__((format(printf, 2, 3)));

#endif
