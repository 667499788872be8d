/* SPDX-License-Identifier: MIT
 * The root against the host's double root, which rounds correctly to float (it has more than 2 * 24 + 2
 * digits). */
#include "check_main.h"
#include "device/math/root.h"
#include "random_values.h"

static void check_both(float x)
{
    float want = (float)sqrt((double)x);
    if (isnan(want)) {
        if (!isnan(marlp_root(x)) || !isnan(marlp_root_soft(x))) {
            ck_abort_msg("root of %a is a number", (double)x);
        }
        return;
    }
    if (bits_of(marlp_root(x)) != bits_of(want) || bits_of(marlp_root_soft(x)) != bits_of(want)) {
        ck_abort_msg("root of %a: %a, soft %a", (double)x, (double)marlp_root(x), (double)marlp_root_soft(x));
    }
}

START_TEST(random_bits)
{
    dice d = {6};
    for (int i = 0; i < 1000000; i++) {
        check_both(dice_float_bits(&d));
    }
}
END_TEST

/* Both parities of the exponent, around squares and powers of two, where rounding is closest. */
START_TEST(edges)
{
    for (int e = -149; e < 128; e++) {
        float power = ldexpf(1.0f, e);
        check_both(power);
        check_both(nextafterf(power, INFINITY));
        check_both(nextafterf(power, 0));
    }
    for (uint32_t n = 1; n < 5000; n++) {
        float square = (float)n * (float)n;
        check_both(square);
        check_both(nextafterf(square, 0));
        check_both(nextafterf(square, INFINITY));
    }
    const float special[] = {0.0f, -0.0f, INFINITY, -INFINITY, NAN, -1.0f, -1e-45f, 3.402823466e38f};
    for (size_t i = 0; i < sizeof special / sizeof special[0]; i++) {
        check_both(special[i]);
    }
}
END_TEST

MARL_SUITE("root", random_bits, edges)
