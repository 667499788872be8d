/* SPDX-License-Identifier: MIT
 * A hard iron that the turns of a log show, in words. */
#include "marlinspike/smooth.h"
#include <math.h>
#include <stdlib.h>

/* South of the equator, too: there the field points up, which looks like an opposite magnetometer. */
static int is_plain_or_opposite(const marl_axes_fit *fit)
{
    const int *axis = fit->best.axis;
    return fit->verdict == MARL_AXES_DECIDED && abs(axis[0]) == 1 && axis[1] == 2 * axis[0] &&
           axis[2] == 3 * axis[0];
}

static int is_plain(const marl_axes_fit *fit)
{
    return fit->verdict == MARL_AXES_DECIDED && marl_arrangement_is_plain(&fit->best);
}

marl_status marl_hard_iron_warn(marl_warnings *warnings, const marl_log *log, const marl_axes *axes,
                                marl_error *error)
{
    marl_hard_iron iron = {.is_large = 0};
    int comparable = (is_plain(&axes->gyro) && is_plain_or_opposite(&axes->mag)) ||
                     is_plain_or_opposite(&axes->mag_by_gyro);
    marl_status status = comparable ? marl_hard_iron_find(log, &iron, error) : MARL_OK;
    const double *b = iron.bias;
    if (status == MARL_OK && iron.is_large) {
        marl_warn(warnings, "hard-iron",
                  "%s: by its turns the magnetometer has a hard iron of %.0f uT (%+.0f, %+.0f, %+.0f): "
                  "headings are "
                  "off until it is calibrated (calibrate tumble; smooth --into)",
                  log->path, sqrt(b[0] * b[0] + b[1] * b[1] + b[2] * b[2]), b[0], b[1], b[2]);
    }
    return status == MARL_ERR_INSUFFICIENT ? MARL_OK : status;
}
