/* SPDX-License-Identifier: MIT
 * Numbers for the report page: thinned for the eye, never used to compute with. */
#ifndef CLI_PAGE_DATA_H
#define CLI_PAGE_DATA_H

#include "cli/common/cli.h"

/* A span of time cut into buckets; each gives two rows, so that its least and its greatest value are both
 * seen. */
typedef struct cli_page_grid {
    double from_s, width_s;
    size_t buckets;
} cli_page_grid;

/* At most 700 buckets, about one for each pixel of a screen, and half as many as there are values. */
cli_page_grid cli_page_grid_of(double from_s, double to_s, size_t values);
/* The rows' times. */
json_t *cli_page_times(const cli_page_grid *grid);
/* The rows' values: of each bucket the least and the greatest, in their order; null where it has none. Times
 * rise. */
json_t *cli_page_values(const cli_page_grid *grid, const double *t, const double *value, size_t n);

/* Rounded to so many decimals, which keeps the page small; null for what is no number. */
json_t *cli_page_number(double value, int decimals);
/* [w, x, y, z] */
json_t *cli_page_quat(marl_quat q);

/* Writes the page and releases `root`. */
MARL_CHECKED marl_status cli_page_write(const char *path, const char *title, json_t *root, marl_error *error);

#endif
