/* SPDX-License-Identifier: MIT
 * A log as a calibration corrects it, in memory. */
#ifndef LAB_CORRECTED_LOG_H
#define LAB_CORRECTED_LOG_H

#include "marlinspike/calibrate.h"

/* Without the mount. copy->row is to be freed by the caller, the rest belongs to `log`. */
MARL_CHECKED marl_status lab_corrected_copy(const marl_log *log, const marl_calibration_record *record,
                                            marl_log *copy, marl_error *error);

/* v to length one, zero where it has none; returns its length. */
double lab_unit_vector(const double v[3], double out[3]);

#endif
