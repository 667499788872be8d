/* SPDX-License-Identifier: MIT
 * What is worth knowing without being a failure. */
#include "marlinspike/error.h"
#include <stdarg.h>
#include <stdio.h>

void marl_warn(marl_warnings *warnings, const char *code, const char *format, ...)
{
    const size_t max = sizeof warnings->item / sizeof warnings->item[0];
    if (warnings->n == max) { /* the last place counts those that have none */
        snprintf(warnings->item[max - 1].code, sizeof warnings->item[0].code, "more");
        snprintf(warnings->item[max - 1].text, sizeof warnings->item[0].text, "%zu more warnings",
                 ++warnings->more);
        return;
    }
    va_list arguments;
    va_start(arguments, format);
    snprintf(warnings->item[warnings->n].code, sizeof warnings->item[0].code, "%s", code);
    vsnprintf(warnings->item[warnings->n].text, sizeof warnings->item[0].text, format, arguments);
    va_end(arguments);
    marl_text_clean(warnings->item[warnings->n].text);
    warnings->n++;
    warnings->more = warnings->n == max; /* should another come, this one is counted with it */
}
