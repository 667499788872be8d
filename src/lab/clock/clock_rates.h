/* SPDX-License-Identifier: MIT
 * The turning that a recording shows, on a grid of times: the regressor and the response. */
#ifndef LAB_CLOCK_RATES_H
#define LAB_CLOCK_RATES_H

#include "marlinspike/error.h"
#include "marlinspike/log.h"

enum {
    LAB_PAIRS = 6,                    /* xx yy zz xy xz yz */
    LAB_FIRST_ORDER = 6,              /* what a component of the rate is multiplied by: y x u, then y */
    LAB_SECOND_ORDER = LAB_PAIRS + 4, /* ... and a pair of components: P'P, then u, then 1 */
};

/* The rate that explains, on a grid of times, and the products of its components. */
typedef struct lab_regressor {
    int64_t from_ns;
    size_t n;
    double *memory, *rate[3], *square[LAB_PAIRS];
} lab_regressor;

/* The response: y = P (Bw) with P the cross product with u, or 1 where y is itself a rate. A vector that is
 * off by a constant, u - b, changes by (u - b) x Bw: that takes u and y themselves. */
typedef struct lab_response {
    int64_t from_ns;
    size_t n;
    int may_be_off; /* by a constant: a magnetometer by its hard iron */
    double *memory, *first[LAB_FIRST_ORDER], *second[LAB_SECOND_ORDER], *length; /* y'y */
} lab_response;

/* The gyroscope's rate; of another sensor the part of the rate across its direction. `memory` is to be
 * freed, also on failure. */
MARL_CHECKED marl_status lab_find_regressor(const marl_log *log, int sensor, double step_s,
                                            lab_regressor *regressor, marl_error *error);
MARL_CHECKED marl_status lab_find_response(const marl_log *log, int sensor, double step_s,
                                           lab_response *response, marl_error *error);

#endif
