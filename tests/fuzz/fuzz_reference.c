/* SPDX-License-Identifier: MIT
 * References that step, turn and repeat in any way, against an estimate: check, clock and match give unit
 * rotations and finite numbers, or say why not. Short and coarse, so that a run costs milliseconds. */
#include "fuzz.h"
#include "marlinspike/lab.h"
#include <math.h>

enum { ROWS = 260 };

static marl_attitude estimate[ROWS], reference[ROWS];
static marl_log_row row[ROWS];

/* A walk of rotations whose steps come from the input. */
static void make(fuzz_bytes *in)
{
    marl_quat a = marl_quat_identity(), b = a;
    int64_t ta = 0, tb = (int64_t)(1e9 * fuzz_share(in));
    double size = 0.3 + 0.3 * fuzz_share(in), other = 0.2 * fuzz_share(in), w[3] = {0};
    for (int i = 0; i < ROWS; i++) {
        for (int k = 0; k < 3; k++) {
            w[k] = 0.8 * w[k] + size * fuzz_share(in);
        }
        marl_quat step = marl_quat_from_rpy((float)(0.05 * w[0]), (float)(0.05 * w[1]), (float)(0.05 * w[2]));
        a = marl_quat_product(a, step);
        b = marl_quat_product(b, step);
        b = marl_quat_product(b, marl_quat_from_rpy((float)(other * fuzz_share(in)), 0, 0));
        (void)!marl_quat_normalize(&a);
        (void)!marl_quat_normalize(&b);
        estimate[i] = (marl_attitude){ta, a};
        reference[i] = (marl_attitude){tb, b};
        row[i].sample = (marl_sample){.t_ns = ta,
                                      .gyro = {(float)w[0], (float)w[1], (float)w[2]},
                                      .accel = {0, 0, 9.8f},
                                      .fresh = MARL_FRESH_GYRO | MARL_FRESH_ACCEL};
        ta += 50000000 + (int64_t)(40000000 * fuzz_share(in));
        tb += 50000000 + (int64_t)(49000000 * fuzz_share(in));
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    fuzz_bytes in = {data, size};
    static char path[] = "made.csv";
    marl_log log = {.path = path, .n = ROWS, .row = row};
    marl_series e = {ROWS, estimate}, r = {ROWS, reference};
    marl_error error = {0};
    marl_match match;
    marl_clock clock = {0};
    int kind = fuzz_byte(&in) % 5;
    make(&in);
    log.info.columns = MARL_COLUMNS_GYRO | MARL_COLUMNS_ACCEL;
    if (marl_reference_check(&r, &log, &error) != MARL_OK) {
        FUZZ_HOLDS(error.text[0] != '\0');
        return 0;
    }
    if (marl_clock_find(&log, &r, &clock, &error) == MARL_OK && clock.found) {
        FUZZ_HOLDS(isfinite(clock.offset_s));
        marl_clock_apply(&clock, row[0].sample.t_ns, &r);
    }
    if (marl_match_find(&e, &r, (marl_match_kind)kind, &match, &error) == MARL_OK) {
        marl_quat q = match.world, p = match.body;
        FUZZ_HOLDS(fabsf(q.w * q.w + q.x * q.x + q.y * q.y + q.z * q.z - 1) < 1e-3f);
        FUZZ_HOLDS(fabsf(p.w * p.w + p.x * p.x + p.y * p.y + p.z * p.z - 1) < 1e-3f);
        marl_match_apply(&match, &r);
    }
    return 0;
}
