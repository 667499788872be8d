/* SPDX-License-Identifier: MIT
 * The attitude of a recording at rest as the zero, and the rate of the Earth there. */
#ifndef MARLINSPIKE_ZERO_H
#define MARLINSPIKE_ZERO_H

#include "marlinspike/calibration.h"
#include "marlinspike/error.h"
#include "marlinspike/log.h"
#include "marlinspike/spans.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The mount by which the attitude of the longest rest becomes the zero: level, and with a magnetometer x to
 * the (magnetic) north. `span` is that rest. MARL_ERR_INSUFFICIENT without a rest of a second. */
MARL_CHECKED marl_status marl_zero(const marl_log *log, marl_calibration_record *record, marl_span *span,
                                   marl_error *error);

/* The Earth's rate of turning in the sensors' axes at the longest rest, rad/s: from the latitude (rad),
 * gravity and the magnetic north. To be taken off a gyroscope's mean at rest. MARL_ERR_INSUFFICIENT without a
 * rest, or without a magnetometer. */
MARL_CHECKED marl_status marl_earth_rate(const marl_log *log, const marl_calibration_record *record,
                                         double latitude, double rate[3], marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
