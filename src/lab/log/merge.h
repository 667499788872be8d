/* SPDX-License-Identifier: MIT
 * Two rows of one moment, and what was found wrong in two logs. */
#ifndef LAB_MERGE_H
#define LAB_MERGE_H

#include "marlinspike/log.h"

/* Adds the readings of another row. */
void lab_row_join(marl_log_row *row, const marl_log_row *other);
/* Adds the counts; lines are left alone. */
void lab_report_add(const marl_log_report *other, marl_log_report *sum);

#endif
