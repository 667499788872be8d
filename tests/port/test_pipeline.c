/* SPDX-License-Identifier: MIT
 * One pipeline: what a board makes of samples and what a replay makes of them are the same attitudes, counts
 * and digests, whatever the board has, is configured with and is sent. */
#include "check_main.h"
#include "fake_board.h"
#include "marlinspike/app.h"
#include "marlinspike/record.h"
#include "marlinspike/replay.h"
#include "random_values.h"
#include <math.h>

enum { CONFIGURATIONS = 1000, SAMPLES = 80 };

/* A board and a replay with the same settings. */
typedef struct pair {
    fake_board board;
    marl_chip chip;
    marl_app app;
    marl_pipeline replay;
    unsigned axes; /* 9, 6 or 3 */
} pair;

static marl_app_config app_config = {.device = "pod-07", .firmware = "test", .choice = marl_choose_any};

/* Sends one message and lets the board read it. */
static void send(pair *p, marl_message m)
{
    size_t n;
    uint32_t rest_us;
    uint8_t bytes[MARL_MESSAGE_MAX];
    ck_assert_int_eq(marl_message_make(&m, bytes, &n, NULL), MARL_OK);
    memcpy(p->board.in, bytes, n);
    p->board.in_n = n;
    p->board.in_at = p->board.out_n = 0;
    p->board.out_capacity = FAKE_LINE;
    ck_assert_int_eq(marl_app_step(&p->app, &rest_us), MARL_OK);
}

static marl_fit random_fit(dice *d, double bias, int curve)
{
    marl_fit fit = marl_fit_none();
    fit.present = 1;
    for (int i = 0; i < 9; i++) {
        fit.matrix[i / 3][i % 3] = (i % 4 == 0) + dice_between(d, -0.1, 0.1);
    }
    for (int k = 0; k < 3; k++) {
        fit.bias[k] = dice_between(d, -bias, bias);
        fit.bias_per_degC[k] = dice_between(d, -bias, bias) / 50;
        fit.bias_per_degC2[k] = dice_between(d, -bias, bias) / 2000;
    }
    fit.has_curve = curve;
    fit.reference_degC = 20;
    fit.range_degC[0] = -5;
    fit.range_degC[1] = 45;
    return fit;
}

static marl_calibration_record random_record(dice *d)
{
    static const double bias[MARL_SENSOR_COUNT] = {0.5, 0.1, 30};
    marl_calibration_record record = marl_calibration_record_empty();
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (dice_below(d, 3) > 0) {
            record.fit[i] = random_fit(d, bias[i], (int)dice_below(d, 2));
        }
    }
    record.has_mount = (int)dice_below(d, 2);
    marl_quat q = dice_attitude(d);
    const double mount[4] = {(double)q.w, (double)q.x, (double)q.y, (double)q.z};
    memcpy(record.mount, mount, sizeof mount);
    return record;
}

/* A chip with some of the Grommet's sensors. */
static void start(pair *p, dice *d)
{
    static const unsigned axes[] = {9, 6, 3};
    const char *what;
    p->axes = axes[dice_below(d, 3)];
    p->chip = *marl_chip_grommet();
    p->chip.sensor[MARL_MAG].present = p->axes == 9;
    p->chip.sensor[MARL_GYRO].present = p->axes > 3;
    static marl_part part;
    part = (marl_part){.chip = &p->chip, .at = {0, 0x10}};
    fake_board_make(&p->board);
    marl_status status = marl_app_start(&p->app, &p->board.port, &part, 1, &app_config, &what);
    ck_assert_msg(status == MARL_OK, "%s", what);
}

