/* SPDX-License-Identifier: MIT
 * A study that has run, as JSON, in sentences and as a page: what compare and search share. */
#ifndef CLI_STUDY_SHOW_H
#define CLI_STUDY_SHOW_H

#include "cli/common/cli.h"

json_t *cli_study_object(const marl_study *study);
/* The columns of the measures beside the errors, for the page. */
json_t *cli_study_measures(void);
/* The first of the ranking, and the others against it, in sentences. */
void cli_study_verdict(const marl_study *study, char *text, size_t size);
/* The data of the report page; traces of the first few logs, tables of all. `body` is what turns: "board" or "hook-block";
 * `path` is the page's, for messages. NULL with the reason in *error. */
json_t *cli_study_page_object(const marl_study *study, const char *body, const char *path, marl_error *error);
MARL_CHECKED marl_status cli_study_page(const marl_study *study, const char *body, const char *path,
                                        marl_error *error);

#endif
