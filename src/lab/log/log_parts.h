/* SPDX-License-Identifier: MIT
 * A file whose rows are of several sensors, by their labels: read once for each label and merged by time, so that it does
 * not matter in which order the sensors' rows were written. Rows of one moment become one. */
#ifndef LAB_LOG_PARTS_H
#define LAB_LOG_PARTS_H

#include "marlinspike/log.h"

typedef struct lab_parts lab_parts;

/* 1 when the map needs it. */
int lab_parts_are_needed(const marl_column_map *map);

/* info->columns becomes those of all parts, and *report what was assumed of their units. MARL_ERR_INPUT for what comes
 * through a pipe, which cannot be read twice. On failure *parts is NULL. */
MARL_CHECKED marl_status lab_parts_open(lab_parts **parts, const char *path, const marl_log_options *options,
                                        marl_log_info *info, marl_log_report *report, marl_error *error);
/* The next row; *report counts on, with its ranges left alone. MARL_END after the last. */
MARL_CHECKED marl_status lab_parts_next(lab_parts *parts, marl_log_row *row, marl_log_report *report,
                                        marl_error *error);
void lab_parts_close(lab_parts *parts); /* NULL is allowed */

#endif
