/* SPDX-License-Identifier: MIT
 * The boot self-test. Operands are volatile, so that the machine computes and not the compiler. */
#include "device/math/root.h"
#include "marlinspike/status.h"
#include <float.h>
#include <stddef.h>
#include <stdint.h>
#include <string.h>

/* (1 + e)(1 - e) - 1 is 0 when the product is rounded first, -e^2 when it is not. Not volatile in
 * between: that is where a contraction would happen. */
static int contracts(void)
{
    volatile float up = 1.0f + FLT_EPSILON, down = 1.0f - FLT_EPSILON, one = -1.0f;
    float a = up, b = down, c = one;
    return a * b + c != 0.0f;
}

static int flushes(void)
{
    volatile float min = FLT_MIN, half = 0.5f;
    volatile float denormal = min * half;
    return denormal == 0.0f || denormal + denormal != min;
}

/* Ties on either side of 1 and -1 distinguish all four rounding modes. */
static int rounds_oddly(void)
{
    volatile float one = 1.0f, half = 0.5f * FLT_EPSILON, three_halves = 1.5f * FLT_EPSILON;
    volatile float even_down = one + half, even_up = one + three_halves;
    volatile float minus_down = -one - half, minus_up = -one - three_halves;
    return even_down != 1.0f || even_up != 1.0f + 2.0f * FLT_EPSILON || minus_down != -1.0f ||
           minus_up != -1.0f - 2.0f * FLT_EPSILON;
}

/* Arguments and correctly rounded roots, as bits: easy, close to half-way, denormal, largest. */
static int roots_are_wrong(void)
{
    static const uint32_t known[][2] = {
        {0x40000000u, 0x3fb504f3u}, {0x40400000u, 0x3fddb3d7u}, {0x3f7fffffu, 0x3f7fffffu},
        {0x3f800001u, 0x3f800000u}, {0x3f800003u, 0x3f800001u}, {0x00000001u, 0x1a3504f3u},
        {0x7f7fffffu, 0x5f7fffffu}, {0x3f800002u, 0x3f800001u},
    };
    for (size_t i = 0; i < sizeof known / sizeof known[0]; i++) {
        float x, root;
        uint32_t bits;
        memcpy(&x, &known[i][0], sizeof x);
        volatile float argument = x;
        root = marlp_root(argument);
        memcpy(&bits, &root, sizeof bits);
        if (bits != known[i][1]) {
            return 1;
        }
    }
    return 0;
}

marl_status marl_selftest(unsigned *findings)
{
    unsigned found = MARL_SELFTEST_PASSED;
    found |= contracts() ? MARL_SELFTEST_CONTRACTED : 0u;
    found |= flushes() ? MARL_SELFTEST_FLUSHED : 0u;
    found |= rounds_oddly() ? MARL_SELFTEST_ROUNDING : 0u;
    found |= roots_are_wrong() ? MARL_SELFTEST_ROOT : 0u;
    if (findings != NULL) {
        *findings = found;
    }
    return found == MARL_SELFTEST_PASSED ? MARL_OK : MARL_ERR_ARITHMETIC;
}
