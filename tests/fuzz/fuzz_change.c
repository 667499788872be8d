/* SPDX-License-Identifier: MIT
 * A request to change running filters, as the live page sends it and a recording holds it. What is understood is
 * applied or refused, the filters go on with finite attitudes, and its text reads back the same. */
#include "fuzz.h"
#include "marlinspike/live.h"
#include <math.h>

static marl_live *start(void)
{
    marl_named_tuning tunings[3];
    marl_error error = {0};
    marl_live *live;
    const marl_log_info info = {.device = "pod-07",
                                .columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG};
    FUZZ_HOLDS(marl_tuning_read(&tunings[0], "complementary", NULL, &error) == MARL_OK);
    FUZZ_HOLDS(marl_tuning_read(&tunings[1], "gradient-descent", NULL, &error) == MARL_OK);
    FUZZ_HOLDS(marl_tuning_read(&tunings[2], "kalman", NULL, &error) == MARL_OK);
    FUZZ_HOLDS(marl_live_create(&live, tunings, 3, NULL, &info, "fuzz", &error) == MARL_OK);
    return live;
}

static void feed(marl_live *live, int64_t from, int n)
{
    for (int i = 0; i < n; i++) {
        const marl_sample s = {.t_ns = from + i * INT64_C(10000000),
                               .fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG,
                               .accel = {0.3f, 0.1f * (float)(i % 7), 9.7f},
                               .gyro = {0.1f, -0.2f, 0.02f * (float)i},
                               .mag = {4.0f, 19.0f, -44.0f}};
        marl_live_feed(live, &s);
    }
    for (size_t k = 0; k < live->n; k++) {
        const marl_quat q = live->run[k].q;
        float length = q.w * q.w + q.x * q.x + q.y * q.y + q.z * q.z;
        FUZZ_HOLDS(fabsf(length - 1.0f) < 1e-4f);
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    char *text = malloc(size + 1);
    marl_change change, again;
    marl_error error = {0};
    FUZZ_HOLDS(text != NULL);
    memcpy(text, data, size);
    text[size] = '\0';
    if (marl_change_read(&change, text, "fuzz", &error) != MARL_OK) {
        FUZZ_HOLDS(error.text[0] != '\0');
        free(text);
        return 0;
    }
    char *written = marl_change_text(&change);
    FUZZ_HOLDS(written != NULL && strchr(written, '\n') == NULL);
    FUZZ_HOLDS(marl_change_read(&again, written, "fuzz", &error) == MARL_OK);
    FUZZ_HOLDS(memcmp(&again.tuning.tuning, &change.tuning.tuning, sizeof change.tuning.tuning) == 0);
    marl_live *live = start();
    feed(live, 0, 40);
    marl_status status = marl_live_apply(live, &change, &error);
    FUZZ_HOLDS(status == MARL_OK || error.text[0] != '\0');
    feed(live, INT64_C(400000000), 40);
    marl_live_free(live);
    free(written);
    free(text);
    return 0;
}
