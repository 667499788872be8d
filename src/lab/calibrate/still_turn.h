/* SPDX-License-Identifier: MIT
 * How fast may the board have turned while it seemed to rest? */
#ifndef LAB_STILL_TURN_H
#define LAB_STILL_TURN_H

#include "marlinspike/log.h"

/* The steady rate that accelerometer and magnetometer show over the span (the vectors v of a body that turns at w change by
 * v x w), and its standard error, rad/s per axis, by the scatter of blocks of the span. Zeros where the log has neither
 * sensor, and about an axis that none of them sees. */
typedef struct lab_still_turn {
    double rate[3], sigma[3];
} lab_still_turn;

lab_still_turn lab_still_turn_of(const marl_log *log, marl_span span);

#endif