static void configure(pair *p, dice *d)
{
    marl_error error = {0};
    marl_calibration_record record = random_record(d);
    marl_filter filter = p->axes == 3 ? MARL_FILTER_VECTORS : (marl_filter)dice_below(d, MARL_FILTER_COUNT);
    marl_tuning tuning = marl_tuning_default(filter);
    tuning.world = dice_below(d, 2) ? MARL_WORLD_NED : MARL_WORLD_ENU;
    tuning.value[MARL_PARAMETER_USE_MAG] = dice_below(d, 4) > 0 ? 1.0f : 0.0f;
    int calibrated = dice_below(d, 4) > 0;
    marl_log_info info = {.columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_TEMP};
    info.columns |= p->axes > 3 ? MARL_COLUMNS_GYRO : 0;
    info.columns |= p->axes == 9 ? MARL_COLUMNS_MAG : 0;
    if (calibrated) {
        send(p, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &record});
    }
    send(p, (marl_message){.kind = MARL_ITEM_TUNING, .tuning = &tuning});
    ck_assert(p->app.settings.has_tuning);
    marl_status status = marl_replay_init(&p->replay, &tuning, calibrated ? &record : NULL, "cal.json", &info,
                                          "log.csv", &error);
    ck_assert_msg(status == MARL_OK, "%s", error.text);
}

/* What a sample may suffer, and how many of its readings are invalid then. */
static uint32_t spoil(marl_sample *s, dice *d)
{
    const float wild = dice_below(d, 2) ? NAN : 1e30f;
    switch (dice_below(d, 12)) {
    case 0:
        s->gyro.y = wild;
        return (s->fresh & MARL_FRESH_GYRO) != 0;
    case 1:
        s->accel.x = -wild;
        return (s->fresh & MARL_FRESH_ACCEL) != 0;
    case 2:
        s->mag.z = wild;
        return (s->fresh & MARL_FRESH_MAG) != 0;
    case 3:
        s->temp = wild; /* the temperature before holds */
        return 0;
    default:
        return 0;
    }
}

/* Turning, with temperatures that are rarer and magnetometer readings that are missing at times. */
static marl_sample next_sample(const pair *p, int64_t t_ns, int temperature, dice *d)
{
    marl_vec3 noise = dice_vector(d, 0.3);
    marl_sample s = {.t_ns = t_ns,
                     .accel = {noise.x, 0.7f + noise.y, 9.7f + noise.z},
                     .gyro = dice_vector(d, 2),
                     .mag = {20.0f + noise.z, noise.y, -43.0f},
                     .temp = (float)dice_between(d, -15, 60)};
    s.fresh = MARL_FRESH_ACCEL | (p->axes > 3 ? MARL_FRESH_GYRO : 0);
    s.fresh |= (uint8_t)(p->axes == 9 && dice_below(d, 3) ? MARL_FRESH_MAG : 0);
    s.fresh |= (uint8_t)(temperature && dice_below(d, 10) == 0 ? MARL_FRESH_TEMP : 0);
    return s;
}

static int same_attitude(const marl_estimator *a, const marl_estimator *b)
{
    marl_quat p, q;
    int has_p = marl_estimator_attitude(a, &p) == MARL_OK, has_q = marl_estimator_attitude(b, &q) == MARL_OK;
    return has_p == has_q && memcmp(&p, &q, sizeof p) == 0;
}

static uint32_t invalid_readings(const marl_pipeline *p)
{
    marl_estimator_counts c = marl_estimator_count(&p->estimator);
    return c.invalid_accel + c.invalid_gyro + c.invalid_mag;
}

