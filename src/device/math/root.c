/* SPDX-License-Identifier: MIT
 * The correctly rounded square root. */
#include "device/math/root.h"
#include "device/math/float_math.h"
#include <stdint.h>
#include <string.h>

float marlp_root(float x)
{
    return float_root(x);
}

static float from_bits(uint32_t bits)
{
    float x;
    memcpy(&x, &bits, sizeof x);
    return x;
}

/* Significand with bit 23 set, and the exponent that goes with it; denormals are shifted up. */
static uint32_t unpack(uint32_t bits, int32_t *exponent)
{
    uint32_t significand = bits & 0x7fffffu;
    *exponent = (int32_t)(bits >> 23);
    if (*exponent != 0) {
        return significand | 0x800000u;
    }
    *exponent = 1;
    while (!(significand & 0x800000u)) {
        significand <<= 1;
        (*exponent)--;
    }
    return significand;
}

/* The 25 leading bits of the root of `significand`, a fixed-point number in [1, 4); bit 0 is the
 * rounding bit. A root of a float is never exactly half-way, so that bit decides alone. */
static uint32_t root_digits(uint32_t significand)
{
    uint32_t rest = significand << 1, root = 0, sum = 0;
    for (uint32_t digit = 0x1000000u; digit != 0; digit >>= 1) {
        uint32_t trial = sum + digit;
        if (trial <= rest) {
            sum = trial + digit;
            rest -= trial;
            root += digit;
        }
        rest <<= 1;
    }
    return root;
}

float marlp_root_soft(float x)
{
    uint32_t bits;
    memcpy(&bits, &x, sizeof bits);
    if ((bits & 0x7fffffffu) == 0 || bits == 0x7f800000u) {
        return x; /* +-0, +infinity */
    }
    if (bits >= 0x7f800000u) {
        return from_bits(0x7fc00000u); /* negative or NaN */
    }
    int32_t exponent;
    uint32_t significand = unpack(bits, &exponent);
    exponent -= 127;
    if (exponent & 1) {
        significand <<= 1;
        exponent--;
    }
    uint32_t root = root_digits(significand);
    uint32_t rounded = (root >> 1) + (root & 1u);
    return from_bits((uint32_t)((exponent / 2 + 126) * (1 << 23)) + rounded);
}
