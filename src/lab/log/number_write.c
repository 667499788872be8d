/* SPDX-License-Identifier: MIT
 * Writing numbers. Nine digits determine a float with a margin (half a unit of the ninth digit is at
 * most a sixth of half a float's step), so the rounding of the scaling in double does no harm. */
#include "lab/log/number.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

#define NINE 9 /* significant digits */

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

/* Digits, and zeros that may be copied behind them. */
typedef struct spelled {
    char digit[2 * NINE];
    int count; /* of digits, without trailing zeros */
} spelled;

/* How many of nine digits are left without trailing zeros: eight are looked at at once. */
static int significant(const char digit[NINE])
{
    uint64_t x;
    memcpy(&x, digit + 1, sizeof x);
#if defined(__BYTE_ORDER__) && __BYTE_ORDER__ == __ORDER_BIG_ENDIAN__
    x = __builtin_bswap64(x);
#endif
    x ^= UINT64_C(0x3030303030303030);
    return x == 0 ? 1 : NINE - (__builtin_clzll(x) >> 3);
}

static void spell(uint32_t n, char digit[NINE])
{
    for (int i = NINE - 2; i > 0; i -= 2) {
        memcpy(digit + i, pairs + 2 * (n % 100), 2);
        n /= 100;
    }
    digit[0] = (char)('0' + n);
}

/* n characters, at most nine: nine are copied, since a length that is known takes no loop. Behind a number
 * there is room (LAB_NUMBER_CAPACITY), and what comes next overwrites what is too much. */
static char *copy(char *out, const char *from, int n)
{
    memcpy(out, from, NINE);
    return out + n;
}

static char *write_fixed(char *out, const spelled *s, int e)
{
    static const char zeros[NINE] = "0.0000";
    if (e < 0) {
        out = copy(out, zeros, 1 - e);
        return copy(out, s->digit, s->count);
    }
    int whole = e + 1;
    out = copy(out, s->digit, whole);
    if (s->count <= whole) {
        return out; /* the digits after `count` are zeros */
    }
    *out++ = '.';
    return copy(out, s->digit + whole, s->count - whole);
}

static char *write_exponent(char *out, const spelled *s, int e)
{
    *out++ = s->digit[0];
    if (s->count > 1) {
        *out++ = '.';
        out = copy(out, s->digit + 1, s->count - 1);
    }
    *out++ = 'e';
    *out++ = e < 0 ? '-' : '+';
    memcpy(out, pairs + 2 * (e < 0 ? -e : e), 2);
    return out + 2;
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
    spelled s = {{0}, 0};
    int e;
    spell(nine_digits(magnitude, &e), s.digit);
    s.count = significant(s.digit);
    *out = '-';
    out += value < 0;
    return e < -4 || e > NINE - 1 ? write_exponent(out, &s, e) : write_fixed(out, &s, e);
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
    memcpy(out, digit + at, (size_t)(20 - at));
    return out + (20 - at);
}

char *lab_time_write(char *out, int64_t t_ns)
{
    uint64_t magnitude = t_ns < 0 ? 0 - (uint64_t)t_ns : (uint64_t)t_ns;
    if (t_ns < 0) {
        *out++ = '-';
    }
    out = write_plain(out, magnitude / 1000000000u);
    *out++ = '.';
    spell((uint32_t)(magnitude % 1000000000u), out);
    return out + NINE;
}
