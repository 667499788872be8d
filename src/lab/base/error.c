/* SPDX-License-Identifier: MIT
 * Recording the first reason of a failure; lists in messages. */
#include "marlinspike/error.h"
#include <stdarg.h>
#include <stdio.h>
#include <string.h>

marl_status marl_fail(marl_error *error, marl_status status, const char *format, ...)
{
    if (error != NULL && error->status == MARL_OK) {
        va_list arguments;
        va_start(arguments, format);
        vsnprintf(error->text, sizeof error->text, format, arguments);
        va_end(arguments);
        marl_text_clean(error->text);
        error->status = status;
    }
    return status;
}

void marl_list_append(char *list, size_t size, const char *item)
{
    size_t used = strlen(list);
    int full = used >= 3 && strcmp(list + used - 3, "...") == 0;
    if (!full && used + strlen(item) + sizeof ", " + sizeof " ..." <= size) {
        snprintf(list + used, size - used, "%s%s", used ? ", " : "", item);
    } else if (!full && used + sizeof " ..." <= size) {
        snprintf(list + used, size - used, " ...");
    }
}
