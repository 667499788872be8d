/* SPDX-License-Identifier: MIT
 * The estimators under any bits and any tuning in range: unit, finite, bias within its limit. */
#include "fuzz.h"
#include "marlinspike/estimator.h"
#include <math.h>

static marl_tuning any_tuning(fuzz_bytes *in)
{
    marl_tuning tuning = marl_tuning_default((marl_filter)(fuzz_byte(in) % MARL_FILTER_COUNT));
    tuning.world = (marl_world)(fuzz_byte(in) & 1);
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        const marl_parameter *row = marl_parameter_row((marl_parameter_id)i);
        uint8_t how = fuzz_byte(in);
        if ((row->filters & (1u << tuning.filter)) && how & 1) {
            float share = (float)how / 255.0f;
            tuning.value[i] = row->kind == MARL_KIND_SWITCH ? (float)(how >> 1 & 1)
                                                            : row->low + share * (row->high - row->low);
        }
    }
    return tuning;
}

/* Readings of ordinary size, or any bits at all. */
static marl_sample any_sample(fuzz_bytes *in, int64_t *t_ns)
{
    marl_sample s;
    uint8_t how = fuzz_byte(in);
    fuzz_take(in, &s, sizeof s);
    if (how & 1) {
        float *part[] = {&s.accel.x, &s.accel.y, &s.accel.z, &s.gyro.x, &s.gyro.y,
                         &s.gyro.z,  &s.mag.x,   &s.mag.y,   &s.mag.z,  &s.speed};
        for (int i = 0; i < 10; i++) {
            uint16_t bits;
            memcpy(&bits, part[i], sizeof bits);
            *part[i] = ((float)bits / 32768.0f - 1.0f) * (i < 3 ? 20.0f : i < 6 ? 8.0f : 60.0f);
        }
    }
    *t_ns += how & 2 ? 10000000 : how & 4 ? 200000000 : how & 8 ? INT64_C(2000000000) : 1000000;
    s.t_ns = how & 128 ? s.t_ns : *t_ns;
    s.fresh &= 31;
    return s;
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    fuzz_bytes in = {data, size};
    marl_tuning tuning = any_tuning(&in);
    marl_estimator e;
    marl_quat q;
    int64_t t_ns = 0;
    if (marl_tuning_check(&tuning) != MARL_OK) {
        return 0;
    }
    FUZZ_HOLDS(marl_estimator_init(&e, &tuning) == MARL_OK);
    float limit = tuning.value[MARL_PARAMETER_BIAS_LIMIT];
    while (in.left > 0) {
        marl_sample s = any_sample(&in, &t_ns);
        (void)!marl_estimator_update(&e, &s);
        if (marl_estimator_attitude(&e, &q) == MARL_OK) {
            FUZZ_HOLDS(fabsf(q.w * q.w + q.x * q.x + q.y * q.y + q.z * q.z - 1.0f) < 1e-4f);
        }
        marl_vec3 bias = marl_estimator_bias(&e);
        FUZZ_HOLDS(fabsf(bias.x) <= limit && fabsf(bias.y) <= limit && fabsf(bias.z) <= limit);
        float tilt, heading;
        if (marl_estimator_sigma(&e, &tilt, &heading) == MARL_OK) {
            FUZZ_HOLDS(isfinite(tilt) && isfinite(heading));
        }
    }
    return 0;
}
