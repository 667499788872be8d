/* SPDX-License-Identifier: MIT
 * Readings that are the same floats everywhere, and the digests of the calibrations that a device makes of them. */
#ifndef KNOWN_RENEWAL_H
#define KNOWN_RENEWAL_H

#include "marlinspike/renew.h"

enum { KNOWN_RENEWAL_SAMPLES = 6200 }; /* at 100 Hz */

static const uint32_t known_renewal[MARL_RENEW_TUMBLE + 1] = {0, 0x456e5b4bu, 0x3f948745u, 0x2a063d0cu};

/* A part of 0 to 1 that jumps about. */
static inline float known_part(int32_t i, int32_t step, int32_t of)
{
    return (float)(i * step % of) / (float)of;
}

/* A field of 50 uT from all sides, through a hard iron. */
static inline marl_vec3 known_tumble(int32_t i)
{
    const float height = 2.0f * known_part(i, 37, 101) - 1.0f, around = known_part(i, 61, 97);
    const float x = 2.0f * around - 1.0f, y = around < 0.5f ? 2.0f * around : 2.0f - 2.0f * around;
    const float length = marl_vec3_norm((marl_vec3){x, y, height}) + 1e-6f, noise = known_part(i, 17, 13);
    const marl_vec3 side = {x / length, (i & 1 ? -y : y) / length, height / length};
    return (marl_vec3){50.0f * side.x + 20.0f + noise, 52.0f * side.y - 9.0f + noise, 48.0f * side.z + noise};
}

/* Each of the six faces up in turn, three seconds at rest and one in a hand. */
static inline marl_vec3 known_pose(int32_t i)
{
    const int32_t face = i / 400 % 6, at = i % 400;
    const float up = face & 1 ? -9.75f : 9.75f, hand = at < 100 ? 4.0f * known_part(i, 29, 31) : 0.0f;
    const float noise = 0.02f * known_part(i, 11, 23);
    marl_vec3 v = {0.125f + noise + hand, 0.25f - noise, -0.0625f + noise - hand};
    v.x += face / 2 == 0 ? up : 0.0f;
    v.y += face / 2 == 1 ? up : 0.0f;
    v.z += face / 2 == 2 ? up : 0.0f;
    return v;
}

static inline marl_sample known_renewal_sample(marl_renewal_kind kind, int32_t i)
{
    marl_sample s = {.t_ns = (int64_t)(i + 1) * 10000000};
    if (kind == MARL_RENEW_TUMBLE) {
        s.fresh = MARL_FRESH_MAG;
        s.mag = known_tumble(i);
    } else if (kind == MARL_RENEW_POSES) {
        s.fresh = MARL_FRESH_ACCEL;
        s.accel = known_pose(i);
    } else {
        const float noise = 0.004f * known_part(i, 11, 23);
        s.fresh = MARL_FRESH_GYRO | MARL_FRESH_ACCEL;
        s.gyro = (marl_vec3){0.0625f + noise, -0.03125f - noise, 0.015625f + noise};
        s.accel = (marl_vec3){noise, -noise, 9.75f};
    }
    return s;
}

/* The digest of what is found; 0 when it is refused. */
static inline uint32_t known_renewal_digest(marl_renewal *job, marl_renewal_kind kind)
{
    const marl_calibration none = marl_calibration_none();
    marl_renewal_init(job);
    if (marl_renewal_start(job, kind, &none, NULL) != MARL_OK) {
        return 0;
    }
    for (int32_t i = 0; i < KNOWN_RENEWAL_SAMPLES; i++) {
        marl_sample s = known_renewal_sample(kind, i);
        marl_renewal_feed(job, &s);
    }
    if (job->stage != MARL_RENEWAL_DONE) {
        return 0;
    }
    const marl_renewed *f = &job->found;
    uint32_t digest = 0;
    for (int row = 0; row < 3; row++) {
        const float *m = f->correction.matrix.m[row];
        digest = marl_digest_add(digest, row, (marl_quat){m[0], m[1], m[2], f->residual_rms});
    }
    const marl_vec3 b = f->correction.bias, e = f->bias_sigma;
    digest = marl_digest_add(digest, 3, (marl_quat){b.x, b.y, b.z, f->matrix_sigma});
    return marl_digest_add(digest, 4, (marl_quat){e.x, e.y, e.z, f->coverage});
}

#endif