static void run(pair *p, dice *d, int number)
{
    int64_t t_ns = 1000000000;
    uint32_t invalid = 0;
    int broken = (int)dice_below(d, 2), temperature = (int)dice_below(d, 2);
    uint32_t set_back = dice_below(d, 4) == 0 ? dice_below(d, SAMPLES) : SAMPLES;
    uint32_t gap = dice_below(d, 4) == 0 ? dice_below(d, SAMPLES) : SAMPLES;
    uint32_t tare = dice_below(d, 4) == 0 ? dice_below(d, SAMPLES) : SAMPLES;
    for (uint32_t i = 0; i < SAMPLES; i++) {
        marl_quat q;
        t_ns += 5000000 + dice_below(d, 5000000) - (i == set_back ? INT64_C(800000000) : 0) +
                (i == gap ? INT64_C(3000000000) : 0);
        marl_sample s = next_sample(p, t_ns, temperature, d);
        uint32_t spoilt = broken ? spoil(&s, d) : 0;
        send(p, (marl_message){.kind = MARL_ITEM_SAMPLE, .sample = &s});
        marl_status status = marl_pipeline_step(&p->replay, &s, &q);
        invalid += status == MARL_ERR_TIME ? 0 : spoilt;
        ck_assert_msg(same_attitude(&p->app.pipeline.estimator, &p->replay.estimator),
                      "configuration %d, sample %u", number, (unsigned)i);
        if (i == tare && marl_estimator_set_zero(&p->replay.estimator) == MARL_OK) {
            ck_assert_int_eq(marl_estimator_set_zero(&p->app.pipeline.estimator), MARL_OK);
        }
    }
    const marl_estimator_counts board = marl_estimator_count(&p->app.pipeline.estimator),
                                desk = marl_estimator_count(&p->replay.estimator);
    ck_assert_mem_eq(&board, &desk, sizeof board);
    ck_assert_uint_eq(p->app.pipeline.digest, p->replay.digest);
    ck_assert_uint_eq(p->app.pipeline.attitudes, p->replay.attitudes);
    ck_assert_msg(invalid_readings(&p->replay) == invalid, "configuration %d: %u invalid, %u sent", number,
                  (unsigned)invalid_readings(&p->replay), (unsigned)invalid);
}

START_TEST(board_and_replay_give_the_same_bits)
{
    static pair p;
    dice d = {7};
    uint32_t attitudes = 0;
    for (int i = 0; i < CONFIGURATIONS; i++) {
        start(&p, &d);
        configure(&p, &d);
        run(&p, &d, i);
        attitudes += p.replay.attitudes;
    }
    ck_assert_uint_gt(attitudes, CONFIGURATIONS * SAMPLES / 2);
}
END_TEST

/* A rate that is not a number counts once, and the attitude holds. */
START_TEST(broken_rates_are_counted_once)
{
    marl_pipeline_config config = marl_pipeline_default(MARL_FILTER_COMPLEMENTARY);
    marl_pipeline pipeline;
    marl_quat q;
    float weight[2];
    config.sensors = MARL_FRESH_ACCEL | MARL_FRESH_GYRO;
    ck_assert_int_eq(marl_pipeline_init(&pipeline, &config), MARL_OK);
    for (int i = 0; i < 600; i++) {
        marl_sample s = {.t_ns = (int64_t)i * 10000000, .accel = {0, 0, 9.8f}, .fresh = 3};
        s.gyro.x = i >= 200 && i < 400 ? NAN : 0.0f;
        ck_assert_int_eq(marl_pipeline_step(&pipeline, &s, &q), MARL_OK);
        ck_assert_int_eq(pipeline.sample.fresh & MARL_FRESH_GYRO, isnan(s.gyro.x) ? 0 : MARL_FRESH_GYRO);
        marl_pipeline_weights(&pipeline, weight);
        ck_assert(weight[0] >= 0.0f && weight[1] == -1.0f);
    }
    ck_assert_uint_eq(marl_estimator_count(&pipeline.estimator).invalid_gyro, 200);
    ck_assert_uint_eq(pipeline.attitudes, 600);
}
END_TEST

/* The temperature holds from sample to sample and over a change of the settings; before the first the bias is
 * that at the reference. A wild one is ignored. */
