/* SPDX-License-Identifier: MIT
 * The smoother on logs of any motion, with gaps, jumps of the clock, wild readings and sensors that come and go: its
 * attitudes are rotations, its standard deviations are numbers, or it says why there are none. Short and coarse, so
 * that a run costs milliseconds. */
#include "fuzz_rows.h"

enum { ROWS = 300 };

static marl_log_row row[ROWS];

static float wild(fuzz_bytes *in)
{
    float value;
    fuzz_take(in, &value, sizeof value);
    return isfinite(value) ? value : 1e30f;
}

/* The step to the next row: 50 ms, or now and then anything up to half a million years. */
static int64_t step_ns(fuzz_bytes *in, uint8_t what)
{
    return what % 32 != 5 ? 50000000 : 1 + (INT64_C(1) << fuzz_byte(in) % 54) * (1 + fuzz_byte(in));
}

static void make_rows(fuzz_bytes *in, unsigned columns, double size)
{
    marl_quat q = marl_quat_identity();
    int64_t t = 0;
    for (int i = 0; i < ROWS; i++) {
        marl_sample *s = &row[i].sample;
        uint8_t what = fuzz_byte(in);
        double w[3] = {size * fuzz_share(in), size * fuzz_share(in), size * fuzz_share(in)};
        q = marl_quat_product(
            q, marl_quat_from_rpy((float)(0.05 * w[0]), (float)(0.05 * w[1]), (float)(0.05 * w[2])));
        (void)!marl_quat_normalize(&q);
        *s = (marl_sample){.t_ns = t,
                           .gyro = {(float)w[0], (float)w[1], (float)w[2]},
                           .accel = marl_quat_rotate(marl_quat_conjugate(q), (marl_vec3){0, 0, 9.8f}),
                           .mag = marl_quat_rotate(marl_quat_conjugate(q), (marl_vec3){0, 20, -45}),
                           .fresh = MARL_FRESH_GYRO | MARL_FRESH_ACCEL};
        s->fresh = (uint8_t)(s->fresh | (columns & MARL_COLUMNS_MAG && what % 2 == 0 ? MARL_FRESH_MAG : 0));
        s->fresh = (uint8_t)(what % 16 == 9 ? s->fresh & fuzz_byte(in) : s->fresh);
        s->accel.x = what % 16 == 3 ? wild(in) : s->accel.x;
        s->gyro.y = what % 32 == 7 ? wild(in) : s->gyro.y;
        s->mag.z = what % 32 == 11 ? wild(in) : s->mag.z;
        t += step_ns(in, what);
    }
}

static void check(const marl_smoothed *s)
{
    FUZZ_HOLDS(s->n + s->rows_left_out == ROWS);
    for (size_t i = 0; i < s->n; i++) {
        FUZZ_HOLDS(fuzz_is_unit(s->row[i].q));
        FUZZ_HOLDS(i == 0 || s->row[i].t_ns > s->row[i - 1].t_ns);
        FUZZ_HOLDS(s->row[i].sigma_tilt >= 0 && isfinite(s->row[i].sigma_tilt));
        FUZZ_HOLDS(s->row[i].sigma_heading >= 0 && isfinite(s->row[i].sigma_heading));
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static char path[] = "made.csv";
    fuzz_bytes in = {data, size};
    marl_log log = {.path = path, .n = ROWS, .row = row};
    marl_error error = {0};
    marl_smoothed smoothed;
    uint8_t kind = fuzz_byte(&in);
    log.info.columns = MARL_COLUMNS_GYRO | MARL_COLUMNS_ACCEL | (kind & 1 ? MARL_COLUMNS_MAG : 0);
    log.info.corrected = (kind & 2) != 0;
    make_rows(&in, log.info.columns, 3 + 3 * fuzz_share(&in));
    if (marl_smooth(&log, NULL, &smoothed, &error) != MARL_OK) {
        FUZZ_HOLDS(error.text[0] != '\0');
        return 0;
    }
    check(&smoothed);
    marl_smoothed_free(&smoothed);
    return 0;
}
