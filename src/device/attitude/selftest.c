/* SPDX-License-Identifier: MIT
 * The boot self-test: single operations, and every estimator behind a correction. Operands are volatile, so that the
 * machine computes and not the compiler. */
#include "device/math/root.h"
#include "marlinspike/estimator.h"
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

enum { SAMPLES = 24, STEP_NS = 50000000 };

/* Small integers over powers of two, the same floats everywhere. */
static marl_sample known_sample(int32_t i)
{
    marl_sample s = {
        .t_ns = (int64_t)i * STEP_NS,
        .accel = {(float)((i * 37) % 64 - 32) / 64.0f, (float)((i * 53) % 128 - 64) / 64.0f, 9.75f},
        .gyro = {(float)((i * 29) % 256 - 120) / 256.0f, (float)((i * 31) % 256 - 128) / 512.0f, 0.25f},
        .mag = {20.0f + (float)(i % 16) / 8.0f, 3.0f, -42.0f},
        .temp = 24.0f + (float)(i % 4) / 4.0f,
        .fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG | MARL_FRESH_TEMP};
    return s;
}

/* With curves and a mount, whose numbers need rounding. */
static void set_known_calibration(marl_calibration *c)
{
    const marl_correction known = {.present = 1,
                                   .matrix = {{{1.015625f, 0.0078125f, -0.0625f},
                                               {0.03125f, 0.984375f, 0.015625f},
                                               {-0.015625f, 0.0f, 1.03125f}}},
                                   .bias = {0.0625f, -0.03125f, 0.015625f},
                                   .has_curve = 1,
                                   .curve = {20.0f,
                                             -10.0f,
                                             60.0f,
                                             {0.0078125f, 0.015625f, -0.0078125f},
                                             {0.000244140625f, 0.0f, 0.00048828125f}}};
    c->accel = c->gyro = c->mag = known;
    c->has_mount = 1;
    c->mount = (marl_quat){0.96f, 0.0f, 0.28f, 0.0f};
}

/* The parts of a pipeline alone, which take less stack. */
static uint32_t digest_of(marl_filter filter, const marl_calibration *calibration, marl_filter_choice choice)
{
    const marl_tuning tuning = marl_tuning_default(filter);
    marl_estimator estimator;
    uint32_t digest = 0;
    if (marl_estimator_init_with(&estimator, &tuning, choice) != MARL_OK) {
        return 0;
    }
    for (int32_t i = 0; i < SAMPLES; i++) {
        marl_sample sample = known_sample(i);
        marl_quat q;
        marl_calibration_correct(calibration, sample.temp, &sample);
        marl_calibration_mount(calibration, &sample);
        (void)!marl_estimator_update(&estimator, &sample);
        (void)!marl_estimator_attitude(&estimator, &q);
        digest = marl_digest_add(digest, sample.t_ns, q);
    }
    return digest;
}

static int estimators_are_wrong(marl_filter_choice choice)
{
    static const uint32_t known[MARL_FILTER_COUNT] = {0xc13ecb9bu, 0xdcd53fa0u, 0xc7bed39au, 0x36513d2bu,
                                                      0xf6a55e61u};
    marl_calibration calibration;
    set_known_calibration(&calibration);
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        int linked = choice((marl_filter)f) != NULL;
        if (linked && digest_of((marl_filter)f, &calibration, choice) != known[f]) {
            return 1;
        }
    }
    return 0;
}

marl_status marl_selftest_with(unsigned *findings, marl_filter_choice choice)
{
    unsigned found = MARL_SELFTEST_PASSED;
    found |= contracts() ? MARL_SELFTEST_CONTRACTED : 0u;
    found |= flushes() ? MARL_SELFTEST_FLUSHED : 0u;
    found |= rounds_oddly() ? MARL_SELFTEST_ROUNDING : 0u;
    found |= roots_are_wrong() ? MARL_SELFTEST_ROOT : 0u;
    found |= estimators_are_wrong(choice) ? MARL_SELFTEST_ESTIMATOR : 0u;
    if (findings != NULL) {
        *findings = found;
    }
    return found == MARL_SELFTEST_PASSED ? MARL_OK : MARL_ERR_ARITHMETIC;
}
