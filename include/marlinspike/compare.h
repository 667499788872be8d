/* SPDX-License-Identifier: MIT
 * Comparison of an estimate with a reference, and tunings in the order of their errors. The error is e =
 * q_estimate q_reference*, in the world: total is its angle, heading its twist about the world's up (positive
 * clockwise seen from above), tilt the angle between the two up directions. The reference is interpolated
 * (slerp) at the estimate's times, never across a gap of more than 5 of its median steps, never beyond its
 * ends. docs/measures.md has the formulas. */
#ifndef MARLINSPIKE_COMPARE_H
#define MARLINSPIKE_COMPARE_H

#include "marlinspike/calibration.h"
#include "marlinspike/inspect.h"
#include "marlinspike/series.h"

#ifdef __cplusplus
extern "C" {
#endif

/* What the board was doing, so that errors can be split by it. Each holds or does not over windows of half a
 * second; a moment may have several, or none. */
typedef enum marl_condition {
    MARL_CONDITION_STILL,     /* as marl_inspect_still finds it */
    MARL_CONDITION_TURNING,   /* the reference turns by more than 5 deg/s from end to end of a window */
    MARL_CONDITION_SHAKING,   /* acceleration in the world scatters by more than 0.5 m/s^2 within a window */
    MARL_CONDITION_DISTURBED, /* the field, as the reference turns it into the world, is off its median over
                                 the log by more than a tenth of it: 6 degrees, or 10 % of strength */
    MARL_CONDITION_COUNT
} marl_condition;

/* "still", "turning", "shaking", "disturbed" */
const char *marl_condition_name(marl_condition condition);

typedef struct marl_conditions {
    marl_spans spans[MARL_CONDITION_COUNT];
} marl_conditions;

/* The reference must be on the log's clock and in its body frame. What it does not cover is only ever still.
 * `record` corrects the readings first, NULL: as they are. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_conditions_find(const marl_log *log, const marl_calibration_record *record,
                                              const marl_series *reference, marl_conditions *conditions,
                                              marl_error *error);
void marl_conditions_free(marl_conditions *conditions);

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

typedef enum marl_rank_by { MARL_RANK_BY_TOTAL = 0, MARL_RANK_BY_TILT = 1 } marl_rank_by;

typedef struct marl_rank {
    size_t tuning; /* its number */
    size_t failed; /* cases in which it gave nothing to compare; such tunings come last */
    double
        score_deg; /* root mean square over its cases of their rms errors, with equal weight of each case */
    double difference; /* to the first one's score, degrees */
    double low, high;  /* 95 % interval of that difference; NaN when the cases hold under two blocks, or
                          when a case failed */
    int over_logs;     /* 1: the interval holds for further logs of the same kind; 0: for these recordings */
} marl_rank;

/* What is ranked. */
typedef struct marl_contest {
    const marl_comparison *const *of; /* of[tuning * cases + case], NULL where it failed */
    size_t tunings, cases;
    marl_rank_by by;
} marl_contest;

/* The order goes to rank[0 .. tunings - 1].
 *
 * From three cases on the interval is by the jackknife over cases ("The jackknife, the bootstrap and other
 * resampling plans", 1982) with Student's t: what further logs of the same kind would show. With fewer it is
 * a bootstrap over blocks of time, as long as the errors remember and 5 s at least, the same draws for all
 * tunings ("The jackknife and the bootstrap for general stationary observations", 1989), from a fixed seed:
 * it holds for these recordings alone. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_rank_tunings(const marl_contest *contest, marl_rank *rank, marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
