/* SPDX-License-Identifier: MIT
 * The digests of a whole log: every filter at its defaults, raw. The log comes as bytes, a sample in 52 of them, all
 * numbers little-endian: time in ns (8), fresh (1), three unused, accel, gyro, mag, temp (ten floats). */
#ifndef LOG_DIGESTS_H
#define LOG_DIGESTS_H

#include "marlinspike/estimator.h"
#include <stddef.h>
#include <string.h>

enum { LOG_SAMPLE_BYTES = 52 };

static inline uint32_t log_word(const uint8_t *bytes)
{
    return bytes[0] | (uint32_t)bytes[1] << 8 | (uint32_t)bytes[2] << 16 | (uint32_t)bytes[3] << 24;
}

static inline float log_float(const uint8_t *bytes)
{
    uint32_t bits = log_word(bytes);
    float x;
    memcpy(&x, &bits, sizeof x);
    return x;
}

static inline marl_vec3 log_vector(const uint8_t *bytes)
{
    return (marl_vec3){log_float(bytes), log_float(bytes + 4), log_float(bytes + 8)};
}

static inline marl_sample log_sample(const uint8_t bytes[LOG_SAMPLE_BYTES])
{
    uint64_t t = (uint64_t)log_word(bytes + 4) << 32 | log_word(bytes);
    return (marl_sample){.t_ns = (int64_t)t,
                         .fresh = bytes[8],
                         .accel = log_vector(bytes + 12),
                         .gyro = log_vector(bytes + 24),
                         .mag = log_vector(bytes + 36),
                         .temp = log_float(bytes + 48)};
}

/* All filters side by side. */
typedef struct log_digests {
    marl_pipeline pipeline[MARL_FILTER_COUNT];
} log_digests;

static inline void log_digests_begin(log_digests *d)
{
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        const marl_pipeline_config config = marl_pipeline_default((marl_filter)f);
        (void)!marl_pipeline_init(&d->pipeline[f], &config);
    }
}

static inline void log_digests_add(log_digests *d, const uint8_t bytes[LOG_SAMPLE_BYTES])
{
    const marl_sample sample = log_sample(bytes);
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        marl_quat q;
        (void)!marl_pipeline_step(&d->pipeline[f], &sample, &q);
    }
}

#endif
