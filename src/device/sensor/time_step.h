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
    if (step >= UINT64_C(1000) << 31) {
        return MARL_ERR_GAP;
    }
    /* Microseconds, without a division of 64 bits: step = high * 2^20 + low, and 2^20 = 1048 * 1000 + 576. */
    uint32_t high = (uint32_t)(step >> 20), low = (uint32_t)step & 0xfffffu;
    uint32_t micro = high * 1048u + (high * 576u + low) / 1000u;
    *seconds = (float)(int32_t)micro * 1e-6f;
    return MARL_OK;
}

#endif
