/* SPDX-License-Identifier: MIT
 * Attitudes over time. */
#ifndef MARLINSPIKE_SERIES_H
#define MARLINSPIKE_SERIES_H

#include "marlinspike/error.h"
#include "marlinspike/log.h"

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_attitude {
    int64_t t_ns;
    marl_quat q; /* unit, body to enu */
} marl_attitude;

typedef struct marl_series {
    size_t n;
    marl_attitude *at; /* times rise */
} marl_series;

/* The attitudes of a log that holds q or roll, pitch, yaw columns, expressed in enu.
 * MARL_ERR_INSUFFICIENT when it has none. */
MARL_CHECKED marl_status marl_series_from_log(marl_series *series, const marl_log *log, marl_error *error);
void marl_series_free(marl_series *series);

/* Spherical linear interpolation; u from 0 (a) to 1 (b), along the shorter way. */
marl_quat marl_slerp(marl_quat a, marl_quat b, double u);

#ifdef __cplusplus
}
#endif
#endif
