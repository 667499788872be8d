/* SPDX-License-Identifier: MIT
 * Warnings, and JSON for the results. */
#include "cli/common/cli.h"
#include <math.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* The formatted text, cleaned; to be freed. NULL without memory. */
static char *cleaned(const char *format, va_list arguments)
{
    va_list again;
    va_copy(again, arguments);
    int n = vsnprintf(NULL, 0, format, again);
    va_end(again);
    char *text = n >= 0 ? malloc((size_t)n + 1) : NULL;
    if (text != NULL) {
        vsnprintf(text, (size_t)n + 1, format, arguments);
        marl_text_clean_lines(text);
    }
    return text;
}

void cli_print(const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    char *text = cleaned(format, arguments);
    va_end(arguments);
    fputs(text != NULL ? text : "no memory\n", text != NULL ? stdout : stderr);
    free(text);
}

void cli_message(const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    char *text = cleaned(format, arguments);
    va_end(arguments);
    fprintf(stderr, "%s\n", text != NULL ? text : "no memory");
    free(text);
}

void cli_warn(cli_warnings *warnings, const char *code, const char *format, ...)
{
    const size_t max = sizeof warnings->item / sizeof warnings->item[0];
    if (warnings->n == max) {
        return;
    }
    va_list arguments;
    va_start(arguments, format);
    snprintf(warnings->item[warnings->n].code, sizeof warnings->item[0].code, "%s", code);
    vsnprintf(warnings->item[warnings->n].text, sizeof warnings->item[0].text, format, arguments);
    va_end(arguments);
    marl_text_clean(warnings->item[warnings->n].text);
    warnings->n++;
}

void cli_warn_of_log(cli_warnings *w, const marl_log_report *r, const char *path)
{
    if (r->assumed_units[0] != '\0') {
        cli_warn(w, "units-assumed", "%s:1: no unit given, assumed: %s", path, r->assumed_units);
    }
    if (r->unknown_columns[0] != '\0') {
        cli_warn(w, "unknown-column", "%s:1: columns not known and ignored: %s", path, r->unknown_columns);
    }
    if (r->rows_dropped > 0) {
        cli_warn(w, "bad-rows", "%s:%ld: %s; %lu of %lu rows dropped", path, r->first_dropped_line,
                 r->first_dropped_why, r->rows_dropped, r->rows + r->rows_dropped);
    }
    if (r->time_repeated > 0) {
        cli_warn(w, "time-repeat", "%s: time stands still in %lu rows", path, r->time_repeated);
    }
    if (r->time_back > 0) {
        cli_warn(w, "time-back", "%s: time goes back in %lu rows", path, r->time_back);
    }
    if (r->cells_missing > 0) {
        cli_warn(w, "bad-cells", "%s:%ld: no usable number; %lu such cells count as missing", path,
                 r->first_missing_line, r->cells_missing);
    }
    if (r->clock_wraps > 0) {
        cli_warn(w, "clock-wrap", "%s: the 32-bit microsecond clock wrapped %lu times; unwrapped", path,
                 r->clock_wraps);
    }
}

void cli_print_warnings(const cli_warnings *warnings)
{
    for (size_t i = 0; i < warnings->n; i++) {
        cli_message("%s", warnings->item[i].text);
    }
}

json_t *cli_warnings_json(const cli_warnings *warnings)
{
    json_t *list = json_array();
    for (size_t i = 0; i < warnings->n; i++) {
        json_t *item = json_object();
        json_object_set_new(item, "code", cli_text(warnings->item[i].code));
        json_object_set_new(item, "text", cli_text(warnings->item[i].text));
        json_array_append_new(list, item);
    }
    return list;
}

json_t *cli_text(const char *text)
{
    char *copy = strdup(text);
    if (copy == NULL) {
        return NULL;
    }
    marl_text_clean(copy);
    json_t *value = json_string(copy);
    free(copy);
    return value;
}

json_t *cli_number(double value)
{
    return isfinite(value) ? json_real(value) : json_null();
}

json_t *cli_numbers(const double *value, size_t n)
{
    json_t *list = json_array();
    for (size_t i = 0; i < n; i++) {
        json_array_append_new(list, cli_number(value[i]));
    }
    return list;
}

int cli_print_json(json_t *root)
{
    char *text = json_dumps(root, JSON_INDENT(2) | JSON_REAL_PRECISION(9));
    json_decref(root);
    if (text == NULL) {
        cli_message("no memory");
        return CLI_MACHINE;
    }
    puts(text);
    free(text);
    return cli_print_done();
}
