/* SPDX-License-Identifier: MIT
 * A smoothed log as the smooth command holds it, and how it is shown. */
#ifndef CLI_SMOOTH_H
#define CLI_SMOOTH_H

#include "cli/common/cli.h"

typedef struct cli_smoothed {
    marl_log log;
    marl_smoothed smoothed;
    marl_closures closures;
    marl_refined refined;
    const char *out, *into, *figure, *calibration; /* NULL: not asked for */
    int gyro_matrix;                               /* asked for */
    int tumbles; /* the log would do for calibrate tumble, of which --into did not get everything */
    marl_warnings warnings;
} cli_smoothed;

/* What limits the reference, as warnings. */
void cli_smooth_warn(cli_smoothed *job);
int cli_smooth_json(const cli_smoothed *job);
int cli_smooth_table(const cli_smoothed *job);
MARL_CHECKED marl_status cli_smooth_figure(const cli_smoothed *job, const char *path, marl_error *error);

#endif
