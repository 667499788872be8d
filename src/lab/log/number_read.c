/* SPDX-License-Identifier: MIT
 * Reading numbers. Exact fast path (number_scan.h): an integer of at most 2^53 divided or multiplied by a
 * power of ten of at most 10^22 is one correctly rounded operation on two exact doubles ("How to read
 * floating point numbers accurately", 1990). Everything else goes to strtod. */
#include "lab/log/number.h"
#include <math.h>
#include <stdlib.h>

const double lab_power_of_ten[] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,  1e8,  1e9,  1e10, 1e11,
                                   1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22};

static inline unsigned digit(const char *p)
{
    return (unsigned)(unsigned char)*p - '0';
}

/* The exponent after 'e'; NULL when there is none. Clamped far outside what a double holds. */
const char *lab_number_scan_exponent(const char *p, int *exponent)
{
    int negative = *p == '-';
    int value = 0;
    p += *p == '-' || *p == '+';
    if (digit(p) > 9) {
        return NULL;
    }
    for (; digit(p) <= 9; p++) {
        value = value < 100000 ? value * 10 + (int)digit(p) : value;
    }
    *exponent += negative ? -value : value;
    return p;
}

/* More than 19 digits: keeps the first 19 significant ones, counts the others into the exponent. */
void lab_number_scan_many(const char *p, const char *end, char point, lab_decimal *decimal)
{
    int after_point = 0, kept = 0;
    decimal->digits = 0;
    decimal->exponent = 0;
    for (; p < end; p++) {
        if (*p == point) {
            after_point = 1;
            continue;
        }
        if (kept < 19) {
            decimal->digits = decimal->digits * 10 + digit(p);
            kept += decimal->digits != 0;
            decimal->exponent -= after_point;
        } else {
            decimal->inexact |= digit(p) != 0;
            decimal->exponent += !after_point;
        }
    }
}

/* strtod on a copy, with a point whatever the text has. */
double lab_number_by_library(const char *text, const char *end, char point)
{
    char few[128];
    size_t n = (size_t)(end - text);
    char *copy = n < sizeof few ? few : malloc(n + 1);
    if (copy == NULL) {
        return NAN; /* counted as a bad cell */
    }
    memcpy(copy, text, n);
    copy[n] = '\0';
    char *comma = point != '.' ? strchr(copy, point) : NULL;
    if (comma != NULL) {
        *comma = '.';
    }
    double value = strtod(copy, NULL);
    if (copy != few) {
        free(copy);
    }
    return value;
}

int lab_number_integer(const lab_decimal *decimal, int scale, int64_t *value)
{
    static const uint64_t power[] = {UINT64_C(1),
                                     UINT64_C(10),
                                     UINT64_C(100),
                                     UINT64_C(1000),
                                     UINT64_C(10000),
                                     UINT64_C(100000),
                                     UINT64_C(1000000),
                                     UINT64_C(10000000),
                                     UINT64_C(100000000),
                                     UINT64_C(1000000000),
                                     UINT64_C(10000000000),
                                     UINT64_C(100000000000),
                                     UINT64_C(1000000000000),
                                     UINT64_C(10000000000000),
                                     UINT64_C(100000000000000),
                                     UINT64_C(1000000000000000),
                                     UINT64_C(10000000000000000),
                                     UINT64_C(100000000000000000),
                                     UINT64_C(1000000000000000000),
                                     UINT64_C(10000000000000000000)};
    uint64_t magnitude = decimal->digits;
    int e = decimal->exponent + scale;
    if (e > 0 && magnitude != 0) {
        if (e > 19 || magnitude > (uint64_t)INT64_MAX / power[e]) {
            return 0;
        }
        magnitude *= power[e];
    } else if (e < -19) {
        magnitude = 0;
    } else if (e < 0) {
        uint64_t p = power[-e];
        magnitude = magnitude / p + (magnitude % p >= p - p / 2);
    }
    if (magnitude > (uint64_t)INT64_MAX) {
        return 0;
    }
    *value = decimal->negative ? -(int64_t)magnitude : (int64_t)magnitude;
    return 1;
}
