/* SPDX-License-Identifier: MIT
 * Options, messages and exit codes. */
#include "cli/common/cli.h"
#include "cli/common/describe.h"
#include "cli/common/paths.h"
#include <math.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

int cli_exit(const marl_error *error)
{
    if (error->status != MARL_OK) {
        cli_message("%s", error->text);
    }
    switch (error->status) {
    case MARL_OK:
        return CLI_DONE;
    case MARL_ERR_USE:
    case MARL_ERR_ARGUMENT:
        return CLI_WRONG_USE;
    case MARL_ERR_INSUFFICIENT:
        return CLI_INSUFFICIENT;
    case MARL_ERR_SYSTEM:
        return CLI_MACHINE;
    default:
        return CLI_INPUT;
    }
}

static int wrong_use(const char *command, const char *format, const char *what, const char *why)
{
    fprintf(stderr, format, command, what, why);
    fprintf(stderr, "; see marlinspike %s --help\n", command);
    return CLI_WRONG_USE;
}

static int print_help(cli *c, const cli_usage *usage)
{
    poptPrintHelp(c->context, stdout, 0);
    cli_print("\n%s\n\nExample: marlinspike %s\n", usage->about, usage->example);
    return cli_print_done();
}

enum { OPTIONS_MAX = 40 };

/* Called for every option: popt leaves one out without an error when it finds no memory for its text. */
static void check_memory(poptContext context, enum poptCallbackReason reason, const struct poptOption *o,
                         const char *text, const void *no_memory)
{
    unsigned kind = o->argInfo & POPT_ARG_MASK;
    (void)context;
    (void)reason;
    if (kind != POPT_ARG_NONE) {
        *(int *)no_memory |= text == NULL || (kind == POPT_ARG_STRING && *(char **)o->arg == NULL) ||
                             (kind == POPT_ARG_ARGV && *(char ***)o->arg == NULL);
    }
}

/* popt calls back for the options of a table alone in which the call stands. */
static void watch_options(struct poptOption *watched, const struct poptOption *own, int *no_memory)
{
    union {
        poptCallbackType call;
        void *data;
    } check = {.call = check_memory};
    *watched++ =
        (struct poptOption){NULL, '\0', POPT_ARG_CALLBACK, check.data, 0, (const char *)no_memory, NULL};
    for (int i = 0; i < OPTIONS_MAX && (own[i].longName != NULL || own[i].shortName != '\0'); i++) {
        *watched++ = own[i];
    }
    *watched = (struct poptOption)POPT_TABLEEND;
}

/* The option of these tables that `given`, with its dashes, is nearest to. */
static const char *nearest_option(const char *given, const struct poptOption *own,
                                  const struct poptOption *common)
{
    const struct poptOption *tables[2] = {own, common};
    marl_nearest_word nearest = {.given = given + strspn(given, "-")};
    for (int t = 0; t < 2; t++) {
        for (const struct poptOption *o = tables[t]; o->longName != NULL || o->shortName != '\0'; o++) {
            if (o->longName != NULL) {
                marl_nearest(&nearest, o->longName);
            }
        }
    }
    return nearest.found;
}

int cli_open(cli *c, int argc, const char **argv, const struct poptOption *own, const cli_usage *usage)
{
    int help = 0, no_memory = 0, result;
    char line[128];
    struct poptOption watched[OPTIONS_MAX + 2];
    *c = (cli){.own = own};
    watch_options(watched, own, &no_memory);
    struct poptOption common[] = {
        {"help", 'h', POPT_ARG_NONE, &help, 0, "print this", NULL},
        {"json", '\0', POPT_ARG_NONE, &c->json, 0, "one JSON object on stdout, nothing else there", NULL},
        {"quiet", '\0', POPT_ARG_NONE, &c->quiet, 0, "print neither table nor warnings", NULL},
        POPT_TABLEEND,
    };
    struct poptOption table[] = {
        {NULL, '\0', POPT_ARG_INCLUDE_TABLE, watched, 0, "Options", NULL},
        {NULL, '\0', POPT_ARG_INCLUDE_TABLE, common, 0, "Everywhere", NULL},
        POPT_TABLEEND,
    };
    if (cli_describe(argc, argv, own, common, usage)) {
        return cli_print_done();
    }
    snprintf(c->name, sizeof c->name, "marlinspike %s", argv[0]);
    snprintf(line, sizeof line, "[options]%s%s", usage->files[0] ? " " : "", usage->files);
    c->words = malloc(((size_t)argc + 1) * sizeof *c->words);
    if (c->words == NULL) {
        cli_message("no memory");
        return CLI_MACHINE;
    }
    memcpy(c->words, argv, ((size_t)argc + 1) * sizeof *c->words);
    c->words[0] = c->name;
    c->context = poptGetContext(NULL, argc, c->words, table, 0);
    if (c->context == NULL) {
        cli_message("no memory");
        return CLI_MACHINE;
    }
    poptSetOtherOptionHelp(c->context, line);
    result = poptGetNextOpt(c->context);
    if (result < -1) {
        const char *given = poptBadOption(c->context, POPT_BADOPTION_NOALIAS);
        const char *meant = result == POPT_ERROR_BADOPT ? nearest_option(given, own, common) : NULL;
        char why[100];
        snprintf(why, sizeof why, meant != NULL ? "%s (--%.40s?)" : "%s", poptStrerror(result), meant);
        return wrong_use(argv[0], "%s: %s: %s", given, why);
    }
    if (help) {
        return print_help(c, usage);
    }
    if (no_memory) {
        cli_message("no memory");
        return CLI_MACHINE;
    }
    c->file = (const char *const *)poptGetArgs(c->context);
    while (c->file != NULL && c->file[c->files] != NULL) {
        c->files++;
    }
    if (c->files < usage->min || c->files > usage->max) {
        return wrong_use(argv[0], "%s: %s: %s", c->files < usage->min ? "missing" : "too many arguments",
                         usage->files);
    }
    marl_error error = {0};
    return paths_check(c, usage->first, &error) == MARL_OK ? CLI_GO : cli_exit(&error);
}

