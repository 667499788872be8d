/* SPDX-License-Identifier: MIT
 * Degradation of a recording: decimation, dropout, jitter of the time stamps. */
#ifndef MARLINSPIKE_DEGRADATION_H
#define MARLINSPIKE_DEGRADATION_H

#include "marlinspike/random.h"
#include "marlinspike/sample.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Zeroed: nothing is lost. In this order: rows are thinned, of those that are left some are lost, and the
 * stamps of the rest are off. */
typedef struct marl_degradation {
    unsigned every;  /* one row in so many is taken; 0 = all */
    double rate_hz;  /* rows are taken as they come at this rate; 0 = all. Not with `every` */
    double drop;     /* probability that a row is lost, [0, 1) */
    double jitter_s; /* deviation of the stamps, normal; they still rise */
    uint64_t seed;   /* of what is lost and how stamps are off */
} marl_degradation;

typedef struct marl_degrader {
    marl_degradation degradation;
    marl_random random;
    marl_sample held; /* the newest readings since the row before, which a thinned row takes along */
    uint64_t rows;
    int64_t next_ns, last_ns;
    int started;
} marl_degrader;

/* MARL_ERR_ARGUMENT unless drop is in [0, 1), jitter_s and rate_hz are finite and not negative, and not both
 * of every and rate_hz are given. */
MARL_CHECKED marl_status marl_degrader_init(marl_degrader *degrader, const marl_degradation *degradation);

/* Feeds a row as recorded. Returns 1 and the degraded row, or 0 when it is dropped. Rows skipped by
 * decimation leave their newest readings to the next row, as a sensor's registers do; the readings of
 * dropped rows are lost. */
int marl_degrader_feed(marl_degrader *degrader, const marl_sample *recorded, marl_sample *seen);

#ifdef __cplusplus
}
#endif
#endif
