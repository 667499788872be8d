/* SPDX-License-Identifier: MIT
 * Cells of equal area on the sphere: bands between parallels, each cut into as many cells as its area holds.
 * Which of them hold a direction is the coverage of a recording. */
#ifndef LAB_SPHERE_GRID_H
#define LAB_SPHERE_GRID_H

#include <stdint.h>

enum { LAB_GRID_MAX = 64 };

/* The two grids: 60 cells (bands of 3 9 12 12 12 9 3) for tumbles, 26 (1 6 12 6 1) for poses. */
typedef enum lab_grid { LAB_GRID_60, LAB_GRID_26 } lab_grid;

int lab_grid_cells(lab_grid grid);
/* The cell of a direction; its length does not matter but must not be 0. */
int lab_grid_cell(lab_grid grid, const double direction[3]);
/* The unit vector to the middle of a cell. */
void lab_grid_middle(lab_grid grid, int cell, double direction[3]);

#endif
