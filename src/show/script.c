/* SPDX-License-Identifier: MIT
 * Bytes that grow in memory. */
#include "show/script.h"
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>

enum { FIRST_CAPACITY = 1 << 14 };

int show_room(show_script *s, size_t more)
{
    size_t capacity = s->capacity > 0 ? s->capacity : FIRST_CAPACITY;
    while (capacity < s->n + more) {
        capacity *= 2;
    }
    if (capacity == s->capacity) {
        return 1;
    }
    char *larger = realloc(s->text, capacity);
    if (larger == NULL) {
        s->no_memory = 1;
        return 0;
    }
    s->text = larger;
    s->capacity = capacity;
    return 1;
}

void show_put(show_script *s, const char *format, ...)
{
    va_list arguments, again;
    va_start(arguments, format);
    va_copy(again, arguments);
    size_t room = s->capacity - s->n;
    int n = vsnprintf(s->text != NULL ? s->text + s->n : NULL, room, format, arguments);
    va_end(arguments);
    if (n < 0) {
        s->no_memory = 1;
    } else if ((size_t)n < room) {
        s->n += (size_t)n;
    } else if (show_room(s, (size_t)n + 1)) {
        s->n += (size_t)vsnprintf(s->text + s->n, s->capacity - s->n, format, again);
    }
    va_end(again);
}
