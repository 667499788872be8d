/* SPDX-License-Identifier: MIT
 * Cells of equal area on the sphere. */
#include "lab/maths/sphere_grid.h"
#include <math.h>

#define TURN 6.283185307179586

static const struct {
    int cells, bands;
    int in_band[8]; /* from south to north */
} grids[] = {
    [LAB_GRID_60] = {60, 7, {3, 9, 12, 12, 12, 9, 3}},
    [LAB_GRID_26] = {26, 5, {1, 6, 12, 6, 1}},
};

int lab_grid_cells(lab_grid grid)
{
    return grids[grid].cells;
}

/* The area between two parallels goes with the difference of their heights, so heights are cut like cells. */
int lab_grid_cell(lab_grid grid, const double v[3])
{
    const int *in_band = grids[grid].in_band;
    double n = sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]);
    double below = 0.5 * (v[2] / n + 1) * grids[grid].cells; /* cells of the sphere below this height */
    int first = 0, band = 0;
    while (band + 1 < grids[grid].bands && below >= first + in_band[band]) {
        first += in_band[band++];
    }
    double around = atan2(v[1], v[0]) / TURN;
    int place = (int)((around < 0 ? around + 1 : around) * in_band[band]);
    return first + (place < in_band[band] ? place : in_band[band] - 1);
}

void lab_grid_middle(lab_grid grid, int cell, double v[3])
{
    const int *in_band = grids[grid].in_band;
    int first = 0, band = 0;
    while (cell >= first + in_band[band]) {
        first += in_band[band++];
    }
    double height = (2.0 * first + in_band[band]) / grids[grid].cells - 1;
    double radius = sqrt(fmax(0, 1 - height * height)), around = TURN * (cell - first + 0.5) / in_band[band];
    v[0] = in_band[band] == 1 ? 0 : radius * cos(around);
    v[1] = in_band[band] == 1 ? 0 : radius * sin(around);
    v[2] = in_band[band] == 1 ? (height > 0 ? 1 : -1) : height;
}
