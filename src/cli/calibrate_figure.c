/* SPDX-License-Identifier: MIT
 * What a calibration was made from, as a figure. */
#include "calibrate.h"

marl_status cli_calibrated_figure(const cli_calibrated *job, const char *path, marl_error *error)
{
    (void)job;
    return marl_fail(error, MARL_ERR_USE, "%s: no figure", path);
}
