/* SPDX-License-Identifier: MIT
 * Comparison of an estimate with a reference. The error is e = q_estimate q_reference*, in the world:
 * total is its angle, heading its twist about the world's up (positive clockwise seen from above),
 * tilt the angle between the two up directions. The reference is interpolated (slerp) at the
 * estimate's times, never across a gap of more than 5 of its median steps, never beyond its ends. */
#ifndef MARLINSPIKE_COMPARE_H
#define MARLINSPIKE_COMPARE_H

#include "marlinspike/estimator.h"
#include "marlinspike/inspect.h"
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

/* The attitudes of a log that holds q or roll, pitch, yaw columns, told in enu.
 * MARL_ERR_EVIDENCE when it has none. */
MARL_CHECKED marl_status marl_series_from_log(marl_series *series, const marl_log *log, marl_error *error);
void marl_series_free(marl_series *series);

/* Spherical linear interpolation; u from 0 (a) to 1 (b), along the shorter way. */
marl_quat marl_slerp(marl_quat a, marl_quat b, double u);

typedef struct marl_error_angles {
    double total_deg, tilt_deg; /* >= 0 */
    double heading_deg;         /* (-180, 180]; NaN where tilt is within 1 degree of 180 */
} marl_error_angles;

marl_error_angles marl_error_between(marl_quat estimate, marl_quat reference);

typedef struct marl_measure {
    double rms, mean, p95, max; /* degrees, of absolute values; NaN without a sample */
} marl_measure;

/* NaN = null: the recording cannot tell. */
typedef struct marl_comparison {
    size_t n;                 /* attitudes that the reference covers */
    int64_t *t_ns;            /* n */
    marl_error_angles *error; /* n */
    marl_measure total, tilt, heading;
    double settle_s;        /* from the first sample until total stays under 2 degrees for 5 s */
    double jitter_deg;      /* at rest, rms rotation against the attitude's own 1 s moving mean */
    double lag_ms;          /* shift of least rms error; positive = the estimate is late; NaN unless that lies
                            inside +-1 s and the reference turns at 5 deg/s rms or more */
    double drift_deg_per_h; /* slope of the heading error */
} marl_comparison;

/* MARL_ERR_EVIDENCE when the two have no time in common. `still` may be NULL: then no jitter. */
MARL_CHECKED marl_status marl_compare(const marl_series *estimate, const marl_series *reference,
                                      const marl_spans *still, marl_comparison *comparison,
                                      marl_error *error);
void marl_comparison_free(marl_comparison *comparison);

#ifdef __cplusplus
}
#endif
#endif
