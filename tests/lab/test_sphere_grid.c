/* SPDX-License-Identifier: MIT */
#include "check_main.h"
#include "lab/maths/sphere_grid.h"
#include "random_values.h"

/* Even directions fall evenly: each cell has the share 1/n, within five deviations. */
START_TEST(cells_are_of_equal_area)
{
    enum { N = 600000 };
    dice d = {1};
    for (int g = LAB_GRID_60; g <= LAB_GRID_26; g++) {
        int n = lab_grid_cells((lab_grid)g), count[LAB_GRID_MAX] = {0};
        for (int i = 0; i < N; i++) {
            const double v[3] = {dice_normal(&d), dice_normal(&d), dice_normal(&d)};
            count[lab_grid_cell((lab_grid)g, v)]++;
        }
        double wanted = (double)N / n;
        for (int i = 0; i < n; i++) {
            ck_assert_double_eq_tol(count[i], wanted, 5.5 * sqrt(wanted) + 0.01 * wanted);
        }
    }
}
END_TEST

START_TEST(the_middle_of_a_cell_lies_in_it)
{
    for (int g = LAB_GRID_60; g <= LAB_GRID_26; g++) {
        for (int i = 0; i < lab_grid_cells((lab_grid)g); i++) {
            double v[3];
            lab_grid_middle((lab_grid)g, i, v);
            ck_assert_double_eq_tol(v[0] * v[0] + v[1] * v[1] + v[2] * v[2], 1, 1e-12);
            ck_assert_int_eq(lab_grid_cell((lab_grid)g, v), i);
        }
    }
}
END_TEST

START_TEST(poles_and_seams_have_a_cell)
{
    static const double v[][3] = {{0, 0, 1},    {0, 0, -1},      {1, 0, 0},     {-1, -0.0, 0},
                                  {-1, 0.0, 0}, {1, -1e-300, 0}, {0, 0, 1e-200}};
    for (int g = LAB_GRID_60; g <= LAB_GRID_26; g++) {
        for (size_t i = 0; i < sizeof v / sizeof v[0]; i++) {
            int cell = lab_grid_cell((lab_grid)g, v[i]);
            ck_assert(cell >= 0 && cell < lab_grid_cells((lab_grid)g));
        }
    }
}
END_TEST

MARL_SUITE("sphere_grid", cells_are_of_equal_area, the_middle_of_a_cell_lies_in_it,
           poles_and_seams_have_a_cell)
