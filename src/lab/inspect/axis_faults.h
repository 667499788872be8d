/* SPDX-License-Identifier: MIT
 * Axes that are clipped or stuck. */
#ifndef LAB_AXIS_FAULTS_H
#define LAB_AXIS_FAULTS_H

#include "marlinspike/inspect.h"

/* Fills clipped and stuck of a summary that has everything else. */
void lab_find_axis_faults(const marl_log *log, marl_sensor sensor, marl_sensor_summary *summary);

#endif
