/* SPDX-License-Identifier: MIT
 * Files of JSON objects, one a row, as rows of CSV. */
#ifndef LAB_JSON_ROWS_H
#define LAB_JSON_ROWS_H

#include "marlinspike/error.h"

/* Where the file holds one JSON object a line, an array of objects, or an object with such an array in it: a new file without
 * a name that holds them as CSV, from its beginning. The header has the keys, those of objects within objects joined by an
 * underline, and x, y, z for an array of three; the keys are those of the first thousand rows. A line that is no object is
 * an empty row. *csv stays -1 where the file holds something else. MARL_ERR_SYSTEM without memory or room. */
MARL_CHECKED marl_status lab_json_rows(const char *path, int *csv, marl_error *error);

#endif
