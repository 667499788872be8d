/* SPDX-License-Identifier: MIT
 * A study as the compare command shows it. */
#ifndef CLI_COMPARE_H
#define CLI_COMPARE_H

#include "cli/common/cli.h"

json_t *cli_compare_object(const marl_study *study);
/* The columns of the measures beside the errors, for the page. */
json_t *cli_compare_measures(void);
int cli_compare_table(const marl_study *study, const char *figure);
/* The first of the ranking, and the others against it, in sentences. */
void cli_compare_verdict(const marl_study *study, char *text, size_t size);
/* The report page; traces of the first few logs, tables of all. `body` is what turns: "board" or "hook-block". */
MARL_CHECKED marl_status cli_compare_page(const marl_study *study, const char *body, const char *path,
                                          marl_error *error);

#endif
