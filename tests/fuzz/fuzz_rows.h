/* SPDX-License-Identifier: MIT
 * What holds of every row of a log that was read. */
#ifndef FUZZ_ROWS_H
#define FUZZ_ROWS_H

#include "fuzz.h"
#include "marlinspike/lab.h"
#include <math.h>

static inline int fuzz_is_finite(marl_vec3 v)
{
    return isfinite(v.x) && isfinite(v.y) && isfinite(v.z);
}

static inline int fuzz_is_unit(marl_quat q)
{
    return fabsf(q.w * q.w + q.x * q.x + q.y * q.y + q.z * q.z - 1.0f) < 1e-3f;
}

/* Times rise, fresh readings are finite, attitudes are rotations. */
static inline void fuzz_check_rows(const marl_log *log)
{
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        FUZZ_HOLDS(i == 0 || s->t_ns > log->row[i - 1].sample.t_ns);
        FUZZ_HOLDS(!(s->fresh & MARL_FRESH_ACCEL) || fuzz_is_finite(s->accel));
        FUZZ_HOLDS(!(s->fresh & MARL_FRESH_GYRO) || fuzz_is_finite(s->gyro));
        FUZZ_HOLDS(!(s->fresh & MARL_FRESH_MAG) || fuzz_is_finite(s->mag));
        FUZZ_HOLDS(!(s->fresh & MARL_FRESH_TEMP) || isfinite(s->temp));
        FUZZ_HOLDS(!(s->fresh & MARL_FRESH_SPEED) || isfinite(s->speed));
        FUZZ_HOLDS(!log->row[i].has_q || fuzz_is_unit(log->row[i].q));
    }
}

#endif
