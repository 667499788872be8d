/* SPDX-License-Identifier: MIT
 * What inspect prints for a file whose columns it does not know, and how it writes a recording. */
#include "cli/inspect/inspect.h"
#include "cli/inspect/inspect_parts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* Is anything but a time understood? */
static int is_notable(const marl_columns_guess *guess)
{
    int understood = 0;
    for (size_t i = 0; i < guess->n; i++) {
        understood |= guess->column[i].target > MARL_COLUMN_T;
    }
    for (size_t i = 0; i < guess->labels; i++) {
        understood |= guess->label[i].targets != 0;
    }
    return understood;
}

static const char *number_text(double value, char text[16])
{
    snprintf(text, 16, isfinite(value) ? "%.6g" : "-", value);
    return text;
}

static const char *delimiter_name(char delimiter)
{
    switch (delimiter) {
    case ',':
        return "commas";
    case ';':
        return "semicolons";
    case '\t':
        return "tabs";
    case '|':
        return "bars";
    default:
        return "blanks";
    }
}

/* "accel_x[g] ?"; "-" where the target is not known. */
static void write_what(const char *name, const char *unit, int sure, char text[40])
{
    snprintf(text, 40, "%s%s%s%s%s", name, unit[0] ? "[" : "", unit, unit[0] ? "]" : "", sure ? "" : " ?");
}

/* "accel, gyro": three axes, or four numbers, go by one name; "-" where nothing is known. */
static void write_targets(unsigned targets, char text[60])
{
    text[0] = '\0';
    for (int target = 0; target < MARL_COLUMN_COUNT; target++) {
        char name[20];
        snprintf(name, sizeof name, "%s", marl_column_name((marl_column)target));
        name[strcspn(name, "_")] = '\0';
        if ((targets & (1u << target)) && strstr(text, name) == NULL) {
            marl_list_append(text, 60, name);
        }
    }
    if (text[0] == '\0') {
        snprintf(text, 60, "-");
    }
}

static size_t print_labels(const marl_columns_guess *guess)
{
    size_t guessed = 0;
    if (guess->labels > 0) {
        cli_print(
            "\nIts rows are of several sensors or boards, by the label in column %zu:\n%-22s %6s  %-14s %s\n",
            guess->label_column, "label", "rows", "seem to be", "because");
    }
    for (size_t i = 0; i < guess->labels; i++) {
        const marl_label_guess *l = &guess->label[i];
        char what[64];
        int is_guess = l->targets != 0 && !l->sure;
        write_targets(l->targets, what);
        guessed += is_guess ? 1u : 0u;
        snprintf(what + strlen(what), 4, "%s", is_guess ? " ?" : "");
        cli_print_prose(46, "%-22s %6zu  %-14s %s", l->text, l->rows, what, l->why);
    }
    return guessed;
}

static void print_guess(const marl_columns_guess *guess, const char *path, char decimal)
{
    char names[80] = "columns, divided by ";
    size_t n = strlen(names);
    snprintf(names + n, sizeof names - n, guess->header > 0 ? "%s, named in line %ld," : "%s, without names,",
             delimiter_name(guess->delimiter), guess->header);
    cli_print_prose(0, "%s is not a log of ours. Its %s seem to be (by its first %zu rows):\n", path,
                    guess->is_json ? "JSON keys" : names, guess->rows);
    size_t guessed = 0;
    cli_print("%3s  %-15s %9s %9s  %-14s %s\n", "no.", "name", "from", "to", "seems to be", "because");
    for (size_t i = 0; i < guess->n; i++) {
        const marl_column_guess *c = &guess->column[i];
        char what[40], from[16], to[16];
        write_what(c->target < 0 ? "-" : marl_column_guess_name(c), c->target < 0 ? "" : c->unit,
                   c->target < 0 || c->sure, what);
        guessed += c->target >= 0 && !c->sure;
        cli_print_prose(58, "%3zu  %-15s %9s %9s  %-14s %s", i + 1, c->name, number_text(c->min, from),
                        number_text(c->max, to), what, c->why);
    }
    guessed += print_labels(guess);
    if (guessed > 0) {
        cli_print("\n?: a guess by the numbers, which names do not confirm.\n");
    }
    cli_print("\nTo read it so:\n  marlinspike inspect %s%s --columns '%s'\n", path,
              decimal == ',' ? " --decimal ," : "", guess->map);
    if (guess->remark[0] != '\0') {
        cli_print_prose(0, "Check this first: %s.", guess->remark);
    }
    cli_print("With -o LOG it is also written as a log of ours.\n");
}

