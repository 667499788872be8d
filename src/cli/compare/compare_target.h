/* SPDX-License-Identifier: MIT
 * compare --target: what each tuning costs on the target, and the cheapest that is good enough. */
#ifndef CLI_COMPARE_TARGET_H
#define CLI_COMPARE_TARGET_H

#include "cli/common/study_show.h"

/* `at_most_deg` NaN: no limit is given. */
void cli_compare_target_print(const marl_study *study, double at_most_deg);
json_t *cli_compare_target_json(const marl_study *study, double at_most_deg);

#endif
