/* SPDX-License-Identifier: MIT
 * A study as the compare command shows it. */
#ifndef CLI_COMPARE_H
#define CLI_COMPARE_H

#include "cli/common/study_show.h"

/* The order of the tunings, and what it holds for; nothing for a single one. */
void cli_compare_ranking(const marl_study *study);
/* The ranking, then the errors of each log. */
int cli_compare_table(const marl_study *study, const char *figure);

/* For both: the name of a run at the width of its column; a number, "-" for none, with fewer decimals where it is too
 * wide; "total" or "tilt", by which tunings are ranked. */
void cli_compare_name(const marl_study *study, const marl_run *r);
void cli_compare_cell(int width, int decimals, double value);
const char *cli_compare_by(const marl_study *study);

#endif
