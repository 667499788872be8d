/* SPDX-License-Identifier: MIT
 * The device's two directions against each other; tests/lab/test_stream.c has them against the desk's. */
#include "check_main.h"
#include "device/link/cbor.h"
#include "device/link/telemetry.h"
#include "random_values.h"

static marl_correction random_correction(dice *d)
{
    marl_correction c = {.present = (int)dice_below(d, 2), .has_curve = (int)dice_below(d, 2)};
    c.bias = dice_vector(d, 3);
    c.matrix = marl_mat3_identity();
    for (int i = 0; i < 9; i++) {
        c.matrix.m[i / 3][i % 3] += (float)dice_between(d, -0.1, 0.1);
    }
    c.curve.reference_degC = (float)dice_between(d, 0, 40);
    c.curve.low_degC = (float)dice_between(d, -40, 0);
    c.curve.high_degC = (float)dice_between(d, 0, 80);
    c.curve.per_degC = dice_vector(d, 0.1);
    c.curve.per_degC2 = dice_vector(d, 0.01);
    return c;
}

static int same_correction(const marl_correction *a, const marl_correction *b)
{
    if (a->present != b->present || (a->present && a->has_curve != b->has_curve)) {
        return 0;
    }
    return !a->present || (memcmp(&a->bias, &b->bias, sizeof a->bias) == 0 &&
                           memcmp(&a->matrix, &b->matrix, sizeof a->matrix) == 0 &&
                           (!a->has_curve || memcmp(&a->curve, &b->curve, sizeof a->curve) == 0));
}

START_TEST(a_calibration_comes_back_whole_and_fits)
{
    dice d = {11};
    for (int i = 0; i < 500; i++) {
        uint8_t bytes[MARL_ITEM_MAX];
        char device[MARL_DEVICE_NAME];
        marl_calibration c = {random_correction(&d), random_correction(&d), random_correction(&d),
                              (int)dice_below(&d, 2), dice_attitude(&d)};
        marl_calibration back;
        wire_writer w = marlp_wire_into(bytes, sizeof bytes);
        marlp_item_put_calibration(&w, &c);
        ck_assert(!w.full);
        wire_reader r = marlp_wire_from(bytes, w.n);
        ck_assert_int_eq(marlp_item_get_calibration(&r, &back, device), MARL_OK);
        ck_assert_str_eq(device, "");
        ck_assert(same_correction(&c.accel, &back.accel) && same_correction(&c.gyro, &back.gyro) &&
                  same_correction(&c.mag, &back.mag));
        ck_assert_int_eq(c.has_mount, back.has_mount);
        ck_assert(!c.has_mount || memcmp(&c.mount, &back.mount, sizeof c.mount) == 0);
        for (size_t n = 0; n < w.n && i < 20; n++) { /* cut anywhere, it is refused */
            r = marlp_wire_from(bytes, n);
            ck_assert_int_eq(marlp_item_get_calibration(&r, &back, device), MARL_ERR_MESSAGE);
        }
    }
}
END_TEST

START_TEST(an_implausible_calibration_is_refused)
{
    marl_calibration good = marl_calibration_none(), back;
    char device[MARL_DEVICE_NAME];
    good.gyro.present = 1;
    for (int i = 0; i < 3; i++) {
        uint8_t bytes[MARL_ITEM_MAX];
        marl_calibration c = good;
        if (i == 0) {
            c.gyro.matrix.m[1][1] = 0.0f;
        } else if (i == 1) {
            c.has_mount = 1;
            c.mount = (marl_quat){0.9f, 0.0f, 0.0f, 0.0f};
        } else {
            c.gyro.has_curve = 1;
            c.gyro.curve.low_degC = 50.0f;
        }
        wire_writer w = marlp_wire_into(bytes, sizeof bytes);
        marlp_item_put_calibration(&w, &c);
        wire_reader r = marlp_wire_from(bytes, w.n);
        ck_assert_int_eq(marlp_item_get_calibration(&r, &back, device), MARL_ERR_ARGUMENT);
    }
    static const uint8_t no_matrix[] = {0xa1, 0x03, 0xa1, 0x01, 0x83, 0x00, 0x00, 0x00};
    wire_reader r = marlp_wire_from(no_matrix, sizeof no_matrix);
    ck_assert_int_eq(marlp_item_get_calibration(&r, &back, device), MARL_ERR_MESSAGE);
}
END_TEST

