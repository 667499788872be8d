/* SPDX-License-Identifier: MIT
 * A study as the compare command shows it. */
#ifndef CLI_COMPARE_H
#define CLI_COMPARE_H

#include "cli/common/study_show.h"

int cli_compare_table(const marl_study *study, const char *figure);

#endif
