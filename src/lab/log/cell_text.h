/* SPDX-License-Identifier: MIT
 * What stands in the cells of other people's files beside plain numbers: labels before them, and dates. */
#ifndef LAB_CELL_TEXT_H
#define LAB_CELL_TEXT_H

#include <stddef.h>
#include <stdint.h>

/* Behind "LABEL=" or "LABEL:", a word that begins with a letter, and the blanks there; `p` itself where there is none.
 * `end` is behind the cell. */
const char *lab_skip_label(const char *p, const char *end);
/* Numbers in brackets, as programs print vectors, `0.01 (0.1, 0.2, 9.8) [1 2 3]`, become cells divided by blanks. A line
 * without stays. */
void lab_open_lists(char *line, size_t n);

/* A date and time by ISO 8601, "2026-11-03T12:00:00.25Z" or "20261103T120000", with a blank for the T and any offset from
 * UTC; the same with "03.11.2026" for the day, " AM" or " PM" behind the time (then also "11/03/2026"), or ":250" for its
 * milliseconds. A day, or a time of day, may stand alone. As ns since 1970 or midnight; without an offset UTC is assumed.
 * Returns 0 when the cell is none: 03/11/2026 may be two days. */
int lab_date_read(const char *p, const char *end, int64_t *ns);

#endif
