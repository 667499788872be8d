/* SPDX-License-Identifier: MIT
 * The scalar type on which the inner steps are written: one float, or, with MARL_LANES defined, a
 * vector of that many floats, so that many tunings step side by side. Arithmetic and comparison are
 * plain operators on both; what differs stands here. */
#ifndef MARL_LANE_H
#define MARL_LANE_H

#include "marlinspike/quat.h"
#include "marlinspike/root.h"
#include <float.h>
#include <math.h>
#include <stdint.h>

#ifdef __FAST_MATH__
#error "Marlinspike promises the same bits everywhere: build without -ffast-math"
#endif
_Static_assert(FLT_EVAL_METHOD == 0, "float arithmetic must be done in float, not in a wider type");

#ifdef MARL_LANES

typedef float lane __attribute__((vector_size(4 * MARL_LANES)));
typedef int32_t lane_mask __attribute__((vector_size(4 * MARL_LANES)));
typedef struct lane3 {
    lane x, y, z;
} lane3;
typedef struct laneq {
    lane w, x, y, z;
} laneq;

static inline lane lane_select(lane_mask condition, lane yes, lane no)
{
    return (lane)((condition & (lane_mask)yes) | (~condition & (lane_mask)no));
}

static inline lane lane_root(lane x)
{
    lane root = x;
    for (int i = 0; i < MARL_LANES; i++) {
        root[i] = sqrtf(x[i]);
    }
    return root;
}

/* As many floats as `like` has, which is finite. */
static inline lane lane_constant(lane like, float value)
{
    return 0.0f * like + value;
}

#else

typedef float lane;
typedef int lane_mask; /* 0 or 1 */
typedef marl_vec3 lane3;
typedef marl_quat laneq;

static inline lane lane_select(lane_mask condition, lane yes, lane no)
{
    return condition ? yes : no;
}

static inline lane lane_constant(lane like, float value)
{
    (void)like;
    return value;
}

/* Soft-float machines: the C library's root is slow there and drags in errno. */
#if defined(__SOFTFP__) || defined(__riscv_float_abi_soft) || defined(MARL_SOFT_ROOT)
static inline lane lane_root(lane x)
{
    return marl_root_soft(x);
}
#else
static inline lane lane_root(lane x)
{
    return sqrtf(x);
}
#endif

#endif

static inline lane lane_least(lane a, lane b)
{
    return lane_select(a < b, a, b);
}

static inline lane lane_most(lane a, lane b)
{
    return lane_select(a > b, a, b);
}

/* Decaying states never reach denormals, which some parts flush and others compute slowly: what is below
 * 1e-20 is lost in the sum, everything above keeps its bits but for the last. -0 becomes +0. */
static inline lane lane_snap(lane x)
{
    return (x + 1e-13f) - 1e-13f;
}

#endif