START_TEST(a_temperature_holds_until_the_next)
{
    marl_pipeline_config config = marl_pipeline_default(MARL_FILTER_VECTORS);
    marl_pipeline pipeline;
    marl_sample s = {.accel = {1, 0, 9}, .fresh = MARL_FRESH_ACCEL};
    config.calibration.accel =
        (marl_correction){.present = 1, .matrix = marl_mat3_identity(), .has_curve = 1};
    config.calibration.accel.curve =
        (marl_bias_curve){.reference_degC = 20, .low_degC = 0, .high_degC = 40, .per_degC = {0.1f, 0, 0}};
    ck_assert_int_eq(marl_pipeline_init(&pipeline, &config), MARL_OK);
    static const struct {
        float degC, x; /* what comes (0: nothing), what the corrected x is */
    } given[] = {{0, 1}, {30, 0}, {0, 0}, {NAN, 0}, {1e6f, 0}, {10, 2}, {0, 2}};
    for (size_t i = 0; i < sizeof given / sizeof given[0]; i++) {
        marl_quat q;
        s.t_ns += 10000000;
        s.temp = given[i].degC;
        s.fresh = given[i].degC != 0.0f ? MARL_FRESH_ACCEL | MARL_FRESH_TEMP : MARL_FRESH_ACCEL;
        (void)!marl_pipeline_step(&pipeline, &s, &q);
        ck_assert_float_eq_tol(pipeline.sample.accel.x, given[i].x, 1e-5f);
    }
    ck_assert_int_eq(marl_pipeline_configure(&pipeline, &config), MARL_OK);
    s.fresh = MARL_FRESH_ACCEL;
    (void)marl_pipeline_correct(&pipeline, &s);
    ck_assert_float_eq_tol(pipeline.sample.accel.x, 2.0f, 1e-5f);
}
END_TEST

/* What is known of the gyroscope's bias decides how far it may be off; a value in the tuning goes before. */
START_TEST(what_is_calibrated_decides_what_is_assumed)
{
    static const struct {
        float tuned; /* 0: the default */
        int calibrated, corrected;
        float spread;
    } cases[] = {
        {0, 0, 0, 0.04f}, {0, 1, 0, 0.01f}, {0, 0, 1, 0.01f}, {0.002f, 1, 0, 0.002f}, {0.1f, 0, 0, 0.1f}};
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        marl_pipeline_config config = marl_pipeline_default(MARL_FILTER_KALMAN);
        marl_pipeline pipeline;
        marl_quat q;
        marl_vec3 sigma;
        const marl_sample s = {.accel = {0, 0, 9.8f}, .fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO};
        config.sensors = MARL_FRESH_ACCEL | MARL_FRESH_GYRO;
        config.calibration.gyro =
            (marl_correction){.present = cases[i].calibrated, .matrix = marl_mat3_identity()};
        config.corrected = cases[i].corrected ? MARL_FRESH_GYRO : 0;
        if (cases[i].tuned > 0) {
            config.tuning.value[MARL_PARAMETER_BIAS_SPREAD] = cases[i].tuned;
        }
        ck_assert_int_eq(marl_pipeline_init(&pipeline, &config), MARL_OK);
        ck_assert_int_eq(marl_pipeline_step(&pipeline, &s, &q), MARL_OK);
        ck_assert_int_eq(marl_estimator_bias_sigma(&pipeline.estimator, &sigma), MARL_OK);
        ck_assert_float_eq_tol(sigma.x, cases[i].spread, 1e-6f);
    }
}
END_TEST

/* Where a sensor is not calibrated its threshold is that of a raw one, and a gyroscope's bias alone says nothing of its scale;
 * a value in the tuning goes before. */
