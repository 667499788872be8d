/* SPDX-License-Identifier: MIT
 * The boot self-test: does this machine, as built, compute the agreed bits? */
#ifndef MARLINSPIKE_SELFTEST_H
#define MARLINSPIKE_SELFTEST_H

#include "marlinspike/status.h"

#ifdef __cplusplus
extern "C" {
#endif

typedef enum marl_selftest_finding {
    MARL_SELFTEST_PASSED = 0,
    MARL_SELFTEST_CONTRACTED = 1, /* a*b+c was computed with one rounding: build with
                                     -ffp-contract=off */
    MARL_SELFTEST_FLUSHED = 2,    /* denormals are flushed to zero: clear the FPU's flush bit */
    MARL_SELFTEST_ROUNDING = 4,   /* rounding is not to nearest even */
    MARL_SELFTEST_ROOT = 8        /* a square root is not correctly rounded */
} marl_selftest_finding;

/* Returns MARL_OK, or MARL_ERR_ARITHMETIC with the findings or-ed in *findings (may be NULL).
 * Takes microseconds; call it once at boot. */
MARL_CHECKED marl_status marl_selftest(unsigned *findings);

#ifdef __cplusplus
}
#endif
#endif
