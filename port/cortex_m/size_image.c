/* SPDX-License-Identifier: MIT
 * The smallest firmwares of four kinds, to see what the library takes in them: SIZE_GYRO, SIZE_COMPLEMENTARY,
 * SIZE_KALMAN, SIZE_APP, SIZE_RENEW (the application that calibrates itself). Without one of them: what start-up and the loop take alone. */
#include "marlinspike/device.h"

/* Where a driver would put readings, and where attitudes go. */
static volatile float *const attitude = (volatile float *)0x40000100u;
#if !defined(SIZE_APP) && !defined(SIZE_RENEW)
static volatile float *const readings = (volatile float *)0x40000000u;

static void read(marl_sample *sample)
{
    sample->t_ns += 10000000;
    sample->accel = (marl_vec3){readings[0], readings[1], readings[2]};
    sample->gyro = (marl_vec3){readings[3], readings[4], readings[5]};
    sample->mag = (marl_vec3){readings[6], readings[7], readings[8]};
    sample->fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO;
}

static void give(marl_quat q)
{
    attitude[0] = q.w;
    attitude[1] = q.x;
    attitude[2] = q.y;
    attitude[3] = q.z;
}
#endif

#if defined(SIZE_GYRO)
static marl_estimator estimator;

int main(void)
{
    marl_sample sample = {0};
    marl_quat q;
    const marl_tuning tuning = marl_tuning_default(MARL_FILTER_GYRO);
    if (marl_estimator_init_with(&estimator, &tuning, marl_choose_gyro) != MARL_OK) {
        return 1;
    }
    for (;;) {
        read(&sample);
        if (marl_estimator_update(&estimator, &sample) == MARL_OK &&
            marl_estimator_attitude(&estimator, &q) == MARL_OK) {
            give(q);
        }
    }
}
#elif defined(SIZE_COMPLEMENTARY) || defined(SIZE_KALMAN)
static marl_pipeline pipeline;

int main(void)
{
    marl_sample sample = {0};
    marl_quat q;
#if defined(SIZE_KALMAN)
    marl_pipeline_config config = marl_pipeline_default(MARL_FILTER_KALMAN);
    config.watch_still = 1;
    if (marl_pipeline_init_with(&pipeline, &config, marl_choose_kalman) != MARL_OK) {
        return 1;
    }
#else
    marl_pipeline_config config = marl_pipeline_default(MARL_FILTER_COMPLEMENTARY);
    config.sensors = MARL_FRESH_ACCEL | MARL_FRESH_GYRO;
    if (marl_pipeline_init_with(&pipeline, &config, marl_choose_constant_gains) != MARL_OK) {
        return 1;
    }
#endif
    for (;;) {
        read(&sample);
        if (marl_pipeline_step(&pipeline, &sample, &q) == MARL_OK) {
            give(q);
        }
    }
}
#elif defined(SIZE_APP) || defined(SIZE_RENEW)
static marl_status clock(void *context, int64_t *t_ns)
{
    (void)context;
    *t_ns = *(volatile int64_t *)0x40000200u;
    return MARL_OK;
}

static marl_status sleep(void *context, uint32_t us)
{
    (void)context;
    (void)us;
    return MARL_OK;
}

static marl_status transfer(void *context, marl_place at, uint8_t reg, uint8_t *bytes, size_t n)
{
    (void)context;
    bytes[0] = (uint8_t)(at.address + reg + n);
    return MARL_OK;
}

static marl_status transfer_out(void *context, marl_place at, uint8_t reg, const uint8_t *bytes, size_t n)
{
    (void)context;
    attitude[0] = (float)(at.address + reg + n + bytes[0]);
    return MARL_OK;
}

static marl_status memory_read(void *context, uint32_t at, uint8_t *bytes, size_t n)
{
    return transfer(context, (marl_place){0, 0}, (uint8_t)at, bytes, n);
}

static marl_status memory_erase(void *context, uint32_t at)
{
    return sleep(context, at);
}

static marl_status memory_write(void *context, uint32_t at, const uint8_t *bytes, size_t n)
{
    return transfer_out(context, (marl_place){0, 0}, (uint8_t)at, bytes, n);
}

static marl_status bytes_out(void *context, const uint8_t *bytes, size_t n, size_t *used_bytes)
{
    *used_bytes = n;
    return transfer_out(context, (marl_place){0, 0}, 0, bytes, n);
}

static marl_status bytes_in(void *context, uint8_t *bytes, size_t n, size_t *got)
{
    *got = n;
    return transfer(context, (marl_place){0, 0}, 0, bytes, n);
}

static marl_app app;
#if defined(SIZE_RENEW)
static marl_app_renewal renewal;
#endif

int main(void)
{
    uint32_t rest_us;
    marl_app_config config = {.device = "pod-07", .firmware = "1", .choice = marl_choose_constant_gains};
#if defined(SIZE_RENEW)
    marl_app_renewal_init(&renewal, 1);
    config.renewal = &renewal;
#endif
    const marl_part part = {.chip = marl_chip_grommet(), .at = {0, 0x2a}};
    const marl_port port = {.clock = clock,
                            .sleep = sleep,
                            .bus_read = transfer,
                            .bus_write = transfer_out,
                            .nv = {4096, 2048, 8},
                            .nv_read = memory_read,
                            .nv_erase = memory_erase,
                            .nv_write = memory_write,
                            .bytes_out = bytes_out,
                            .bytes_in = bytes_in};
    if (marl_app_start(&app, &port, &part, 1, &config, NULL) != MARL_OK) {
        return 1;
    }
    while (marl_app_step(&app, &rest_us) == MARL_OK) {
    }
    return 0;
}
#else
int main(void)
{
    marl_sample sample = {0};
    for (;;) {
        read(&sample);
        give((marl_quat){sample.accel.x, sample.gyro.y, sample.mag.z, 0.0f});
    }
}
#endif
