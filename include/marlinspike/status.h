/* SPDX-License-Identifier: MIT
 * Status codes: what every call that can fail returns; the version; the boot self-test. */
#ifndef MARLINSPIKE_STATUS_H
#define MARLINSPIKE_STATUS_H

#ifdef __cplusplus
extern "C" {
#endif

/* ---- status ---- */

/* Status codes: what every call that can fail returns, and their texts. */

#if defined(__GNUC__)
#define MARL_CHECKED __attribute__((warn_unused_result))
#else
#define MARL_CHECKED
#endif

typedef enum marl_status {
    MARL_OK = 0,
    /* device layer */
    MARL_ERR_ARGUMENT,    /* an argument is outside what its documentation allows */
    MARL_ERR_NOT_FINITE,  /* a reading is NaN or infinite; it was left out */
    MARL_ERR_IMPLAUSIBLE, /* a reading is larger than any real sensor gives; it was left out */
    MARL_ERR_TIME,        /* time stood still or went back; the sample was left out */
    MARL_ERR_GAP,         /* time jumped further than may be bridged; the estimator restarts */
    MARL_ERR_NOT_READY,   /* no attitude yet: no good reading to start from */
    MARL_ERR_DEGENERATE,  /* the vectors do not determine an attitude */
    MARL_ERR_ARITHMETIC,  /* this machine or build does not compute the agreed bits */
    MARL_ERR_BUS_SILENT,  /* no chip responds at this address */
    MARL_ERR_BUS_LATE,    /* a chip held the bus longer than the port waits */
    MARL_ERR_BUS_GARBAGE, /* a chip sends what it cannot mean */
    MARL_ERR_IDENTITY,    /* another chip than the table describes */
    MARL_ERR_STORE,       /* the non-volatile memory fails, or does not keep what was written */
    MARL_ERR_EMPTY,       /* the store holds nothing usable */
    MARL_ERR_CAPACITY,    /* it does not fit into the memory given */
    MARL_ERR_MESSAGE,     /* a message that is not understood */
    MARL_ERR_MOVING,      /* the board must be at rest for this */
    MARL_ERR_DEVICE,      /* meant for another device */
    MARL_ERR_OVERFLOW,    /* a chip's FIFO ran over: readings were lost */
    /* lab layer */
    MARL_END,              /* nothing more to read; not an error */
    MARL_ERR_USE,          /* the call contradicts itself */
    MARL_ERR_INPUT,        /* a file is unreadable or contradictory */
    MARL_ERR_INSUFFICIENT, /* too little data to determine it */
    MARL_ERR_SYSTEM,       /* the machine failed: cannot write, no memory, program missing */
    MARL_STATUS_COUNT
} marl_status;

/* A short English text for a status, never NULL, also for a value that is not a status. */
const char *marl_status_text(marl_status status);

/* Evaluates a call, and leaves the function with its status unless that is MARL_OK. */
#define MARL_TRY(call)                                                                                       \
    do {                                                                                                     \
        marl_status try_status = (call);                                                                     \
        if (try_status != MARL_OK) {                                                                         \
            return try_status;                                                                               \
        }                                                                                                    \
    } while (0)

/* ---- version ---- */

/* The version of the library: of the headers at compile time, and of what is linked. */

#define MARL_VERSION "0.2.0"
#define MARL_VERSION_MAJOR 0
#define MARL_VERSION_MINOR 2
#define MARL_VERSION_PATCH 0

/* MARL_VERSION of the library that is linked. */
const char *marl_version(void);

/* ---- selftest ---- */

/* The boot self-test: does this machine, as built, compute the agreed bits? */

typedef enum marl_selftest_finding {
    MARL_SELFTEST_PASSED = 0,
    MARL_SELFTEST_CONTRACTED = 1, /* a*b+c was computed with one rounding: build with
                                     -ffp-contract=off */
    MARL_SELFTEST_FLUSHED = 2,    /* denormals are flushed to zero: clear the FPU's flush bit */
    MARL_SELFTEST_ROUNDING = 4,   /* rounding is not to nearest even */
    MARL_SELFTEST_ROOT = 8,       /* a square root is not correctly rounded */
    MARL_SELFTEST_ESTIMATOR = 16  /* an estimator gives other bits than it should: the compiler was allowed to
                                     reorder or to fuse, which no single operation shows */
} marl_selftest_finding;

/* Returns MARL_OK, or MARL_ERR_ARITHMETIC with the findings or-ed in *findings (may be NULL). Every estimator is run on
 * known samples through a known calibration: some milliseconds, and as much stack as an update needs with 1.3 KB on top.
 * Call it once at boot; marl_selftest_with (estimator.h) where only some filters are linked. */
MARL_CHECKED marl_status marl_selftest(unsigned *findings);

#ifdef __cplusplus
}
#endif
#endif
