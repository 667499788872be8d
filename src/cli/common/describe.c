/* SPDX-License-Identifier: MIT
 * Manual pages (man(7)) and words for completion, of the tables of options. */
#include "cli/common/describe.h"
#include <ctype.h>
#include <stdio.h>
#include <string.h>

void cli_print_man_text(const char *text)
{
    int at_start = 1;
    for (; *text != '\0'; text++) {
        if (at_start && (*text == '.' || *text == '\'')) {
            printf("\\&");
        }
        at_start = *text == '\n';
        if (*text == '\\') {
            printf("\\e");
        } else if (*text == '-') {
            printf("\\-");
        } else {
            putchar(*text);
        }
    }
}

void cli_print_man_title(const char *page)
{
    printf(".TH ");
    for (const char *c = page; *c != '\0'; c++) {
        putchar(toupper((unsigned char)*c));
    }
    printf(" 1 \"\" \"marlinspike %s\" \"User Commands\"\n", marl_version());
}

static void print_option(const struct poptOption *o)
{
    int has_value = (o->argInfo & POPT_ARG_MASK) != POPT_ARG_NONE;
    printf(".TP\n");
    if (o->shortName != '\0') {
        printf("\\fB\\-%c\\fR%s", o->shortName, o->longName != NULL ? ", " : "");
    }
    if (o->longName != NULL) {
        printf("\\fB\\-\\-");
        cli_print_man_text(o->longName);
        printf("\\fR");
    }
    if (has_value && o->argDescrip != NULL) {
        printf(" \\fI");
        cli_print_man_text(o->argDescrip);
        printf("\\fR");
    }
    printf("\n");
    cli_print_man_text(o->descrip != NULL ? o->descrip : "");
    printf("\n");
}

static void print_options(const struct poptOption *table)
{
    for (const struct poptOption *o = table; o->longName != NULL || o->shortName != '\0'; o++) {
        print_option(o);
    }
}

/* Up to the end of the first sentence, in one line. */
static void print_first_sentence(const char *about)
{
    for (const char *c = about;
         *c != '\0' && !(c[0] == '.' && (c[1] == '\0' || isspace((unsigned char)c[1]))); c++) {
        const char one[2] = {*c == '\n' ? ' ' : c == about ? (char)tolower((unsigned char)*c) : *c, '\0'};
        cli_print_man_text(one);
    }
}

static void print_man(const char *command, const struct poptOption *own, const struct poptOption *common,
                      const cli_usage *usage)
{
    char page[80];
    snprintf(page, sizeof page, "marlinspike-%.60s", command);
    cli_print_man_title(page);
    printf(".SH NAME\nmarlinspike\\-%s \\- ", command);
    print_first_sentence(usage->about);
    printf("\n.SH SYNOPSIS\n\\fBmarlinspike %s\\fR [\\fIoptions\\fR] ", command);
    cli_print_man_text(usage->files);
    printf("\n.SH DESCRIPTION\n.nf\n");
    cli_print_man_text(usage->about);
    printf("\n.fi\n.SH OPTIONS\n");
    print_options(own);
    print_options(common);
    printf(".SH EXAMPLE\nmarlinspike ");
    cli_print_man_text(usage->example);
    printf("\n.SH \"SEE ALSO\"\n\\fBmarlinspike\\fR(1)\n");
}

/* What stands behind an option, for completion. */
static const char *value_of(const struct poptOption *o)
{
    if ((o->argInfo & POPT_ARG_MASK) == POPT_ARG_NONE) {
        return "none";
    }
    switch (o->val) {
    case CLI_READS:
    case CLI_CALIBRATION:
    case CLI_UPDATES:
    case CLI_WRITES:
    case CLI_WRITES_ROWS:
        return "file";
    case CLI_TUNING:
        return "tuning";
    case CLI_SOURCE:
    case CLI_BOARD:
        return "source";
    default:
        return "text";
    }
}

static void print_words(const struct poptOption *table)
{
    for (const struct poptOption *o = table; o->longName != NULL || o->shortName != '\0'; o++) {
        char short_name[3] = {'-', o->shortName, '\0'};
        printf("%s%s %s\n", o->longName != NULL ? "--" : "", o->longName != NULL ? o->longName : short_name,
               value_of(o));
    }
}

int cli_describe(int argc, const char **argv, const struct poptOption *own, const struct poptOption *common,
                 const cli_usage *usage)
{
    if (argc != 2) {
        return 0;
    }
    if (strcmp(argv[1], "--as-man") == 0) {
        print_man(argv[0], own, common, usage);
        return 1;
    }
    if (strcmp(argv[1], "--as-words") == 0) {
        print_words(own);
        print_words(common);
        return 1;
    }
    return 0;
}
