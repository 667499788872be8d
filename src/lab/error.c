/* SPDX-License-Identifier: MIT
 * Recording the first reason of a failure. */
#include "marlinspike/error.h"
#include <stdarg.h>
#include <stdio.h>

marl_status marl_fail(marl_error *error, marl_status status, const char *format, ...)
{
    if (error != NULL && error->status == MARL_OK) {
        va_list arguments;
        va_start(arguments, format);
        vsnprintf(error->text, sizeof error->text, format, arguments);
        va_end(arguments);
        error->status = status;
    }
    return status;
}
