/* SPDX-License-Identifier: MIT
 * A run of the accuracy scenes, smoothed, against its truth. */
#ifndef SMOOTHED_RUN_H
#define SMOOTHED_RUN_H

#include "accuracy_scenes.h"

/* Over all rows: mean square of the error, degrees^2, and squared errors over stated variances, in the mean. */
typedef struct smoothed_errors {
    double total2, tilt, heading;
} smoothed_errors;

/* `s` is to be freed. Stops the program when it cannot be smoothed. */
smoothed_errors smoothed_run(const accuracy_run *run, marl_smoothed *s);

/* Over logs: not trusted, over three standard deviations although trusted, logarithms of the rms errors and the worst of
 * them, the means of tilt's and heading's ratios, and the worst of either. */
typedef struct smoothed_sums {
    int logs, distrusted, over;
    double log_rms, worst_rms, ratio, worst_ratio;
} smoothed_sums;

void smoothed_sums_add(smoothed_sums *sums, const smoothed_errors *errors, const marl_smoothed *s);
/* As smoothed, and freed. */
void smoothed_sums_add_run(smoothed_sums *sums, const accuracy_run *run);
/* Logs, rms (geometric mean, worst), ratio (mean, worst), not trusted, over; without a line end. */
void smoothed_sums_print(const smoothed_sums *sums);

/* The logarithm of kalman's rms error, degrees. */
double kalman_log_rms(const accuracy_run *run);

#endif
