/* SPDX-License-Identifier: MIT
 * The one of q and -q that is written, where a call would be felt. */
#ifndef MARL_CANONICAL_H
#define MARL_CANONICAL_H

#include "lane_quat.h"

/* The sign of the first component that is not zero. */
static inline float quat_leading_sign(marl_quat q)
{
    float part = q.w != 0.0f ? q.w : q.x != 0.0f ? q.x : q.y != 0.0f ? q.y : q.z;
    return part < 0.0f ? -1.0f : 1.0f;
}

static inline marl_quat quat_canonical(marl_quat q)
{
    float sign = quat_leading_sign(q);
    /* Adding +0 turns -0 into +0 and changes nothing else. */
    return (marl_quat){q.w * sign + 0.0f, q.x * sign + 0.0f, q.y * sign + 0.0f, q.z * sign + 0.0f};
}

#endif