static json_t *labels_json(const marl_columns_guess *guess)
{
    json_t *labels = json_array();
    for (size_t i = 0; i < guess->labels; i++) {
        const marl_label_guess *l = &guess->label[i];
        char what[60];
        json_t *item = json_object();
        write_targets(l->targets, what);
        json_object_set_new(item, "label", cli_text(l->text));
        json_object_set_new(item, "rows", json_integer((json_int_t)l->rows));
        json_object_set_new(item, "is", l->targets != 0 ? cli_text(what) : json_null());
        json_object_set_new(item, "sure", json_boolean(l->sure));
        json_object_set_new(item, "why", cli_text(l->why));
        json_array_append_new(labels, item);
    }
    return labels;
}

static void print_guess_json(const marl_columns_guess *guess, char decimal)
{
    json_t *root = json_object(), *columns = json_array();
    for (size_t i = 0; i < guess->n; i++) {
        const marl_column_guess *c = &guess->column[i];
        json_t *item = json_object();
        json_object_set_new(item, "name", c->name[0] ? cli_text(c->name) : json_null());
        json_object_set_new(item, "min", cli_number(c->min));
        json_object_set_new(item, "max", cli_number(c->max));
        json_object_set_new(item, "is", c->target >= 0 ? cli_text(marl_column_guess_name(c)) : json_null());
        json_object_set_new(item, "unit", c->unit[0] ? cli_text(c->unit) : json_null());
        json_object_set_new(item, "sure", json_boolean(c->sure));
        json_object_set_new(item, "why", cli_text(c->why));
        json_array_append_new(columns, item);
    }
    json_object_set_new(root, "columns", columns);
    json_object_set_new(root, "label_column",
                        guess->labels > 0 ? json_integer((json_int_t)guess->label_column) : json_null());
    json_object_set_new(root, "labels", labels_json(guess));
    json_object_set_new(root, "decimal", cli_text(decimal == ',' ? "," : "."));
    json_object_set_new(root, "map", cli_text(guess->map));
    json_object_set_new(root, "remark", guess->remark[0] ? cli_text(guess->remark) : json_null());
    (void)cli_print_json(root);
}

static int guess_file(marl_columns_guess *guess, const char *path, char decimal)
{
    return marl_columns_guess_file(guess, path, decimal, NULL) == MARL_OK && !marl_columns_are_ours(guess) &&
           is_notable(guess);
}

/* A header that is not ours is examined; one of ours with a fault is not. Where points make no numbers,
 * commas may. */
void cli_inspect_print_guess(const cli *c, const cli_reading *reading, const char *path)
{
    marl_columns_guess *guess = calloc(1, sizeof *guess);
    char decimal = reading->options.decimal ? reading->options.decimal : '.';
    int seen = guess != NULL && guess_file(guess, path, decimal);
    if (guess != NULL && !seen && reading->options.decimal == 0) {
        decimal = ',';
        seen = guess_file(guess, path, decimal);
    }
    if (seen && c->json) {
        print_guess_json(guess, decimal);
    } else if (seen && !c->quiet) {
        print_guess(guess, path, decimal);
    }
    free(guess);
}

marl_status cli_inspect_write(const cli_inspected *seen, const char *path, marl_error *error)
{
    marl_log_writer *writer;
    MARL_TRY(marl_log_create(&writer, path, &seen->log.info, error));
    for (size_t i = 0; i < seen->log.n; i++) {
        marl_log_write(writer, &seen->log.row[i]);
    }
    return marl_log_commit(writer, error);
}

void cli_inspect_warn_of_units(cli_inspected *seen, const cli_reading *reading)
{
    const marl_log *log = &seen->log;
    marl_columns_guess *guess = NULL;
    if (!seen->mapped && !log->info.has_metadata && log->report.assumed_units[0] != '\0') {
        guess = calloc(1, sizeof *guess);
    }
    if (guess != NULL &&
        marl_columns_guess_file(guess, log->path, reading->options.decimal, NULL) == MARL_OK &&
        marl_columns_need_units(guess)) {
        marl_warn(&seen->warnings, "units-suspect", "%s: by the numbers its units are others: --columns '%s'",
                  log->path, guess->map);
    }
    free(guess);
}
