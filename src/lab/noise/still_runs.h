/* SPDX-License-Identifier: MIT
 * Runs of readings without a gap, which noise and spectrum are found from. */
#ifndef LAB_STILL_RUNS_H
#define LAB_STILL_RUNS_H

#include "marlinspike/inspect.h"

typedef struct lab_run {
    size_t first, last, readings; /* rows of the log, both included */
} lab_run;

/* The longest; with `at_rest` inside the still spans. A gap is a step of over one and a half usual ones. */
lab_run lab_longest_run(const marl_log *log, const marl_inspection *inspection, marl_sensor sensor,
                        int at_rest);
/* The readings of one axis in it. */
void lab_run_values(const marl_log *log, const lab_run *run, marl_sensor sensor, int axis, double *value);

#endif
