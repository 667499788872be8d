/* SPDX-License-Identifier: MIT
 * What a report page needs to compute a study anew: docs/formats.md, "report page". */
#ifndef CLI_STUDY_COMPUTE_H
#define CLI_STUDY_COMPUTE_H

#include "cli/common/cli.h"

/* The log and its reference, packed, and how they are replayed; null where the log is too long for a page, NULL without
 * memory. */
json_t *cli_compute_case(const marl_study *study, const marl_study_case *it);
/* The tuning of a run. */
json_t *cli_compute_slot(const marl_study *study, const marl_run *run);
/* For each filter its name, its defaults from the sheet (NULL: none), and from where to where a slider of a parameter goes. */
json_t *cli_compute_filters(const marl_sheet *sheet);
/* The words of a command line that compares the same logs, as a list; tunings are to be added. */
json_t *cli_compute_command(const marl_study *study);

#endif
