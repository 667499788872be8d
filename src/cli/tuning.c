/* SPDX-License-Identifier: MIT
 * marlinspike tuning */
#include "cli/common/cli.h"
#include <stdio.h>
#include <string.h>

enum { MEANING = 38 }; /* column of the meanings */

typedef struct options {
    char *sheet, *out;
} options;

static int is_used(const marl_named_tuning *t, int id)
{
    return (int)((marl_parameter_row((marl_parameter_id)id)->filters >> t->tuning.filter) & 1u);
}

/* The file's name without folder and ending is the tuning's name. */
static void name_after_file(marl_named_tuning *t, const char *path)
{
    const char *slash = strrchr(path, '/'), *base = slash != NULL ? slash + 1 : path,
               *dot = strrchr(base, '.');
    size_t n = dot != NULL && dot > base ? (size_t)(dot - base) : strlen(base);
    snprintf(t->name, sizeof t->name, "%.*s", (int)(n < 63 ? n : 63), base);
}

static json_t *value_json(const marl_parameter *row, float value)
{
    return row->kind == MARL_KIND_SWITCH ? json_boolean(value != 0.0f) : json_real((double)value);
}

static json_t *parameter_json(const marl_named_tuning *t, int id)
{
    const marl_parameter *row = marl_parameter_row((marl_parameter_id)id);
    json_t *one = json_object();
    json_object_set_new(one, "name", cli_text(row->name));
    json_object_set_new(one, "group", cli_text(marl_parameter_group_name(row->group)));
    json_object_set_new(one, "value", value_json(row, t->tuning.value[id]));
    json_object_set_new(one, "default", value_json(row, row->standard));
    json_object_set_new(one, "unit", cli_text(row->unit));
    if (row->kind == MARL_KIND_NUMBER) {
        json_object_set_new(one, "range", json_pack("[f,f]", (double)row->low, (double)row->high));
    }
    json_object_set_new(one, "meaning", cli_text(row->about));
    return one;
}

static int print_json(const marl_named_tuning *t)
{
    json_t *root = json_object(), *all = json_array();
    json_object_set_new(root, "name", cli_text(t->name));
    json_object_set_new(root, "about", cli_text(t->about));
    json_object_set_new(root, "filter", cli_text(marl_filter_name(t->tuning.filter)));
    json_object_set_new(root, "world", cli_text(marl_world_name(t->tuning.world)));
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        if (is_used(t, i)) {
            json_array_append_new(all, parameter_json(t, i));
        }
    }
    json_object_set_new(root, "parameters", all);
    return cli_print_json(root);
}

static void print_value(const marl_parameter *row, float value, char *text, size_t size)
{
    if (row->kind == MARL_KIND_SWITCH) {
        snprintf(text, size, "%s", value != 0.0f ? "on" : "off");
    } else {
        snprintf(text, size, "%.4g", (double)value);
    }
}

static void print_parameter(const marl_named_tuning *t, int id)
{
    const marl_parameter *row = marl_parameter_row((marl_parameter_id)id);
    char value[24], standard[24], range[64] = "on or off";
    print_value(row, t->tuning.value[id], value, sizeof value);
    print_value(row, row->standard, standard, sizeof standard);
    if (row->kind == MARL_KIND_NUMBER) {
        snprintf(range, sizeof range, "%g to %g%s%s", (double)row->low, (double)row->high,
                 strcmp(row->unit, "1") == 0 ? "" : " ", strcmp(row->unit, "1") == 0 ? "" : row->unit);
    }
    cli_print_prose(MEANING, "%c %-16s %8s %8s  %s; %s", strcmp(value, standard) != 0 ? '*' : ' ', row->name,
                    value, standard, row->about, range);
}

