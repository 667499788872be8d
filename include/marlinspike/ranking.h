/* SPDX-License-Identifier: MIT
 * Tunings in the order of their errors, and how sure that order is. */
#ifndef MARLINSPIKE_RANKING_H
#define MARLINSPIKE_RANKING_H

#include "marlinspike/compare.h"

#ifdef __cplusplus
extern "C" {
#endif

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
