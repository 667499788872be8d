/* SPDX-License-Identifier: MIT
 * Any bytes as a log: times rise, readings are finite, and what was written reads back the same. */
#include "fuzz.h"
#include "marlinspike/lab.h"
#include <math.h>

static int is_finite(marl_vec3 v)
{
    return isfinite(v.x) && isfinite(v.y) && isfinite(v.z);
}

static void check_row(const marl_log *log, size_t i)
{
    const marl_sample *s = &log->row[i].sample;
    FUZZ_HOLDS(i == 0 || s->t_ns > log->row[i - 1].sample.t_ns);
    FUZZ_HOLDS(!(s->fresh & MARL_FRESH_ACCEL) || is_finite(s->accel));
    FUZZ_HOLDS(!(s->fresh & MARL_FRESH_GYRO) || is_finite(s->gyro));
    FUZZ_HOLDS(!(s->fresh & MARL_FRESH_MAG) || is_finite(s->mag));
    FUZZ_HOLDS(!(s->fresh & MARL_FRESH_TEMP) || isfinite(s->temp));
    if (log->row[i].has_q) {
        marl_quat q = log->row[i].q;
        FUZZ_HOLDS(fabsf(q.w * q.w + q.x * q.x + q.y * q.y + q.z * q.z - 1.0f) < 1e-3f);
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    marl_error error = {0};
    marl_log log;
    marl_sheet sheet = marl_sheet_grommet();
    marl_log_options options = {.decimal = size > 0 && data[0] & 1 ? ',' : '.', .sheet = &sheet};
    if (marl_log_load(&log, fuzz_file(0, data + (size > 0), size - (size > 0)), &options, &error) !=
        MARL_OK) {
        FUZZ_HOLDS(error.text[0] != '\0');
        return 0;
    }
    for (size_t i = 0; i < log.n; i++) {
        check_row(&log, i);
    }
    marl_inspection in;
    if (log.n < 3000 && marl_inspect(&log, &in, &error) == MARL_OK) {
        marl_inspection_free(&in);
    }
    marl_log_free(&log);
    return 0;
}
