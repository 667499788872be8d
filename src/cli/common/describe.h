/* SPDX-License-Identifier: MIT
 * A command as it describes itself: manual pages and completion are made of its table of options. */
#ifndef CLI_DESCRIBE_H
#define CLI_DESCRIBE_H

#include "cli/common/cli.h"

/* 1 when the only argument asks for a description ("--as-man", "--as-words"); it is then printed. */
int cli_describe(int argc, const char **argv, const struct poptOption *own, const struct poptOption *common,
                 const cli_usage *usage);
/* A text in a manual page: nothing in it is a command of its language. */
void cli_print_man_text(const char *text);
/* The line that begins a manual page. */
void cli_print_man_title(const char *page);

#endif
