/* SPDX-License-Identifier: MIT
 * Angular rates on an even grid of times, from attitudes and from a gyroscope, over the same windows: each is
 * the mean over two steps around its place. */
#ifndef LAB_TURNING_H
#define LAB_TURNING_H

#include "marlinspike/series.h"

typedef struct lab_turning {
    size_t n;
    double (*rate)[3];   /* rad/s, body */
    double (*change)[3]; /* of that rate as its window moves, rad/s^2; of a gyroscope only */
    char *known;         /* 0: the window reaches beyond the recording or across a gap */
} lab_turning;

/* Room for n places. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_turning_make(lab_turning *turning, size_t n, marl_error *error);
void lab_turning_free(lab_turning *turning);

/* Place k is at from_ns + k step_ns. */
MARL_CHECKED marl_status lab_turning_of_series(lab_turning *turning, const marl_series *series,
                                               int64_t from_ns, double step_ns, marl_error *error);
MARL_CHECKED marl_status lab_turning_of_gyro(lab_turning *turning, const marl_log *log, int64_t from_ns,
                                             double step_ns, marl_error *error);

/* Squared deviation of one reading's white noise, summed over the axes, (rad/s)^2: from the second
 * differences of readings, by their median, so that motion hardly counts. */
double lab_gyro_noise(const marl_log *log);

/* The median step between fresh readings of the gyroscope, s; NaN under two. */
double lab_gyro_step_s(const marl_log *log);

#endif
