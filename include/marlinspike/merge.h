/* SPDX-License-Identifier: MIT
 * Two recordings of one board into one log: sensors that were written to separate files, by clocks that need
 * not agree. */
#ifndef MARLINSPIKE_MERGE_H
#define MARLINSPIKE_MERGE_H

#include "marlinspike/error.h"
#include "marlinspike/log.h"

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_clock_offset {
    int found;
    double offset_s; /* to be added to the second log's times, NaN when it was not found */
    double sigma_s;  /* its standard error, by leaving out a tenth of the recording at a time, and 0.12 of the
                        slower sensor's step */
    double r_squared; /* share of one recording's turning that the other explains there, 0 to 1 */
    /* Where two shifts fit about as well, so that none was found: both, and their shares; else NaN. */
    double candidate_s[2], candidate_r_squared[2];
} marl_clock_offset;

/* From the turning that both logs show (the gyroscope, else the change of the accelerometer's or the
 * magnetometer's direction): the shift at which one explains most of the other. Axes need not agree, and a
 * magnetometer may have any constant bias. Not found when the motion is too little or repeats itself so that
 * another shift fits nearly as well. A delay of a sensor's low-pass is in it. MARL_ERR_INSUFFICIENT when a
 * log has no such sensor, MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_clock_offset_find(const marl_log *first, const marl_log *second,
                                                marl_clock_offset *offset, marl_error *error);

/* The rows of both by time, on the first one's clock; rows of the same time become one. Reports are added up.
 * MARL_ERR_INPUT when both have the same sensor, name different devices or disagree about being corrected;
 * MARL_ERR_INSUFFICIENT when they do not overlap in time; MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_log_merge(const marl_log *first, const marl_log *second, int64_t offset_ns,
                                        marl_log *merged, marl_error *error);

/* Another recording of the same board behind this one, as if it had started `gap_ns` after its end.
 * Reports are added up. MARL_ERR_INPUT when the columns, the device or being corrected differ;
 * MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_log_append(marl_log *log, const marl_log *next, int64_t gap_ns,
                                         marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
