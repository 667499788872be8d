/* SPDX-License-Identifier: MIT
 * The shift between the clock of a log and that of a reference, among all there are. */
#ifndef LAB_CLOCK_COARSE_H
#define LAB_CLOCK_COARSE_H

#include "marlinspike/compare.h"

/* What the two recordings are reduced to. */
typedef struct lab_two_clocks {
    const marl_log *log;
    const marl_series *reference;
    int64_t log_from, reference_from; /* their first moments */
    double log_s, reference_s;        /* how long they are */
    double min_step_ns;               /* what both can fill */
    double gyro_noise, fastest;       /* of the gyroscope, see turning.h */
} lab_two_clocks;

typedef struct lab_clock_shift {
    int found;
    int repeats;    /* others fit about as well; this is where both have most in common */
    double shift_s; /* t_log - log_from = t_reference - reference_from + shift, to a fraction of 0.1 s */
} lab_clock_shift;

/* Not found when nothing stands out. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_clock_coarse(const lab_two_clocks *clocks, lab_clock_shift *shift,
                                          marl_error *error);

#endif
