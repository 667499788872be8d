/* SPDX-License-Identifier: MIT
 * Random values for property tests, from a fixed seed. */
#ifndef RANDOM_VALUES_H
#define RANDOM_VALUES_H

#include "marlinspike/quat.h"
#include <math.h>
#include <stdint.h>
#include <string.h>

typedef struct dice {
    uint64_t state;
} dice;

static inline uint64_t dice_bits(dice *d)
{
    d->state = d->state * UINT64_C(6364136223846793005) + UINT64_C(1442695040888963407);
    uint64_t x = d->state;
    x ^= x >> 33;
    x *= UINT64_C(0xff51afd7ed558ccd);
    return x ^ (x >> 33);
}

/* 0 to n - 1 */
static inline uint32_t dice_below(dice *d, uint32_t n)
{
    return (uint32_t)(((dice_bits(d) >> 32) * n) >> 32);
}

/* [low, high) */
static inline double dice_between(dice *d, double low, double high)
{
    return low + (high - low) * (double)(dice_bits(d) >> 11) * 0x1p-53;
}

/* A sum of twelve: close to normal, deviation 1. */
static inline double dice_normal(dice *d)
{
    double sum = -6;
    for (int i = 0; i < 12; i++) {
        sum += dice_between(d, 0, 1);
    }
    return sum;
}

/* Any float at all: NaN, infinities, denormals. */
static inline float dice_float_bits(dice *d)
{
    uint32_t bits = (uint32_t)(dice_bits(d) >> 32);
    float x;
    memcpy(&x, &bits, sizeof x);
    return x;
}

static inline marl_vec3 dice_vector(dice *d, double size)
{
    return (marl_vec3){(float)dice_between(d, -size, size), (float)dice_between(d, -size, size),
                       (float)dice_between(d, -size, size)};
}

/* Even over all attitudes. */
static inline marl_quat dice_attitude(dice *d)
{
    double w = dice_normal(d), x = dice_normal(d), y = dice_normal(d), z = dice_normal(d);
    double n = sqrt(w * w + x * x + y * y + z * z);
    return (marl_quat){(float)(w / n), (float)(x / n), (float)(y / n), (float)(z / n)};
}

static inline uint32_t bits_of(float x)
{
    uint32_t bits;
    memcpy(&bits, &x, sizeof bits);
    return bits;
}

/* Angle between two attitudes, rad. */
static inline double angle_between(marl_quat a, marl_quat b)
{
    marl_quat e = marl_quat_product(a, marl_quat_conjugate(b));
    double v = sqrt((double)e.x * (double)e.x + (double)e.y * (double)e.y + (double)e.z * (double)e.z);
    return 2 * atan2(v, fabs((double)e.w));
}

#endif
