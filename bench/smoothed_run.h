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

#endif
