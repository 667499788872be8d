/* SPDX-License-Identifier: MIT
 * Comparison of an estimate with a reference. The error is e = q_estimate q_reference*, in the world:
 * total is its angle, heading its twist about the world's up (positive clockwise seen from above),
 * tilt the angle between the two up directions. The reference is interpolated (slerp) at the
 * estimate's times, never across a gap of more than 5 of its median steps, never beyond its ends.
 * docs/measures.md has the formulas. */
#ifndef MARLINSPIKE_COMPARE_H
#define MARLINSPIKE_COMPARE_H

#include "marlinspike/conditions.h"
#include "marlinspike/series.h"

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_error_angles {
    double total_deg, tilt_deg; /* >= 0 */
    double heading_deg;         /* (-180, 180]; NaN where tilt is within 1 degree of 180 */
} marl_error_angles;

marl_error_angles marl_error_between(marl_quat estimate, marl_quat reference);

typedef struct marl_measure {
    double rms, mean, p95, max; /* degrees, of absolute values; NaN without a sample */
} marl_measure;

/* The errors over a part of the time. */
typedef struct marl_measures {
    size_t n;     /* attitudes that the reference covers */
    double share; /* of all of them, 0 to 1 */
    marl_measure total, tilt, heading;
} marl_measures;

/* NaN = null: the recording does not determine it. */
typedef struct marl_comparison {
    size_t n;                 /* attitudes that the reference covers */
    int64_t *t_ns;            /* n */
    marl_error_angles *error; /* n */
    marl_measures all, by_condition[MARL_CONDITION_COUNT];
    double settle_s;        /* from the first sample until total stays under 2 degrees for 5 s */
    double jitter_deg;      /* at rest, rms rotation against the attitude's own 1 s moving mean */
    double lag_ms;          /* shift of least rms error; positive = the estimate is late; NaN unless that lies
                            inside +-1 s and the reference turns at 5 deg/s rms or more */
    double drift_deg_per_h; /* slope of the heading error */
    double lost_s; /* since the first sample: when tilt went beyond 45 degrees to stay there for 10 s;
                      NaN = it never did */
} marl_comparison;

/* MARL_ERR_INSUFFICIENT when the two have no time in common. `conditions` may be NULL: then no jitter, and no
 * measures by condition. */
MARL_CHECKED marl_status marl_compare(const marl_series *estimate, const marl_series *reference,
                                      const marl_conditions *conditions, marl_comparison *comparison,
                                      marl_error *error);
void marl_comparison_free(marl_comparison *comparison);

#ifdef __cplusplus
}
#endif
#endif
