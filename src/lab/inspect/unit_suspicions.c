/* SPDX-License-Identifier: MIT
 * Units that contradict the readings. */
#include "lab/maths/statistics.h"
#include "marlinspike/inspect.h"
#include "marlinspike/quat.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define NEAR 0.12  /* share by which gravity may be off: scale, bias, place */
#define ALIKE 0.25 /* the same for the gyroscope's scale */

static int is_near(double value, double wanted, double share)
{
    return fabs(value / wanted - 1) < share;
}

/* Median length of the accelerometer's readings, at rest where there is rest; NaN without any. */
static double gravity_of(const marl_log *log, const marl_spans *still)
{
    double *length = malloc((log->n + 1) * sizeof *length), found = NAN;
    size_t n = 0, at = 0;
    for (size_t i = 0; i < log->n && length != NULL; i++) {
        const marl_sample *s = &log->row[i].sample;
        if ((s->fresh & MARL_FRESH_ACCEL) && (still->n == 0 || marl_spans_hold(still, s->t_ns, &at))) {
            length[n++] = (double)marl_vec3_norm(s->accel);
        }
    }
    if (n > 0) {
        found = lab_quantile(length, n, 0.5);
    }
    free(length);
    return found;
}

static void suspect_accel(double gravity, char *text, size_t size)
{
    static const struct {
        double length;
        const char *unit;
    } others[] = {{1, "g"},
                  {1000, "mg"},
                  {1000 * MARL_STANDARD_GRAVITY, "mm/s^2"},
                  {100 * MARL_STANDARD_GRAVITY, "cm/s^2"}};
    if (isnan(gravity) || is_near(gravity, MARL_STANDARD_GRAVITY, NEAR)) {
        return;
    }
    for (size_t i = 0; i < sizeof others / sizeof others[0]; i++) {
        if (is_near(gravity, others[i].length, NEAR)) {
            snprintf(text, size, "at rest the accelerometer reads %.4g in length: probably %s, not m/s^2",
                     gravity, others[i].unit);
            return;
        }
    }
    snprintf(text, size, "at rest the accelerometer reads %.4g m/s^2 in length, which is not gravity",
             gravity);
}

static void suspect_gyro(double scale, char *text, size_t size)
{
    static const struct {
        double scale;
        const char *words;
    } others[] = {{0.017453292519943295, "probably deg/s labelled as rad/s"},
                  {0.017453292519943295e-3, "probably mdeg/s labelled as rad/s"},
                  {57.29577951308232, "probably rad/s labelled as deg/s"},
                  {1e-3, "probably thousandths of the unit"}};
    if (is_near(scale, 1, ALIKE)) {
        return;
    }
    for (size_t i = 0; i < sizeof others / sizeof others[0]; i++) {
        if (is_near(scale, others[i].scale, ALIKE)) {
            snprintf(text, size, "the gyroscope moves %.4g times as much as gravity does: %s", 1 / scale,
                     others[i].words);
            return;
        }
    }
    snprintf(text, size, "the gyroscope moves %.4g times as much as gravity does", 1 / scale);
}

marl_unit_suspicions marl_suspect_units(const marl_log *log, const marl_spans *still, const marl_axes *axes)
{
    marl_unit_suspicions s = {"", "", NAN};
    if ((log->info.columns & MARL_COLUMNS_ACCEL) == MARL_COLUMNS_ACCEL) { /* else there is no length */
        s.gravity = gravity_of(log, still);
        suspect_accel(s.gravity, s.accel, sizeof s.accel);
    }
    if (axes->gyro.verdict == MARL_AXES_DECIDED) {
        suspect_gyro(axes->gyro.scale, s.gyro, sizeof s.gyro);
    }
    return s;
}