void cli_close(cli *c)
{
    for (const struct poptOption *o = c->own; o->longName != NULL || o->shortName != '\0'; o++) {
        unsigned kind = o->argInfo & POPT_ARG_MASK;
        if (kind == POPT_ARG_STRING) {
            free(*(char **)o->arg);
        } else if (kind == POPT_ARG_ARGV && *(char ***)o->arg != NULL) {
            for (char **text = *(char ***)o->arg; *text != NULL; text++) {
                free(*text);
            }
            free(*(char ***)o->arg);
        }
    }
    poptFreeContext(c->context);
    free(c->words);
}

/* One end of --window; nothing when it is left out. Returns 0 when it is no time. */
static int read_window_end(const char *text, size_t n, int *has, int64_t *t_ns)
{
    char copy[40], *end;
    *has = n > 0;
    if (n == 0) {
        return 1;
    }
    snprintf(copy, sizeof copy, "%.*s", n < sizeof copy ? (int)n : 0, text);
    double seconds = strtod(copy, &end);
    if (copy[0] == '\0' || *end != '\0' || !(fabs(seconds) < 9e9)) {
        return 0;
    }
    *t_ns = llround(1e9 * seconds);
    return 1;
}

static marl_status read_window(marl_log_window *w, const char *text, marl_error *error)
{
    const char *colon = strchr(text, ':');
    if (colon == NULL || !read_window_end(text, (size_t)(colon - text), &w->has_from, &w->from_ns) ||
        !read_window_end(colon + 1, strlen(colon + 1), &w->has_to, &w->to_ns) ||
        (w->has_from && w->has_to && w->from_ns >= w->to_ns)) {
        return marl_fail(error, MARL_ERR_USE, "--window is FROM:TO in seconds, and not '%s'", text);
    }
    return MARL_OK;
}

marl_status cli_reading_prepare(cli_reading *reading, int files, marl_error *error)
{
    if (reading->window != NULL) {
        MARL_TRY(read_window(&reading->options.window, reading->window, error));
    }
    if (reading->decimal != NULL) {
        if (strcmp(reading->decimal, ".") != 0 && strcmp(reading->decimal, ",") != 0) {
            return marl_fail(error, MARL_ERR_USE, "--decimal is . or , and not '%s'", reading->decimal);
        }
        reading->options.decimal = reading->decimal[0];
    }
    for (char **text = reading->columns; text != NULL && *text != NULL; text++) {
        if (reading->maps == CLI_MAPS_MAX) {
            return marl_fail(error, MARL_ERR_USE, "--columns: at most %d", CLI_MAPS_MAX);
        }
        MARL_TRY(marl_column_map_read(&reading->map[reading->maps++], *text, error));
    }
    if (reading->maps > 1 && reading->maps > files) {
        return marl_fail(error, MARL_ERR_USE, "--columns: %d maps for %d log%s", reading->maps, files,
                         files == 1 ? "" : "s");
    }
    reading->options.columns = reading->maps > 0 ? &reading->map[0] : NULL;
    reading->options.calibrated = reading->calibrated;
    if (reading->sheet != NULL) {
        MARL_TRY(marl_sheet_read(&reading->sheet_read, reading->sheet, error));
        reading->options.sheet = &reading->sheet_read;
    }
    return MARL_OK;
}

void cli_meant(const marl_nearest_word *nearest, char *text, size_t size)
{
    text[0] = '\0';
    if (nearest->found != NULL) {
        snprintf(text, size, " (%.60s?)", nearest->found);
    }
}

marl_status cli_unknown_scene(const char *scene, marl_error *error)
{
    char known[200] = "", meant[80];
    marl_nearest_word nearest = {.given = scene};
    for (int i = 0; i < MARL_SCENE_COUNT; i++) {
        marl_list_append(known, sizeof known, marl_scene_name((marl_scene_kind)i));
        marl_nearest(&nearest, marl_scene_name((marl_scene_kind)i));
    }
    cli_meant(&nearest, meant, sizeof meant);
    return marl_fail(error, MARL_ERR_USE, "unknown scene '%s'%s; known: %s", scene, meant, known);
}
