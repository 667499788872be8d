/* SPDX-License-Identifier: MIT
 * Calibrations on their way to the device, and to which device they belong. */
#include "lab/files/fit_merge.h"
#include "marlinspike/files.h"
#include <math.h>
#include <string.h>

static marl_vec3 to_vec3(const double v[3])
{
    return (marl_vec3){(float)v[0], (float)v[1], (float)v[2]};
}

marl_correction lab_correction_of(const marl_fit *fit)
{
    marl_correction correction = {.present = fit->present, .bias = to_vec3(fit->bias)};
    for (int i = 0; i < 3; i++) {
        for (int k = 0; k < 3; k++) {
            correction.matrix.m[i][k] = (float)fit->matrix[i][k];
        }
    }
    correction.has_curve = fit->has_curve;
    if (fit->has_curve) {
        correction.curve = (marl_bias_curve){.reference_degC = (float)fit->reference_degC,
                                             .low_degC = (float)fit->range_degC[0],
                                             .high_degC = (float)fit->range_degC[1],
                                             .per_degC = to_vec3(fit->bias_per_degC),
                                             .per_degC2 = to_vec3(fit->bias_per_degC2)};
    }
    return correction;
}

marl_calibration marl_calibration_for_device(const marl_calibration_record *record)
{
    marl_calibration c = marl_calibration_none();
    const double *q = record->mount;
    c.accel = lab_correction_of(&record->fit[MARL_ACCEL]);
    c.gyro = lab_correction_of(&record->fit[MARL_GYRO]);
    c.mag = lab_correction_of(&record->fit[MARL_MAG]);
    c.has_mount = record->has_mount;
    c.mount = (marl_quat){(float)q[0], (float)q[1], (float)q[2], (float)q[3]};
    (void)!marl_calibration_check(&c); /* read or fitted here: checked already, but for the mount's length */
    return c;
}

void marl_fit_apply(const marl_fit *fit, const double raw[3], double degC, double corrected[3])
{
    double d[3], away = 0;
    if (fit->has_curve && !isnan(degC)) {
        away = fmax(fit->range_degC[0], fmin(fit->range_degC[1], degC)) - fit->reference_degC;
    }
    for (int k = 0; k < 3; k++) {
        d[k] = raw[k] - fit->bias[k] - fit->bias_per_degC[k] * away - fit->bias_per_degC2[k] * away * away;
    }
    for (int k = 0; k < 3; k++) {
        corrected[k] = fit->matrix[k][0] * d[0] + fit->matrix[k][1] * d[1] + fit->matrix[k][2] * d[2];
    }
}

marl_status marl_device_match(const char *device_a, const char *path_a, const char *device_b,
                              const char *path_b, marl_error *error)
{
    if (device_a[0] == '\0' || device_b[0] == '\0' || strcmp(device_a, device_b) == 0) {
        return MARL_OK;
    }
    return marl_fail(error, MARL_ERR_INPUT, "%s:1: is of device '%s', but %s is of device '%s'", path_b,
                     device_b, path_a, device_a);
}
