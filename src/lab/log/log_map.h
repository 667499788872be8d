/* SPDX-License-Identifier: MIT
 * Finding the rows of a file from elsewhere, and which of its columns are what. */
#ifndef LAB_LOG_MAP_H
#define LAB_LOG_MAP_H

#include "lab/log/log_lines.h"
#include "lab/log/log_scan.h"
#include "marlinspike/log.h"

/* The map from its text; `fault` is what a text that cannot be understood is. */
MARL_CHECKED marl_status lab_column_map_parse(marl_column_map *map, const char *text, marl_status fault,
                                              marl_error *error);

/* Lines of words that may stand before the rows. */
#define LAB_PREAMBLE_MAX 200
/* Lines among which the first one of a sensor's label must be. */
#define LAB_LABEL_WITHIN 20000

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

/* The cells of the last line before the rows, for the units in their brackets; and the most of the map's names that a
 * line had. */
typedef struct lab_heading {
    size_t n, best;
    char cell[LAB_LOG_MAX_COLUMNS][MARL_NAME_MAX];
} lab_heading;

/* The name of a cell, with its unit in brackets, round or square, cut off. */
char *lab_map_name_of(char *cell, char **unit);
/* How many cells have the name; *at is the last of them. */
int lab_map_find_name(const lab_csv_row *csv, const char *name, size_t *at);

/* What a line is to a map: nothing, the line of its names, or the first row where it has numbers only. */
typedef enum lab_map_line { LAB_MAP_NONE, LAB_MAP_NAMES, LAB_MAP_ROW } lab_map_line;

/* Splits the line, as lab_split_any does; `names` starts zeroed. */
lab_map_line lab_map_try(lab_scanner *scanner, char *text, size_t *n, const marl_column_map *map,
                         lab_heading *names, int *blanks);
/* The columns by the map, once a line was found. */
MARL_CHECKED marl_status lab_map_lay_out(lab_scanner *scanner, const marl_column_map *map, lab_heading *names,
                                         const lab_header *h);

/* Reads up to the first row, which is left in `lines`, and lays the columns out by the map. h->where is the
 * path. */
MARL_CHECKED marl_status lab_map_find_rows(lab_scanner *scanner, lab_lines *lines, const marl_column_map *map,
                                           const lab_header *h, int *blanks);

#endif
