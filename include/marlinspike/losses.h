/* SPDX-License-Identifier: MIT
 * What a slower or lossier system would see of a recording. */
#ifndef MARLINSPIKE_LOSSES_H
#define MARLINSPIKE_LOSSES_H

#include "marlinspike/random.h"
#include "marlinspike/sample.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Zeroed: nothing is lost. In this order: rows are thinned, of those that are left some are lost, and the
 * stamps of the rest are off. */
typedef struct marl_losses {
    unsigned every;  /* one row in so many is taken; 0 = all */
    double rate_hz;  /* rows are taken as they come at this rate; 0 = all. Not with `every` */
    double drop;     /* probability that a row is lost, [0, 1) */
    double jitter_s; /* deviation of the stamps, normal; they still rise */
    uint64_t seed;   /* of what is lost and how stamps are off */
} marl_losses;

typedef struct marl_lossy {
    marl_losses losses;
    marl_random random;
    marl_sample held; /* the newest readings since the row before, which a thinned row takes along */
    uint64_t rows;
    int64_t next_ns, last_ns;
    int begun;
} marl_lossy;

/* MARL_ERR_ARGUMENT unless drop is in [0, 1), jitter_s and rate_hz are finite and not negative, and not both
 * of every and rate_hz are given. */
MARL_CHECKED marl_status marl_lossy_init(marl_lossy *lossy, const marl_losses *losses);

/* Takes a row as recorded. Returns 1 and the row as the lossy system sees it, or 0 when it does not. Skipped
 * rows leave their newest readings to the next row that is taken, as a sensor's registers do; lost ones take
 * theirs with them. */
int marl_lossy_take(marl_lossy *lossy, const marl_sample *recorded, marl_sample *seen);

#ifdef __cplusplus
}
#endif
#endif
