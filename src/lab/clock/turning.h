/* SPDX-License-Identifier: MIT
 * Mean angular rates over windows of time, from attitudes and from a gyroscope; each window overlaps half of
 * the next one. */
#ifndef LAB_TURNING_H
#define LAB_TURNING_H

#include "marlinspike/log.h"

typedef struct lab_turning {
    size_t n;
    double (*rate)[3];   /* rad/s, body */
    double (*change)[3]; /* of that rate as its window moves, rad/s^2; of a gyroscope only */
    char *known;         /* 0: the window reaches beyond the recording or across a gap */
} lab_turning;

/* Memory for n places. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_turning_make(lab_turning *turning, size_t n, marl_error *error);
void lab_turning_free(lab_turning *turning);

/* Window k reaches from edge_ns[k] to edge_ns[k + 2], so that there are n + 2 edges. It is meant to be two
 * steps long; of attitudes, under one and over three is not known: at an end, or over a hole. */
MARL_CHECKED marl_status lab_turning_of_series(lab_turning *turning, const marl_series *series,
                                               const int64_t *edge_ns, int64_t step_ns, marl_error *error);
/* Windows in which the series turns by more in one step than `fastest` (rad/s) and 2 degrees allow are not known any more:
 * a rig that lost the body, or took it for another one. */
void lab_turning_forget_jumps(lab_turning *turning, const marl_series *series, const int64_t *edge_ns,
                              double fastest);
MARL_CHECKED marl_status lab_turning_of_gyro(lab_turning *turning, const marl_log *log,
                                             const int64_t *edge_ns, marl_error *error);

/* Squared deviation of one reading's white noise, summed over the axes, (rad/s)^2: from the second
 * differences of readings, by their median, so that motion hardly counts. */
double lab_gyro_noise(const marl_log *log);

/* The fastest that the gyroscope reads, rad/s. */
double lab_gyro_fastest(const marl_log *log);

/* The median step between fresh readings of the gyroscope, s; NaN under two. */
double lab_gyro_step_s(const marl_log *log);

#endif
