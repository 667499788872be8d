/* SPDX-License-Identifier: MIT
 * Float arithmetic whose bits are the same on every machine. */
#ifndef MARL_FLOAT_MATH_H
#define MARL_FLOAT_MATH_H

#include "device/math/root.h"
#include <float.h>
#include <math.h>

#ifdef __FAST_MATH__
#error "Marlinspike promises the same bits everywhere: build without -ffast-math"
#endif
_Static_assert(FLT_EVAL_METHOD == 0, "float arithmetic must be done in float, not in a wider type");

/* Soft-float machines: the C library's root is slow there and drags in errno. */
static inline float float_root(float x)
{
#if defined(__SOFTFP__) || defined(__riscv_float_abi_soft) || defined(MARL_SOFT_ROOT)
    return marlp_root_soft(x);
#else
    return sqrtf(x);
#endif
}

static inline float float_min(float a, float b)
{
    return a < b ? a : b;
}

static inline float float_max(float a, float b)
{
    return a > b ? a : b;
}

static inline float float_abs(float x)
{
    return x < 0.0f ? -x : x;
}

static inline float float_clamp(float x, float limit)
{
    return float_max(float_min(x, limit), -limit);
}

/* Decaying states never reach denormals, which some parts flush and others compute slowly: what is below
 * 1e-20 is lost in the sum, everything above keeps its bits but for the last. -0 becomes +0. */
static inline float float_snap(float x)
{
    return (x + 1e-13f) - 1e-13f;
}

#endif
