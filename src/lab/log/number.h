/* SPDX-License-Identifier: MIT
 * Numbers in text, fast and exact: reading gives the bits of strtod, writing gives 9 significant digits,
 * which bring every float back. One of the two places outside the heart where our own code pays:
 * reading and writing is where a user's time goes. */
#ifndef LAB_NUMBER_H
#define LAB_NUMBER_H

#include <stdint.h>

/* A decimal as it stands in the text: (-1)^negative * digits * 10^exponent. */
typedef struct lab_decimal {
    uint64_t digits; /* the first 19 significant ones */
    int exponent;
    int negative;
    int inexact; /* further digits were left out of `digits` */
} lab_decimal;

/* The scanner reads this many bytes at once: so many must be readable from every place of a text on. */
#define LAB_NUMBER_SLACK 8

/* Scans [sign] digits [point digits] [e [sign] digits] from `text`, which ends in some character that belongs
 * to no number. Returns the number's end, or NULL when no number stands there. */
static inline const char *lab_number_scan(const char *text, char point, lab_decimal *decimal);

/* The double nearest to the number in [text, end) that was scanned into *decimal. */
static inline double lab_number_value(const char *text, const char *end, char point,
                                      const lab_decimal *decimal);

/* digits * 10^(exponent + scale) as an integer, rounded half away from zero. Returns 0 when it does
 * not fit. With scale 9 seconds become nanoseconds, exactly. */
int lab_number_integer(const lab_decimal *decimal, int scale, int64_t *value);

/* Bytes that a number or a time can take. */
#define LAB_NUMBER_CAPACITY 24

/* Writes with 9 significant digits, trailing zeros left out; nothing for NaN or infinity. Returns the
 * end; no terminating zero. */
char *lab_number_write(char *out, double value);

/* Nanoseconds as seconds with 9 decimals. */
char *lab_time_write(char *out, int64_t t_ns);

#include "lab/log/number_scan.h"

#endif
