/* SPDX-License-Identifier: MIT
 * Samples that are the same floats everywhere, and the digests of the attitudes that follow from them by IEEE
 * arithmetic alone. A change of a digest means that logs replayed before give other attitudes now, and
 * belongs into the notes of a release. */
#ifndef KNOWN_ANSWERS_H
#define KNOWN_ANSWERS_H

#include "marlinspike/estimator.h"

#define KNOWN_SAMPLES 1000

static const uint32_t known_digest[MARL_FILTER_COUNT] = {
    [MARL_FILTER_GYRO] = 0xe67afa3cu,          [MARL_FILTER_VECTORS] = 0x13c859e1u,
    [MARL_FILTER_COMPLEMENTARY] = 0xf7157cf1u, [MARL_FILTER_GRADIENT_DESCENT] = 0x78cccb55u,
    [MARL_FILTER_KALMAN] = 0xec1f3b3du,
};

/* The defaults. */
static inline marl_tuning known_tuning(marl_filter filter)
{
    return marl_tuning_default(filter);
}

/* Small integers over powers of two; the magnetometer is four times slower. */
static inline marl_sample known_sample(int32_t i)
{
    marl_sample s = {
        .t_ns = (int64_t)i * 10000000 + (i * 7919) % 1000,
        .accel = {(float)((i * 37) % 64 - 32) / 64.0f, (float)((i * 53) % 128 - 64) / 64.0f, 9.75f},
        .gyro = {(float)((i * 29) % 256 - 120) / 256.0f, (float)((i * 31) % 256 - 128) / 512.0f, 0.25f},
        .mag = {20.0f + (float)(i % 16) / 8.0f, 3.0f, -42.0f},
        .fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO};
    if (i % 4 == 0) {
        s.fresh |= MARL_FRESH_MAG;
    }
    return s;
}

#endif
