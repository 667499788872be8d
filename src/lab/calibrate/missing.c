/* SPDX-License-Identifier: MIT
 * Directions that a recording lacks. */
#include "lab/maths/sphere_grid.h"
#include "marlinspike/calibrate.h"

size_t marl_missing_directions(const double (*v)[3], size_t n, marl_sensor sensor,
                               double missing[MARL_DIRECTIONS_MAX][3])
{
    lab_grid grid = sensor == MARL_MAG ? LAB_GRID_60 : LAB_GRID_26;
    unsigned char seen[LAB_GRID_MAX] = {0};
    size_t count = 0;
    for (size_t i = 0; i < n; i++) {
        if (v[i][0] * v[i][0] + v[i][1] * v[i][1] + v[i][2] * v[i][2] > 0) {
            seen[lab_grid_cell(grid, v[i])] = 1;
        }
    }
    for (int cell = 0; cell < lab_grid_cells(grid); cell++) {
        if (!seen[cell]) {
            lab_grid_middle(grid, cell, missing[count++]);
        }
    }
    return count;
}
