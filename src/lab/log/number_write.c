/* SPDX-License-Identifier: MIT
 * Writing numbers. Nine digits determine a float with a margin (half a unit of the ninth digit is at
 * most a sixth of half a float's step), so the rounding of the scaling in double does no harm. */
#include "lab/log/number.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

static const char pairs[] = "00010203040506070809101112131415161718192021222324252627282930313233343536"
                            "37383940414243444546474849505152535455565758596061626364656667686970717273"
                            "7475767778798081828384858687888990919293949596979899";

static const double powers[] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,  1e8,  1e9,  1e10,
                                1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20, 1e21,
                                1e22, 1e23, 1e24, 1e25, 1e26, 1e27, 1e28, 1e29, 1e30, 1e31, 1e32,
                                1e33, 1e34, 1e35, 1e36, 1e37, 1e38, 1e39, 1e40, 1e41, 1e42, 1e43,
                                1e44, 1e45, 1e46, 1e47, 1e48, 1e49, 1e50, 1e51, 1e52, 1e53};

static double scaled(double magnitude, int power)
{
    return power >= 0 ? magnitude * powers[power] : magnitude / powers[-power];
}

/* Nine digits n and exponent e with magnitude ~ n * 10^(e - 8), 1e8 <= n < 1e9. */
static uint32_t nine_digits(double magnitude, int *e)
{
    uint64_t bits;
    memcpy(&bits, &magnitude, sizeof bits);
    int binary = (int)(bits >> 52) - 1023;
    /* log10(2) = 0.30103; floor by shifting. May be one too small. */
    *e = (binary * 1262611) >> 22;
    double n = scaled(magnitude, 8 - *e);
    if (n >= 999999999.5) {
        (*e)++;
        n = scaled(magnitude, 8 - *e);
    }
    return (uint32_t)(n + 0.5);
}

/* All nine digits, and how many are left without trailing zeros. */
static int spell(uint32_t n, char digit[9])
{
    for (int i = 7; i > 0; i -= 2) {
        memcpy(digit + i, pairs + 2 * (n % 100), 2);
        n /= 100;
    }
    digit[0] = (char)('0' + n);
    int count = 9;
    while (count > 1 && digit[count - 1] == '0') {
        count--;
    }
    return count;
}

static char *copy(char *out, const char *from, int n)
{
    memcpy(out, from, (size_t)n);
    return out + n;
}

static char *write_fixed(char *out, const char *digit, int count, int e)
{
    if (e < 0) {
        out = copy(out, "0.0000", 1 - e);
        return copy(out, digit, count);
    }
    int whole = e + 1;
    if (count <= whole) {
        return copy(out, digit, whole); /* the digits after `count` are zeros */
    }
    out = copy(out, digit, whole);
    *out++ = '.';
    return copy(out, digit + whole, count - whole);
}

static char *write_exponent(char *out, const char *digit, int count, int e)
{
    *out++ = digit[0];
    if (count > 1) {
        *out++ = '.';
        out = copy(out, digit + 1, count - 1);
    }
    *out++ = 'e';
    *out++ = e < 0 ? '-' : '+';
    return copy(out, pairs + 2 * (e < 0 ? -e : e), 2);
}

char *lab_number_write(char *out, double value)
{
    if (!isfinite(value)) {
        return out;
    }
    double magnitude = fabs(value);
    if (magnitude == 0.0) {
        *out++ = '0';
        return out;
    }
    if (magnitude < 0x1p-149 || magnitude > 1e39) { /* no float: rare, left to the library */
        return out + snprintf(out, LAB_NUMBER_CAPACITY, "%.9g", value);
    }
    char digit[9];
    int e;
    int count = spell(nine_digits(magnitude, &e), digit);
    if (value < 0) {
        *out++ = '-';
    }
    return e < -4 || e > 8 ? write_exponent(out, digit, count, e) : write_fixed(out, digit, count, e);
}

static char *write_padded(char *out, uint32_t n)
{
    char digit[9];
    spell(n, digit);
    return copy(out, digit, 9);
}

/* Without leading zeros. */
static char *write_plain(char *out, uint64_t n)
{
    char digit[20];
    int at = 20;
    do {
        digit[--at] = (char)('0' + n % 10);
        n /= 10;
    } while (n != 0);
    return copy(out, digit + at, 20 - at);
}

char *lab_time_write(char *out, int64_t t_ns)
{
    uint64_t magnitude = t_ns < 0 ? 0 - (uint64_t)t_ns : (uint64_t)t_ns;
    if (t_ns < 0) {
        *out++ = '-';
    }
    out = write_plain(out, magnitude / 1000000000u);
    *out++ = '.';
    return write_padded(out, (uint32_t)(magnitude % 1000000000u));
}