START_TEST(a_tuning_comes_back_whole)
{
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        uint8_t bytes[MARL_ITEM_MAX];
        marl_tuning t = marl_tuning_default((marl_filter)f), back;
        t.world = MARL_WORLD_NED;
        t.value[MARL_PARAMETER_GAP_LIMIT] = 2.5f;
        wire_writer w = marlp_wire_into(bytes, sizeof bytes);
        marlp_item_put_tuning(&w, &t);
        wire_reader r = marlp_wire_from(bytes, w.n);
        ck_assert_int_eq(marlp_item_get_tuning(&r, &back), MARL_OK);
        ck_assert_int_eq(back.filter, t.filter);
        ck_assert_int_eq(back.world, t.world);
        ck_assert_mem_eq(back.value, t.value, sizeof t.value);
        t.value[MARL_PARAMETER_GAP_LIMIT] = -1.0f;
        w = marlp_wire_into(bytes, sizeof bytes);
        marlp_item_put_tuning(&w, &t);
        r = marlp_wire_from(bytes, w.n);
        ck_assert_int_eq(marlp_item_get_tuning(&r, &back), MARL_ERR_ARGUMENT);
    }
}
END_TEST

START_TEST(a_tuning_of_an_unknown_filter_or_parameter_is_refused)
{
    uint8_t bytes[64];
    marl_tuning back;
    wire_writer w = marlp_wire_into(bytes, sizeof bytes);
    marlp_wire_put_map(&w, 1);
    marlp_wire_put_int(&w, 1);
    marlp_wire_put_text(&w, "dream");
    wire_reader r = marlp_wire_from(bytes, w.n);
    ck_assert_int_eq(marlp_item_get_tuning(&r, &back), MARL_ERR_ARGUMENT);
    w = marlp_wire_into(bytes, sizeof bytes);
    marlp_wire_put_map(&w, 2);
    marlp_wire_put_int(&w, 1);
    marlp_wire_put_text(&w, "gyro");
    marlp_wire_put_int(&w, 3);
    marlp_wire_put_map(&w, 1);
    marlp_wire_put_text(&w, "tilt_time"); /* gyro has none */
    marlp_wire_put_float(&w, 1.0f);
    r = marlp_wire_from(bytes, w.n);
    ck_assert_int_eq(marlp_item_get_tuning(&r, &back), MARL_ERR_ARGUMENT);
}
END_TEST

/* What is not given is the default; unknown keys are passed over; cut anywhere, it is refused. */
START_TEST(a_wish_to_calibrate_is_read)
{
    static const uint8_t all[] = {0xa6, 0x01, 0x02, 0x02, 0xf9, 0x48, 0xe6, 0x03, 0x18, 0x3c,
                                  0x04, 0x0c, 0x05, 0xf9, 0x38, 0x00, 0x09, 0x81, 0x00};
    static const uint8_t little[] = {0xa1, 0x01, 0x03}, stop[] = {0xa1, 0x01, 0x00}, none[] = {0xa0},
                         unknown[] = {0xa1, 0x01, 0x04}, many[] = {0xa2, 0x01, 0x02, 0x04, 0x19, 0x01, 0x00};
    marl_renewal_kind kind;
    marl_renewal_options o;
    wire_reader r = marlp_wire_from(all, sizeof all);
    ck_assert_int_eq(marlp_item_get_calibrate(&r, &kind, &o), MARL_OK);
    ck_assert(kind == MARL_RENEW_POSES && o.poses == 12 && o.coverage == 0.5f && o.patience_s == 60);
    ck_assert_float_eq_tol(o.length, 9.797f, 0.001f);
    for (size_t n = 0; n < sizeof all; n++) {
        r = marlp_wire_from(all, n);
        ck_assert_int_eq(marlp_item_get_calibrate(&r, &kind, &o), MARL_ERR_MESSAGE);
    }
    r = marlp_wire_from(little, sizeof little);
    ck_assert_int_eq(marlp_item_get_calibrate(&r, &kind, &o), MARL_OK);
    ck_assert(kind == MARL_RENEW_TUMBLE && o.patience_s == 180 && o.length == 0);
    r = marlp_wire_from(stop, sizeof stop);
    ck_assert_int_eq(marlp_item_get_calibrate(&r, &kind, &o), MARL_OK);
    ck_assert_int_eq(kind, MARL_RENEW_NOTHING);
    r = marlp_wire_from(none, sizeof none);
    ck_assert_int_eq(marlp_item_get_calibrate(&r, &kind, &o), MARL_ERR_MESSAGE);
    r = marlp_wire_from(unknown, sizeof unknown);
    ck_assert_int_eq(marlp_item_get_calibrate(&r, &kind, &o), MARL_ERR_ARGUMENT);
    r = marlp_wire_from(many, sizeof many);
    ck_assert_int_eq(marlp_item_get_calibrate(&r, &kind, &o), MARL_ERR_ARGUMENT);
}
END_TEST

