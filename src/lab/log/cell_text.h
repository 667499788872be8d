/* SPDX-License-Identifier: MIT
 * What stands in the cells of other people's files beside plain numbers: labels before them, and dates. */
#ifndef LAB_CELL_TEXT_H
#define LAB_CELL_TEXT_H

#include <stdint.h>

/* Behind "LABEL=" or "LABEL:", a word that begins with a letter, and the blanks there; `p` itself where there is none.
 * `end` is behind the cell. */
const char *lab_skip_label(const char *p, const char *end);

/* A date and time by ISO 8601, "2026-11-03T12:00:00.25Z", with a blank for the T and any offset from UTC, or a time of
 * day alone, as ns since 1970 or midnight. Without an offset UTC is assumed. Returns 0 when the cell is none. */
int lab_date_read(const char *p, const char *end, int64_t *ns);

#endif
