/* SPDX-License-Identifier: MIT
 * The turning that a recording shows, on a grid of times: what explains, and what is explained. */
#ifndef LAB_CLOCK_RATES_H
#define LAB_CLOCK_RATES_H

#include "marlinspike/error.h"
#include "marlinspike/log.h"

enum { LAB_PAIRS = 6 }; /* xx yy zz xy xz yz */

/* The rate that explains, on a grid of times, and the products of its components. */
typedef struct lab_cause {
    int64_t from_ns;
    size_t n;
    double *room, *rate[3], *square[LAB_PAIRS];
} lab_cause;

/* What is explained: y = P Bw with P the cross product with u, or 1 where y is itself a rate. P'P and P'y. */
typedef struct lab_effect {
    int64_t from_ns;
    size_t n;
    double *room, *square[LAB_PAIRS], *product[3], *length; /* y'y */
} lab_effect;

/* The gyroscope's rate; of another sensor the part of the rate across its direction. `room` is to be freed,
 * also on failure. */
MARL_CHECKED marl_status lab_find_cause(const marl_log *log, int sensor, double step_s, lab_cause *cause,
                                        marl_error *error);
MARL_CHECKED marl_status lab_find_effect(const marl_log *log, int sensor, double step_s, lab_effect *effect,
                                         marl_error *error);

#endif