START_TEST(a_sample_comes_back_whole)
{
    dice d = {13};
    for (int i = 0; i < 2000; i++) {
        uint8_t bytes[MARL_ITEM_MAX];
        marl_item_kind kind;
        uint32_t number, wanted = (uint32_t)dice_bits(&d);
        marl_sample back, s = {.t_ns = (int64_t)dice_bits(&d) >> dice_below(&d, 60),
                               .accel = dice_vector(&d, 100),
                               .gyro = dice_vector(&d, 10),
                               .mag = dice_vector(&d, 100),
                               .temp = (float)dice_normal(&d),
                               .speed = (float)dice_normal(&d),
                               .fresh = (uint8_t)dice_below(&d, 32)};
        marl_quat q = dice_attitude(&d);
        wire_writer w = marlp_wire_into(bytes, sizeof bytes);
        marlp_item_put_sample(&w, wanted, &s, i % 2 ? &q : NULL); /* the attitude is passed over */
        wire_reader r = marlp_wire_from(bytes, w.n);
        ck_assert_int_eq(marlp_item_get_head(&r, &kind, &number), MARL_OK);
        ck_assert_int_eq(kind, MARL_ITEM_SAMPLE);
        ck_assert_uint_eq(number, wanted);
        ck_assert_int_eq(marlp_item_get_sample(&r, &back), MARL_OK);
        ck_assert_uint_eq(r.at, w.n);
        ck_assert(back.t_ns == s.t_ns && back.fresh == s.fresh);
        ck_assert(!(s.fresh & MARL_FRESH_ACCEL) || memcmp(&back.accel, &s.accel, sizeof s.accel) == 0);
        ck_assert(!(s.fresh & MARL_FRESH_GYRO) || memcmp(&back.gyro, &s.gyro, sizeof s.gyro) == 0);
        ck_assert(!(s.fresh & MARL_FRESH_MAG) || memcmp(&back.mag, &s.mag, sizeof s.mag) == 0);
        ck_assert(!(s.fresh & MARL_FRESH_SPEED) || bits_of(back.speed) == bits_of(s.speed));
    }
}
END_TEST

static const struct {
    uint8_t bytes[12];
    size_t n;
    int good;
} heads[] = {
    {{0x83, 0x01, 0x07, 0xa0}, 4, 1},
    {{0x83, 0x18, 0xff, 0x1a, 0xff, 0xff, 0xff, 0xff, 0xa0}, 9, 1},              /* the largest of both */
    {{0x82, 0x01, 0x07}, 3, 0},                                                  /* two elements */
    {{0x83, 0x00, 0x07, 0xa0}, 4, 0},                                            /* kind 0 */
    {{0x83, 0x20, 0x07, 0xa0}, 4, 0},                                            /* kind -1 */
    {{0x83, 0x19, 0x01, 0x00, 0x07, 0xa0}, 6, 0},                                /* kind 256 */
    {{0x83, 0x01, 0x20, 0xa0}, 4, 0},                                            /* number -1 */
    {{0x83, 0x01, 0x1b, 0, 0, 0, 1, 0, 0, 0, 0, 0xa0}, 12, 0},                   /* number 2^32 */
    {{0x83, 0x01, 0x3b, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff}, 11, 0}, /* beyond 63 bits */
    {{0x83, 0x61, 0x41, 0x07, 0xa0}, 5, 0},                                      /* a text for a kind */
    {{0xa0}, 1, 0},
};

START_TEST(a_head_is_three_whole_numbers_in_range)
{
    for (size_t i = 0; i < sizeof heads / sizeof heads[0]; i++) {
        marl_item_kind kind;
        uint32_t number;
        wire_reader r = marlp_wire_from(heads[i].bytes, heads[i].n);
        ck_assert_int_eq(marlp_item_get_head(&r, &kind, &number), heads[i].good ? MARL_OK : MARL_ERR_MESSAGE);
        r = marlp_wire_from(heads[i].bytes, 2);
        ck_assert_int_eq(marlp_item_get_head(&r, &kind, &number), MARL_ERR_MESSAGE);
    }
    const uint8_t more[] = {0x83, 0x01, 0x07, 0xa0, 0xa0};
    ck_assert(marl_item_is_whole(more, 4) && !marl_item_is_whole(more, 5) && !marl_item_is_whole(more, 3));
}
END_TEST