/* What the parameters come to in the terms of the papers, and of a filter of one line. */
static void print_gains(const marl_tuning *t)
{
    double tilt = (double)t->value[MARL_PARAMETER_TILT_TIME],
           heading = (double)t->value[MARL_PARAMETER_HEADING_TIME];
    double twice = 2 * (double)t->value[MARL_PARAMETER_DAMPING];
    if (t->filter != MARL_FILTER_COMPLEMENTARY) {
        return;
    }
    cli_print("\nGains: tilt kP %.4g /s, kI %.4g /s^2; heading kP %.4g /s, kI %.4g /s^2.\n", 1 / tilt,
              1 / (twice * tilt * twice * tilt), 1 / heading, 1 / (twice * heading * twice * heading));
    cli_print(
        "A filter of one line, angle = a (angle + rate dt) + (1 - a) accelerometer, has this tilt_time with\n"
        "a = tilt_time / (tilt_time + dt): %.5f at 50 Hz, %.5f at 100 Hz, %.5f at 200 Hz.\n",
        tilt / (tilt + 0.02), tilt / (tilt + 0.01), tilt / (tilt + 0.005));
}

static int print_table(const marl_named_tuning *t)
{
    static const char *const title[MARL_GROUP_COUNT] = {
        [MARL_GROUP_PARAMETERS] = "",
        [MARL_GROUP_WEIGHTING] = "\nweighting: how readings that disturbances spoil lose weight\n"};
    cli_print("%s: filter %s, world %s\n", t->name, marl_filter_name(t->tuning.filter),
              marl_world_name(t->tuning.world));
    if (t->about[0] != '\0') {
        cli_print("%s\n", t->about);
    }
    cli_print("\n  %-16s %8s %8s  %s\n", "parameter", "value", "default", "meaning; range and unit");
    for (int group = 0; group < MARL_GROUP_COUNT; group++) {
        int titled = 0;
        for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
            if (is_used(t, i) && (int)marl_parameter_row((marl_parameter_id)i)->group == group) {
                fputs(titled ? "" : title[group], stdout);
                titled = 1;
                print_parameter(t, i);
            }
        }
    }
    print_gains(&t->tuning);
    return cli_print_done();
}

static int tuning(const cli *c, const options *o)
{
    marl_error error = {0};
    marl_named_tuning t;
    marl_sheet sheet;
    marl_status status = o->sheet != NULL ? marl_sheet_read(&sheet, o->sheet, &error) : MARL_OK;
    status = status != MARL_OK ? status
                               : marl_tuning_read(&t, c->file[0], o->sheet != NULL ? &sheet : NULL, &error);
    if (status == MARL_OK && o->out != NULL) {
        name_after_file(&t, o->out);
        status = marl_tuning_write(&t, o->out, &error);
    }
    if (status != MARL_OK) {
        return cli_exit(&error);
    }
    if (c->json) {
        return print_json(&t);
    }
    int code = c->quiet ? CLI_DONE : print_table(&t);
    if (code == CLI_DONE && o->out != NULL && !c->quiet) {
        cli_print("\nwritten, complete: %s\n", o->out);
        code = cli_print_done();
    }
    return code;
}

int cli_tuning(int argc, const char **argv)
{
    options o = {0};
    cli c;
    const struct poptOption table[] = {
        {"sheet", '\0', POPT_ARG_STRING, &o.sheet, CLI_READS,
         "the defaults that follow from this sensor sheet", "F"},
        {NULL, 'o', POPT_ARG_STRING, &o.out, CLI_WRITES, "write a complete tuning file to start from", "T"},
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "FILTER|FILE[:NAME=VALUE,...]",
        CLI_TUNING,
        1,
        1,
        "Prints every parameter of a tuning with value, default, unit, range and meaning; '*' marks\n"
        "what is not the default. Filters: gyro, vectors, complementary, gradient-descent, kalman.",
        "tuning complementary:tilt_time=0.5 -o half.json"};
    int code = cli_open(&c, argc, argv, table, &usage);
    code = code == CLI_GO ? tuning(&c, &o) : code;
    cli_close(&c);
    return code;
}
