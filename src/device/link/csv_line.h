/* SPDX-License-Identifier: MIT
 * Log lines as text, for reading on a terminal: the same columns as a log file (docs/formats.md), with
 * a fixed number of decimals, made without stdio. Packets (telemetry.h) carry more and are checked; these are
 * not. */
#ifndef MARL_CSV_LINE_H
#define MARL_CSV_LINE_H

#include "marlinspike/quat.h"
#include "marlinspike/sample.h"
#include <stddef.h>

enum { MARL_CSV_LINE_MAX = 320 };

/* `sensors` (MARL_FRESH_...) and `with_q` select the columns. Both return the length; the text ends
 * with
 * "\n" and a NUL. Decimals: t 9, accel 5, gyro 6, mag 4, temp 3, speed 4, q 7. Readings that are not fresh,
 * not finite or beyond what is plausible are left empty. */
size_t marl_csv_line_header(char line[MARL_CSV_LINE_MAX], uint8_t sensors, int with_q);
size_t marl_csv_line_row(char line[MARL_CSV_LINE_MAX], uint8_t sensors, int with_q, const marl_sample *sample,
                         const marl_quat *q);

#endif
