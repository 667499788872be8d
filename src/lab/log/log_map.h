/* SPDX-License-Identifier: MIT
 * Finding the rows of a file from elsewhere, and which of its columns are what. */
#ifndef LAB_LOG_MAP_H
#define LAB_LOG_MAP_H

#include "lab/log/log_lines.h"
#include "lab/log/log_scan.h"
#include "marlinspike/log.h"

/* Lines of words that may stand before the rows. */
#define LAB_PREAMBLE_MAX 200

/* The delimiter of a line from elsewhere: , ; tab | or, without any of them, ' ' for blanks. */
char lab_delimiter_of_any(const char *line, size_t n, char point);

/* Makes of runs of blanks one tab each, in place; what is left over at the end becomes blanks. Returns the
 * new length. Blanks in quotes stay. */
size_t lab_join_blanks(char *line, size_t n);

/* Strips BOM, CR and a comment mark, which may stand before names, from a possible header line. */
char *lab_open_line(lab_lines *lines, const char *line, size_t *n);

/* The number in a cell; NaN when it holds none, or more than one. */
double lab_cell_number(const char *cell, char point);

/* Splits a line into scanner->csv, whatever its delimiter; on the way scanner->delimiter is set. 0 when it is
 * not CSV. The line is changed as by lab_join_blanks when it is divided by blanks. */
int lab_split_any(lab_scanner *scanner, char *line, size_t *n, int *blanks);

/* Reads up to the first row, which is left in `lines`, and lays the columns out by the map. h->where is the
 * path. */
MARL_CHECKED marl_status lab_map_find_rows(lab_scanner *scanner, lab_lines *lines, const marl_column_map *map,
                                           const lab_header *h, int *blanks);

#endif
