/* SPDX-License-Identifier: MIT
 * Warnings, and JSON for the results. */
#include "cli/common/cli.h"
#include <math.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum {
    MAX_PRINTED = 16384, /* bytes of one call; paths and texts of files are the longest parts */
    COLUMNS = 100
};

/* Set when an allocation of jansson failed, or a text was too long: what is printed is not complete then. */
static int incomplete;

static void *json_allocate(size_t size)
{
    void *block = malloc(size);
    incomplete |= block == NULL;
    return block;
}

void cli_watch_memory(void)
{
    json_set_alloc_funcs(json_allocate, free);
}

/* The formatted text, cleaned. */
static void print_clean(FILE *to, const char *format, va_list arguments)
{
    char text[MAX_PRINTED];
    int n = vsnprintf(text, sizeof text, format, arguments);
    incomplete |= n < 0 || n >= MAX_PRINTED;
    marl_text_clean_lines(text);
    fputs(text, to);
}

void cli_print(const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    print_clean(stdout, format, arguments);
    va_end(arguments);
}

/* A blank at which a line may end: "95 %" stays together. */
static int is_break(const char *at)
{
    return at[0] == ' ' && at[1] != '%';
}

/* The line in pieces that end at a blank; a word that is longer than a line stays whole. */
static void put_line(FILE *to, const char *line, size_t n, int indent)
{
    size_t left = COLUMNS;
    while (n > left) {
        size_t end = left;
        while (end > 0 && !is_break(line + end)) {
            end--;
        }
        if (end == 0) {
            end = left + strcspn(line + left, " \n");
        }
        fprintf(to, "%.*s", (int)end, line);
        end += line[end] == ' ';
        line += end;
        n -= end;
        left = COLUMNS - (size_t)indent;
        if (n > 0) {
            fprintf(to, "\n%*s", indent, "");
        }
    }
    fprintf(to, "%.*s\n", (int)n, line);
}

static void print_prose(FILE *to, int indent, const char *format, va_list arguments)
{
    char text[MAX_PRINTED];
    int length = vsnprintf(text, sizeof text, format, arguments);
    incomplete |= length < 0 || length >= MAX_PRINTED;
    marl_text_clean_lines(text);
    const char *line = text;
    for (size_t n = strcspn(line, "\n"); line[n] != '\0'; n = strcspn(line, "\n")) {
        put_line(to, line, n, indent);
        line += n + 1;
    }
    put_line(to, line, strlen(line), indent);
}

void cli_print_prose(int indent, const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    print_prose(stdout, indent, format, arguments);
    va_end(arguments);
}

void cli_message(const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    if (isatty(STDERR_FILENO)) {
        print_prose(stderr, 2, format, arguments);
    } else {
        print_clean(stderr, format, arguments);
        fputc('\n', stderr);
    }
    va_end(arguments);
}

void cli_print_warnings(const marl_warnings *warnings)
{
    for (size_t i = 0; i < warnings->n; i++) {
        cli_message("%s", warnings->item[i].text);
    }
}

json_t *cli_warnings_json(const marl_warnings *warnings)
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
        incomplete = 1;
        return NULL;
    }
    marl_text_clean(copy);
    json_t *value = json_string(copy);
    free(copy);
    return value;
}

double cli_unit_of(marl_sensor sensor)
{
    return sensor == MARL_GYRO ? MARL_DEGREE : 1;
}

const char *cli_unit_name(marl_sensor sensor)
{
    return sensor == MARL_GYRO ? "deg/s" : marl_sensor_unit(sensor);
}

int cli_memory_failed(void)
{
    return incomplete;
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

int cli_print_done(void)
{
    if (incomplete) {
        cli_message("no memory: the output is not complete");
        return CLI_MACHINE;
    }
    if (fflush(stdout) != 0 || ferror(stdout)) {
        cli_message("stdout: cannot be written");
        return CLI_MACHINE;
    }
    return CLI_DONE;
}

int cli_print_json(json_t *root)
{
    char *text = json_dumps(root, JSON_INDENT(2) | JSON_REAL_PRECISION(9));
    json_decref(root);
    if (text == NULL || incomplete) {
        free(text);
        cli_message("no memory");
        return CLI_MACHINE;
    }
    puts(text);
    free(text);
    return cli_print_done();
}
