/* SPDX-License-Identifier: MIT
 * The time between two stamps, where a call would be felt. */
#ifndef MARL_TIME_STEP_H
#define MARL_TIME_STEP_H

#include "device/math/exact.h"
#include "marlinspike/sample.h"

static inline marl_status time_step(int64_t from_ns, int64_t to_ns, float *seconds)
{
    /* Unsigned, because wild clocks would overflow a signed difference. */
    uint64_t step = (uint64_t)to_ns - (uint64_t)from_ns;
    *seconds = 0.0f;
    if (to_ns <= from_ns) {
        return MARL_ERR_TIME;
    }
    if (step <= (uint64_t)INT32_MAX) {
        *seconds = (float)(int32_t)step * 1e-9f;
        return MARL_OK;
    }
    uint64_t micro = step / 1000u;
    if (micro > (uint64_t)INT32_MAX) {
        return MARL_ERR_GAP;
    }
    *seconds = (float)(int32_t)micro * 1e-6f;
    return MARL_OK;
}

#endif