START_TEST(nothing_calibrated_means_raw_thresholds)
{
    static const struct {
        float tuned;      /* times the default */
        int gyro_present; /* 2: with a matrix */
        uint8_t corrected;
        float scale, threshold;
    } cases[] = {{1, 0, 0, 0.002f, 3.0f},
                 {1, 1, 0, 0.002f, 3.0f},
                 {1, 2, 0, 0.0005f, 3.0f},
                 {1, 0, MARL_FRESH_MAG, 0.002f, 1.0f},
                 {1, 0, MARL_FRESH_GYRO, 0.0005f, 3.0f},
                 {1, 0, MARL_FRESH_GYRO | MARL_GYRO_SCALE_OPEN, 0.002f, 3.0f},
                 {5, 0, 0, 0.0025f, 5.0f}};
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        marl_pipeline_config config = marl_pipeline_default(MARL_FILTER_COMPLEMENTARY);
        marl_pipeline pipeline;
        config.calibration.gyro =
            (marl_correction){.present = cases[i].gyro_present != 0, .matrix = marl_mat3_identity()};
        config.calibration.gyro.matrix.m[2][2] += cases[i].gyro_present == 2 ? 0.001f : 0.0f;
        config.corrected = cases[i].corrected;
        config.tuning.value[MARL_PARAMETER_GYRO_SCALE] *= cases[i].tuned;
        config.tuning.value[MARL_PARAMETER_MAG_THRESHOLD] *= cases[i].tuned;
        ck_assert_int_eq(marl_pipeline_init(&pipeline, &config), MARL_OK);
        const float *value = marl_estimator_tuning(&pipeline.estimator)->value;
        ck_assert_float_eq_tol(value[MARL_PARAMETER_GYRO_SCALE], cases[i].scale, 1e-9f);
        ck_assert_float_eq_tol(value[MARL_PARAMETER_MAG_THRESHOLD], cases[i].threshold, 1e-6f);
    }
}
END_TEST

/* The spread of the biases of accelerometer and magnetometer follows from each of them. */
START_TEST(a_sensor_that_is_not_calibrated_widens_sigma)
{
    static const struct {
        int accel_present, mag_present;
        uint8_t corrected;
        float accel, mag;
    } cases[] = {{0, 0, 0, 0.2f, 3},
                 {1, 0, 0, 0, 3},
                 {0, 1, 0, 0.2f, 0},
                 {0, 0, MARL_FRESH_ACCEL, 0, 3},
                 {0, 0, MARL_FRESH_MAG, 0.2f, 0},
                 {0, 0, MARL_FRESH_GYRO, 0.2f, 3}};
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        marl_pipeline_config config = marl_pipeline_default(MARL_FILTER_KALMAN);
        marl_pipeline pipeline;
        config.calibration.accel =
            (marl_correction){.present = cases[i].accel_present, .matrix = marl_mat3_identity()};
        config.calibration.mag =
            (marl_correction){.present = cases[i].mag_present, .matrix = marl_mat3_identity()};
        config.corrected = cases[i].corrected;
        ck_assert_int_eq(marl_pipeline_init(&pipeline, &config), MARL_OK);
        const float *value = marl_estimator_tuning(&pipeline.estimator)->value;
        ck_assert_float_eq(value[MARL_PARAMETER_ACCEL_BIAS_SPREAD], cases[i].accel);
        ck_assert_float_eq(value[MARL_PARAMETER_MAG_BIAS_SPREAD], cases[i].mag);
    }
}
END_TEST

/* Settings that no check passes are refused. */
START_TEST(wild_settings_are_refused)
{
    marl_pipeline_config config = marl_pipeline_default(MARL_FILTER_KALMAN);
    marl_pipeline pipeline;
    config.tuning.value[MARL_PARAMETER_GYRO_WHITE] = NAN;
    ck_assert_int_eq(marl_pipeline_init(&pipeline, &config), MARL_ERR_ARGUMENT);
    config = marl_pipeline_default(MARL_FILTER_KALMAN);
    config.calibration.gyro = (marl_correction){.present = 1, .bias = {INFINITY, 0, 0}};
    ck_assert_int_eq(marl_pipeline_init(&pipeline, &config), MARL_ERR_ARGUMENT);
}
END_TEST

MARL_SUITE("pipeline", board_and_replay_give_the_same_bits, broken_rates_are_counted_once,
           a_temperature_holds_until_the_next, what_is_calibrated_decides_what_is_assumed,
           nothing_calibrated_means_raw_thresholds, a_sensor_that_is_not_calibrated_widens_sigma,
           wild_settings_are_refused)
