/* SPDX-License-Identifier: MIT
 * Canonical sign of q; inline because it runs for every sample. */
#ifndef MARL_CANONICAL_H
#define MARL_CANONICAL_H

#include "device/math/vec_quat.h"

/* Is the first component that is not zero negative? */
static inline int quat_leads_negative(const marl_quat *q)
{
    return q->w != 0.0f ? q->w < 0.0f : q->x != 0.0f ? q->x < 0.0f : q->y != 0.0f ? q->y < 0.0f : q->z < 0.0f;
}

/* Neither sum keeps a -0; nothing else changes but the signs. */
static inline marl_quat quat_canonical(const marl_quat *q)
{
    if (quat_leads_negative(q)) {
        return (marl_quat){0.0f - q->w, 0.0f - q->x, 0.0f - q->y, 0.0f - q->z};
    }
    return (marl_quat){q->w + 0.0f, q->x + 0.0f, q->y + 0.0f, q->z + 0.0f};
}

#endif
