/* SPDX-License-Identifier: MIT
 * What one sensor of a log is. */
#ifndef LAB_SENSOR_SUMMARY_H
#define LAB_SENSOR_SUMMARY_H

#include "marlinspike/inspect.h"

/* Fills the whole summary. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_sensor_summarise(const marl_log *log, marl_sensor sensor,
                                              marl_sensor_summary *summary, marl_error *error);

#endif
