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

/* Nothing is carried over a step of over 1,000 s, in which anything may have happened; a jump of the clock is as
 * long. What needs time or memory for every second goes by pieces between such steps. */
#define LAB_BREAK_NS INT64_C(1000000000000)

/* Its first rows, over so many seconds, as a log that shares them. */
marl_log lab_log_first(const marl_log *log, double seconds);
/* From the first row to the last; 0 under two. */
double lab_log_seconds(const marl_log *log);
/* The rows from this one to the next break, as a log that shares them. */
marl_log lab_log_piece(const marl_log *log, size_t first);
/* Of all pieces the longest in time; an empty log is its own. */
marl_log lab_longest_piece(const marl_log *log);

/* The first row at or after a time; log->n when there is none. */
size_t lab_row_at(const marl_log *log, int64_t t_ns);

#endif
