/* SPDX-License-Identifier: MIT
 * The raw log that a calibration needs. */
#ifndef LAB_RAW_LOG_H
#define LAB_RAW_LOG_H

#include "marlinspike/calibrate.h"

/* The raw log that a sensor is to be calibrated from: MARL_ERR_INPUT when it is corrected already,
 * MARL_ERR_INSUFFICIENT when axes are missing, clipped or stuck. */
MARL_CHECKED marl_status lab_calibration_log_check(const marl_log *log, marl_sensor sensor,
                                                   marl_calibrated *outcome, marl_error *error);

#endif
