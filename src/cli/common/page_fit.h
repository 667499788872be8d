/* SPDX-License-Identifier: MIT
 * A fit on the report page: its numbers, its points on the sphere, what is left. */
#ifndef CLI_PAGE_FIT_H
#define CLI_PAGE_FIT_H

#include "cli/common/page_data.h"

/* Bias and matrix with their standard errors, in the units of the tables: m/s^2, deg/s, uT. */
json_t *cli_page_fit_table(marl_sensor sensor, const marl_fit *fit);

/* Readings to be shown on the sphere; released by cli_page_points_free. */
typedef struct cli_page_points {
    size_t n, left_out_n;
    double (*x)[3];        /* raw */
    double (*left_out)[3]; /* raw, not used by the fit */
} cli_page_points;

/* A sensor's readings of a log, thinned to some thousands, those in `outliers` (may be NULL) apart. 0 without memory. */
int cli_page_points_of_log(cli_page_points *points, const marl_log *log, marl_sensor sensor,
                           const marl_spans *outliers);
int cli_page_points_of_poses(cli_page_points *points, const marl_pose_list *poses);
void cli_page_points_free(cli_page_points *points);

/* The lists of a page: what is on spheres, what is over an axis. */
typedef struct cli_page_lists {
    json_t *spheres, *scatters;
} cli_page_lists;

/* Adds the points raw and corrected on the sphere of `radius`, with the directions that are missing, and how
 * far their lengths are off over azimuth and height. 0 without memory. */
int cli_page_add_sphere(const cli_page_points *points, marl_sensor sensor, const marl_fit *fit, double radius,
                        const cli_page_lists *to);

/* One scatter of y over x. */
json_t *cli_page_scatter(const char *title, const char *x_unit, const double *x, const double *y, size_t n);

/* What corrects the readings, a row an axis, as a table. */
json_t *cli_page_corrections(const marl_calibration_record *record);

#endif
