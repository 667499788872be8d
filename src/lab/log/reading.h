/* SPDX-License-Identifier: MIT
 * One sensor of a sample, one row of a log. */
#ifndef LAB_READING_H
#define LAB_READING_H

#include "lab/maths/statistics.h"
#include "marlinspike/log.h"

/* The reading of a sensor in a sample. */
const marl_vec3 *lab_reading(const marl_sample *sample, marl_sensor sensor);

/* Adds the components of a vector to the moments of three axes. */
void lab_moments_add_vector(lab_moments moments[3], marl_vec3 v);

/* The first row at or after a time; log->n when there is none. */
size_t lab_row_at(const marl_log *log, int64_t t_ns);

#endif
