/* SPDX-License-Identifier: MIT
 * The scanner of number.h, to be inlined into the loop over cells: it and the double's fast path are where
 * the time of reading goes. Of the decimals, which are many, eight are looked at at once without a branch for
 * each. */
#ifndef LAB_NUMBER_SCAN_H
#define LAB_NUMBER_SCAN_H

#include <string.h>

#define LAB_EXACT_POWERS 22
extern const double lab_power_of_ten[LAB_EXACT_POWERS + 1];

/* The parts that are rarely needed. */
const char *lab_number_scan_exponent(const char *p, int *exponent);
void lab_number_scan_many(const char *p, const char *end, char point, lab_decimal *decimal);
double lab_number_by_library(const char *text, const char *end, char point);

/* Reads the digits that begin at p, eight at most, onto *digits; returns how many. Neighbouring digits are
 * joined in three steps; the first character is the lowest byte. */
static inline int lab_scan_run(const char *p, uint64_t *digits)
{
    static const uint64_t power[] = {1, 10, 100, 1000, 10000, 100000, 1000000, 10000000, 100000000};
    uint64_t x;
    memcpy(&x, p, sizeof x);
#if defined(__BYTE_ORDER__) && __BYTE_ORDER__ == __ORDER_BIG_ENDIAN__
    x = __builtin_bswap64(x);
#endif
    x -= UINT64_C(0x3030303030303030);
    /* a byte that is no digit has its high bit set; borrows and carries only reach later bytes */
    uint64_t other = ((x + UINT64_C(0x7676767676767676)) | x) & UINT64_C(0x8080808080808080);
    int n = 8;
    if (other != 0) {
        n = __builtin_ctzll(other) >> 3;
        x = (x << (56 - 8 * n)) << 8;
    }
    x = (x * 10 + (x >> 8)) & UINT64_C(0x00ff00ff00ff00ff);
    x = (x * 100 + (x >> 16)) & UINT64_C(0x0000ffff0000ffff);
    x = (x * 10000 + (x >> 32)) & UINT64_C(0xffffffff);
    *digits = *digits * power[n] + x;
    return n;
}

/* One digit after the other; returns their end. More than 19 overflow *digits, which the caller checks. */
static inline const char *lab_scan_digits(const char *p, uint64_t *digits)
{
    for (unsigned d; (d = (unsigned)(unsigned char)*p - '0') <= 9; p++) {
        *digits = *digits * 10 + d;
    }
    return p;
}

static inline const char *lab_number_scan(const char *text, char point, lab_decimal *decimal)
{
    uint64_t digits = 0;
    int negative = *text == '-';
    const char *start = text + (negative || *text == '+');
    const char *p = lab_scan_digits(start, &digits);
    int count = (int)(p - start), decimals = 0;
    if (*p == point) {
        const char *first = p + 1;
        int run = lab_scan_run(first, &digits);
        p = run < 8 ? first + run : lab_scan_digits(first + run, &digits);
        decimals = (int)(p - first);
        count += decimals;
    }
    if (count == 0) {
        return NULL;
    }
    *decimal = (lab_decimal){digits, -decimals, negative, 0};
    if (count > 19) {
        lab_number_scan_many(start, p, point, decimal);
    }
    return *p == 'e' || *p == 'E' ? lab_number_scan_exponent(p + 1, &decimal->exponent) : p;
}

static inline double lab_number_value(const char *text, const char *end, char point,
                                      const lab_decimal *decimal)
{
    int e = decimal->exponent;
    if (decimal->inexact || decimal->digits > (UINT64_C(1) << 53) || e < -LAB_EXACT_POWERS ||
        e > LAB_EXACT_POWERS) {
        return lab_number_by_library(text, end, point);
    }
    double value = (double)(int64_t)decimal->digits;
    value = e < 0 ? value / lab_power_of_ten[-e] : value * lab_power_of_ten[e];
    return decimal->negative ? -value : value;
}

/* The common cell in one go: [-] digits [point digits] of at most 16 decimals, 19 digits and 2^53, not
 * zero. Returns NULL or the place where it stopped: when that is not the cell's end, the caller scans it
 * again with lab_number_scan. Signs come and go at random, so there is no branch on them; zero is left out
 * because it has one, too. */
static inline const char *lab_number_plain(const char *text, char point, double *value)
{
    uint64_t digits = 0;
    int negative = *text == '-';
    const char *start = text + negative, *p = lab_scan_digits(start, &digits);
    long count = p - start, decimals = 0;
    if (*p == point) {
        decimals = lab_scan_run(++p, &digits);
        if (decimals == 8) {
            decimals += lab_scan_run(p + 8, &digits);
        }
        p += decimals;
    }
    count += decimals;
    if (count > 19 || digits == 0 || digits > (UINT64_C(1) << 53)) {
        return NULL;
    }
    int64_t whole = ((int64_t)digits ^ -(int64_t)negative) + negative;
    *value = (double)whole / lab_power_of_ten[decimals];
    return p;
}

#endif
