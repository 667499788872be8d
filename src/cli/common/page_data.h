/* SPDX-License-Identifier: MIT
 * Numbers for the report page: thinned for the eye, never used to compute with. */
#ifndef CLI_PAGE_DATA_H
#define CLI_PAGE_DATA_H

#include "cli/common/cli.h"

/* Rounded to so many decimals, which keeps the page small; null for what is no number. */
json_t *cli_page_number(double value, int decimals);
/* [w, x, y, z] */
json_t *cli_page_quat(marl_quat q);

/* Writes the page, which computes when "computes" of `root` is true, and releases `root`. */
MARL_CHECKED marl_status cli_page_write(const char *path, const char *title, json_t *root, marl_error *error);

#endif
