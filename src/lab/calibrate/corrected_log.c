/* SPDX-License-Identifier: MIT
 * A log as a calibration corrects it. */
#include "lab/calibrate/corrected_log.h"
#include <math.h>
#include <stdlib.h>

marl_status lab_corrected_copy(const marl_log *log, const marl_calibration_record *record, marl_log *copy,
                               marl_error *error)
{
    const marl_calibration calibration = marl_calibration_for_device(record);
    marl_corrector corrector;
    marl_corrector_init(&corrector, &calibration);
    *copy = *log;
    copy->row = malloc((log->n + 1) * sizeof *copy->row);
    if (copy->row == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < log->n; i++) {
        copy->row[i] = log->row[i];
        (void)marl_corrector_step(&corrector, &copy->row[i].sample);
    }
    return MARL_OK;
}

double lab_unit_vector(const double v[3], double out[3])
{
    double n = sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]);
    for (int k = 0; k < 3; k++) {
        out[k] = n > 0 ? v[k] / n : 0;
    }
    return n;
}
