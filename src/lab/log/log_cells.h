/* SPDX-License-Identifier: MIT
 * From cells to readings: which sensors a row holds. */
#ifndef LAB_LOG_CELLS_H
#define LAB_LOG_CELLS_H

#include "marlinspike/log.h"

/* What the cells of one row hold, in SI. */
typedef struct lab_cells {
    double value[MARL_COLUMN_COUNT];
    int64_t t_ns;       /* the sum of the parts of the time, */
    int time_parts;     /* of which there are so many */
    unsigned good, bad; /* sets of columns; neither = empty */
    char turns
        [4]; /* of a column map: the axes of roll, pitch and yaw, which then are the first, second and third turn */
} lab_cells;

/* The fresh flags of a row in which no cell is empty or bad. */
uint8_t lab_cells_all_fresh(unsigned columns);

/* Fills *row but for its time. `columns` are those of the log. Returns the set of cells that are missing: bad
 * ones, and empty ones where others of the same sensor are filled. */
unsigned lab_cells_to_row(const lab_cells *cells, unsigned columns, uint8_t all_fresh, marl_log_row *row);

/* Readings of a slow sensor that is written with every row: fresh only where one of its columns changes. */
typedef struct lab_changes {
    unsigned set; /* of columns */
    double last[MARL_COLUMN_COUNT];
} lab_changes;

void lab_changes_init(lab_changes *changes, unsigned set);
/* Takes readings out that only repeat the ones before. */
void lab_changes_keep(lab_changes *changes, lab_cells *cells);

#endif
