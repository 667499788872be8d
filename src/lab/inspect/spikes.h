/* SPDX-License-Identifier: MIT
 * Readings that stand alone: a bus that failed, a sample that was torn. */
#ifndef LAB_SPIKES_H
#define LAB_SPIKES_H

#include "marlinspike/log.h"
#include <stdint.h>

/* marl_spikes_find of one sensor; *n and *first_ns are how many there are, and when the first. */
MARL_CHECKED marl_status lab_spikes_find(const marl_log *log, marl_sensor sensor, uint8_t *of_row, size_t *n,
                                         int64_t *first_ns, marl_error *error);

#endif