/* Valid items with a few bytes changed, put in or left out: what is taken for good is good, the rest is refused. */
START_TEST(damaged_items_are_refused_or_good)
{
    dice d = {12};
    int refused = 0;
    for (int i = 0; i < 30000; i++) {
        uint8_t bytes[MARL_ITEM_MAX];
        char device[MARL_DEVICE_NAME];
        marl_calibration c = {random_correction(&d), random_correction(&d), random_correction(&d), 1,
                              dice_attitude(&d)};
        marl_tuning t = marl_tuning_default((marl_filter)dice_below(&d, MARL_FILTER_COUNT));
        marl_vec3 taken[MARL_SENSOR_COUNT] = {{1, 2, 3}, {4, 5, 6}, {7, 8, 9}};
        uint8_t takes = (uint8_t)dice_below(&d, 8);
        wire_writer w = marlp_wire_into(bytes, sizeof bytes);
        if (i % 3 == 0) {
            marlp_item_put_calibration(&w, &c);
        } else if (i % 3 == 1) {
            marlp_item_put_tuning(&w, &t);
        } else {
            marlp_item_put_offsets(&w, taken, takes);
        }
        for (uint32_t k = dice_below(&d, 3); k < 3; k++) {
            bytes[dice_below(&d, dice_below(&d, 2) ? 8 : (uint32_t)w.n)] = (uint8_t)dice_bits(&d);
        }
        wire_reader r = marlp_wire_from(bytes, dice_below(&d, 4) ? w.n : dice_below(&d, (uint32_t)w.n));
        marl_status status = MARL_OK;
        if (i % 3 == 0) {
            status = marlp_item_get_calibration(&r, &c, device);
            ck_assert(status != MARL_OK || marl_calibration_check(&c) == MARL_OK);
        } else if (i % 3 == 1) {
            status = marlp_item_get_tuning(&r, &t);
            ck_assert(status != MARL_OK || marl_tuning_check(&t) == MARL_OK);
        } else {
            marlp_item_get_offsets(&r, taken, &takes);
            status = r.status;
            ck_assert_uint_lt(takes, 8);
        }
        ck_assert(status == MARL_OK || status == MARL_ERR_MESSAGE || status == MARL_ERR_ARGUMENT);
        refused += status != MARL_OK;
    }
    ck_assert_int_gt(refused, 10000);
}
END_TEST

/* A reading has three numbers; a sample has a time. */
START_TEST(a_sample_without_its_time_or_an_axis_is_refused)
{
    static const uint8_t two_axes[] = {0xa2, 0x01, 0x07, 0x02, 0x82, 0xf9, 0, 0, 0xf9, 0, 0},
                         no_time[] = {0xa1, 0x02, 0x83, 0xf9, 0, 0, 0xf9, 0, 0, 0xf9, 0, 0},
                         good[] = {0xa2, 0x01, 0x07, 0x02, 0x83, 0xf9, 0, 0, 0xf9, 0, 0, 0xf9, 0, 0};
    marl_sample s;
    wire_reader r = marlp_wire_from(two_axes, sizeof two_axes);
    ck_assert_int_eq(marlp_item_get_sample(&r, &s), MARL_ERR_MESSAGE);
    r = marlp_wire_from(no_time, sizeof no_time);
    ck_assert_int_eq(marlp_item_get_sample(&r, &s), MARL_ERR_MESSAGE);
    for (size_t n = 0; n <= sizeof good; n++) {
        r = marlp_wire_from(good, n);
        ck_assert_int_eq(marlp_item_get_sample(&r, &s), n == sizeof good ? MARL_OK : MARL_ERR_MESSAGE);
    }
    ck_assert(s.t_ns == 7 && s.fresh == MARL_FRESH_ACCEL);
}
END_TEST

MARL_SUITE("telemetry", a_calibration_comes_back_whole_and_fits, an_implausible_calibration_is_refused,
           a_tuning_comes_back_whole, a_tuning_of_an_unknown_filter_or_parameter_is_refused,
           a_wish_to_calibrate_is_read, a_sample_comes_back_whole, a_head_is_three_whole_numbers_in_range,
           damaged_items_are_refused_or_good, a_sample_without_its_time_or_an_axis_is_refused)
