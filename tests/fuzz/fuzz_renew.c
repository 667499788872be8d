/* SPDX-License-Identifier: MIT
 * Calibrations on the device from any readings, over any stored one: they end, and what is accepted is a calibration. */
#include "fuzz.h"
#include "marlinspike/renew.h"
#include <math.h>

enum { MOST = 4000 };

static float small(fuzz_bytes *in)
{
    return (float)(int8_t)fuzz_byte(in) / 128.0f;
}

static marl_correction any_correction(fuzz_bytes *in)
{
    marl_correction c = {.present = 1, .matrix = marl_mat3_identity()};
    c.bias = (marl_vec3){100.0f * small(in), 100.0f * small(in), 100.0f * small(in)};
    for (int i = 0; i < 9; i++) {
        c.matrix.m[i / 3][i % 3] += small(in);
    }
    return marl_correction_check(&c) == MARL_OK ? c : (marl_correction){.matrix = marl_mat3_identity()};
}

/* Three bytes make a reading of ordinary size; the least of them, three times, is followed by any bits. */
static marl_vec3 any_vector(fuzz_bytes *in, float size)
{
    marl_vec3 v = {small(in), small(in), small(in)};
    if (v.x == -1.0f && v.y == -1.0f && v.z == -1.0f) {
        fuzz_take(in, &v, sizeof v);
        return v;
    }
    return (marl_vec3){size * v.x, size * v.y, size * v.z};
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static marl_renewal job;
    fuzz_bytes in = {data, size};
    uint8_t how = fuzz_byte(&in);
    marl_renewal_kind kind = (marl_renewal_kind)(1 + how % 3);
    marl_calibration stored = marl_calibration_none();
    marl_renewal_options options = marl_renewal_default(kind);
    marl_field_watch watch;
    options.coverage = how & 64 ? 1.0f : 0.5f;
    if (how & 128) {
        stored.accel = stored.gyro = stored.mag = any_correction(&in);
    }
    marl_field_watch_init(&watch);
    marl_renewal_init(&job);
    FUZZ_HOLDS(marl_renewal_start(&job, kind, &stored, &options) == MARL_OK);
    const int repeat = how & 32 ? 40 : 1; /* held for long enough to be a rest */
    int64_t t_ns = 0;
    for (int i = 0; i < MOST && in.left > 0; i++) {
        marl_sample s = {.fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG};
        s.mag = any_vector(&in, 60.0f);
        s.accel = (marl_vec3){s.mag.x / 5.0f, s.mag.y / 5.0f, s.mag.z / 5.0f};
        s.gyro = (marl_vec3){s.mag.x / 500.0f, s.mag.y / 500.0f, s.mag.z / 500.0f};
        for (int k = 0; k < repeat; k++) {
            s.t_ns = t_ns += 20000000;
            marl_renewal_feed(&job, &s);
        }
        (void)marl_field_watch_feed(&watch, 50 * t_ns, s.mag);
    }
    marl_renewal_finish(&job);
    for (int i = 0; i < 100; i++) {
        const marl_sample none = {.t_ns = t_ns};
        marl_renewal_feed(&job, &none);
    }
    FUZZ_HOLDS(job.stage == MARL_RENEWAL_DONE || job.stage == MARL_RENEWAL_REFUSED);
    marl_calibration found = stored;
    if (job.stage == MARL_RENEWAL_DONE && marl_renewal_apply(&job, &found) == MARL_OK) {
        FUZZ_HOLDS(marl_calibration_check(&found) == MARL_OK);
        FUZZ_HOLDS(isfinite(job.found.bias_sigma.x + job.found.bias_sigma.y + job.found.bias_sigma.z));
        FUZZ_HOLDS(job.found.coverage >= 0.0f && job.found.coverage <= 1.0f && job.found.missing <= 6);
    }
    FUZZ_HOLDS(!watch.again || isfinite(watch.off.x + watch.length));
    return 0;
}
