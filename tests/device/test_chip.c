/* SPDX-License-Identifier: MIT */
#include "check_main.h"
#include "fake_board.h"
#include "marlinspike/chip.h"
#include "random_values.h"
#include "shackle.h"
#include <math.h>

/* Words by hand: what the bytes of a data sheet's example mean. */
static const struct {
    marl_chip_word word;
    uint8_t bytes[4];
    int32_t count;
} words[] = {
    {{2, 16, 0, 0, 0}, {0x12, 0x34}, 0x1234},
    {{2, 16, 0, 0, 0}, {0xff, 0xfe}, -2},
    {{2, 16, 0, 1, 0}, {0x00, 0x80}, -32768},
    {{2, 16, 0, 0, 1}, {0xff, 0xfe}, 65534},
    {{2, 12, 1, 1, 0}, {0xf0, 0x7f}, 2047},
    {{2, 12, 1, 1, 0}, {0x10, 0x80}, -2047},
    {{2, 12, 0, 0, 0}, {0x0f, 0xff}, -1},
    {{1, 8, 0, 0, 0}, {0x80}, -128},
    {{3, 18, 1, 0, 0}, {0x80, 0x00, 0x00}, -131072},
    {{3, 24, 0, 1, 0}, {0x01, 0x00, 0x80}, -8388607},
    {{4, 32, 0, 0, 0}, {0x80, 0x00, 0x00, 0x00}, INT32_MIN},
    {{4, 32, 0, 1, 0}, {0xff, 0xff, 0xff, 0x7f}, INT32_MAX},
    {{2, 16, 0, 0, MARL_SIGN_MAGNITUDE}, {0x80, 0x05}, -5},
    {{2, 12, 1, 0, MARL_SIGN_MAGNITUDE}, {0x00, 0x50}, 5},
    {{1, 8, 0, 0, MARL_SIGN_MAGNITUDE}, {0xff}, -127},
    {{2, 16, 0, 0, MARL_OFFSET_BINARY}, {0x80, 0x00}, 0},
    {{2, 16, 0, 1, MARL_OFFSET_BINARY}, {0x00, 0x00}, -32768},
    {{2, 12, 1, 1, MARL_OFFSET_BINARY}, {0x10, 0x80}, 1},
    {{4, 32, 0, 0, MARL_OFFSET_BINARY}, {0xff, 0xff, 0xff, 0xff}, INT32_MAX},
};

START_TEST(bytes_mean_what_the_data_sheet_says)
{
    uint8_t bytes[4] = {0};
    ck_assert_int_eq(marl_chip_word_get(&words[_i].word, words[_i].bytes), words[_i].count);
    marl_chip_word_put(&words[_i].word, words[_i].count, bytes);
    /* bits that belong to no number are written as zeros, but for the sign's */
    ck_assert_int_eq(marl_chip_word_get(&words[_i].word, bytes), words[_i].count);
    if (words[_i].word.bits == 8 * words[_i].word.bytes || words[_i].word.left_aligned) {
        ck_assert_mem_eq(bytes, words[_i].bytes, words[_i].word.bytes);
    }
}
END_TEST

START_TEST(every_word_keeps_every_count_and_saturates)
{
    dice d = {3};
    for (int i = 0; i < 200000; i++) {
        marl_chip_word w = {.bytes = (uint8_t)(1 + dice_below(&d, 4))};
        w.bits = (uint8_t)(2 + dice_below(&d, 8u * w.bytes - 1));
        w.left_aligned = (uint8_t)dice_below(&d, 2);
        w.little_endian = (uint8_t)dice_below(&d, 2);
        w.coding = (uint8_t)dice_below(&d, 4);
        w.coding = w.coding == MARL_UNSIGNED && w.bits == 32 ? MARL_OFFSET_BINARY : w.coding;
        int64_t half = (int64_t)1 << (w.bits - 1);
        int64_t min = w.coding == MARL_UNSIGNED ? 0 : w.coding == MARL_SIGN_MAGNITUDE ? 1 - half : -half;
        int64_t max = w.coding == MARL_UNSIGNED ? 2 * half - 1 : half - 1;
        int32_t count = (int32_t)(uint32_t)dice_bits(&d);
        int64_t held = count < min ? min : count > max ? max : count;
        uint8_t bytes[4];
        marl_chip_word_put(&w, count, bytes);
        if (marl_chip_word_get(&w, bytes) != held) {
            ck_abort_msg("%d bits in %d bytes: %d", w.bits, w.bytes, count);
        }
    }
}
END_TEST

START_TEST(a_choice_is_the_least_that_is_enough)
{
    const marl_chip_setting *range = &marl_chip_grommet()->sensor[MARL_GYRO].range;
    const marl_chip_setting *filter = &marl_chip_grommet()->sensor[MARL_GYRO].filter;
    ck_assert_uint_eq(marl_chip_choose(range, 0.1f), 0);
    ck_assert_uint_eq(marl_chip_choose(range, 8.0f), 1); /* 458 deg/s: 500 */
    ck_assert_uint_eq(marl_chip_choose(range, 1e6f), 3);
    ck_assert_uint_eq(marl_chip_choose(filter, 30.0f), 3); /* 41 Hz */
    ck_assert_uint_eq(marl_chip_choose(filter, 1e6f), 0);  /* none */
}
END_TEST

/* A Grommet as its data sheet has it after start: 500 deg/s, 8 g, 100 Hz, 25 Hz. */
static marl_part grommet_part(void)
{
    marl_part part = {.chip = marl_chip_grommet(), .at = {0, 0x10}};
    part.range[MARL_ACCEL] = 2;
    part.range[MARL_GYRO] = 1;
    part.rate[MARL_ACCEL] = part.rate[MARL_GYRO] = 2;
    part.rate[MARL_MAG] = 1;
    part.filter[MARL_GYRO] = 4;
    return part;
}

static void grommet_board(fake_board *b)
{
    fake_board_make(b);
    b->reg[0][0x00] = 0x6b;
}

START_TEST(start_writes_what_was_chosen)
{
    fake_board b;
    uint16_t identity;
    grommet_board(&b);
    b.reg[0][0x21] = 0x88; /* bits that are nobody's stay */
    marl_part part = grommet_part();
    ck_assert_int_eq(marl_part_start(&b.port, &part, 1, &identity), MARL_OK);
    ck_assert_uint_eq(identity, 0x6b);
    ck_assert_uint_eq(b.reg[0][0x20], 0x01);
    ck_assert_uint_eq(b.reg[0][0x21], 0x88 | 0x01 | 4 << 4);
    ck_assert_uint_eq(b.reg[0][0x22], 0x02);
    ck_assert_uint_eq(b.reg[0][0x23], 0x02 | 1 << 4);
}
END_TEST

/* 0x1000 counts: 4096/32768 of 500 deg/s, of 8 g, of 1200 uT. */
START_TEST(a_burst_becomes_a_sample)
{
    static const uint8_t burst[] = {0x6b, 0x07, 0x10, 0x00, 0xf0, 0x00, 0x00, 0x00, 0x00, 0x00, 0x10,
                                    0x00, 0xf0, 0x00, 0x10, 0x00, 0x00, 0x00, 0xf0, 0x00, 0xff, 0x80};
    fake_board b;
    marl_sample s;
    grommet_board(&b);
    marl_part part = grommet_part();
    memcpy(b.reg[0], burst, sizeof burst);
    b.now_ns = 5000000;
    ck_assert_int_eq(marl_part_read(&b.port, &part, &s), MARL_OK);
    ck_assert_uint_eq(s.fresh, MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG | MARL_FRESH_TEMP);
    ck_assert_float_eq_tol(s.gyro.x, 62.5f * 0.01745329f, 1e-5f);
    ck_assert_float_eq_tol(s.gyro.y, -62.5f * 0.01745329f, 1e-5f);
    ck_assert_float_eq(s.gyro.z, 0.0f);
    ck_assert_float_eq_tol(s.accel.y, 9.80665f, 1e-5f);
    ck_assert_float_eq_tol(s.accel.z, -9.80665f, 1e-5f);
    ck_assert_float_eq_tol(s.mag.x, 150.0f, 1e-4f);
    ck_assert_float_eq_tol(s.mag.z, -150.0f, 1e-4f);
    ck_assert_float_eq_tol(s.temp, 24.0f, 1e-5f);
    ck_assert_int_eq(s.t_ns, 5010000); /* after the transfer */

    b.reg[0][0x01] = 0x01; /* the gyroscope alone is fresh */
    ck_assert_int_eq(marl_part_read(&b.port, &part, &s), MARL_OK);
    ck_assert_uint_eq(s.fresh, MARL_FRESH_GYRO | MARL_FRESH_TEMP);
    b.reg[0][0x01] = 0x00;
    ck_assert_int_eq(marl_part_read(&b.port, &part, &s), MARL_ERR_NOT_READY);
    part.use = MARL_FRESH_MAG;
    b.reg[0][0x01] = 0x03;
    ck_assert_int_eq(marl_part_read(&b.port, &part, &s), MARL_ERR_NOT_READY);
}
END_TEST

START_TEST(nothing_is_wired_to_the_first_chip)
{
    marl_chip chip = shackle();
    marl_part part = {.chip = &chip, .at = {1, 0x10}, .mount = {2, -1, 3}};
    fake_board b;
    marl_sample s;
    uint16_t identity;
    part.range[MARL_ACCEL] = part.rate[MARL_ACCEL] = 1;
    fake_board_make(&b);
    b.reg[1][0x75] = 0x93; /* masked: 0x12 */
    ck_assert_int_eq(marl_part_check(&part, NULL), MARL_OK);
    ck_assert_int_eq(marl_part_start(&b.port, &part, 1, &identity), MARL_OK);
    ck_assert_uint_eq(identity, 0x93);
    ck_assert_uint_eq(b.reg[1][0x6b], 0x01);
    ck_assert_uint_eq(b.reg[1][0x6c], 0x40);
    ck_assert_uint_eq(b.reg[1][0x60], 0x30);
    ck_assert_uint_eq(b.reg[1][0x61], 5 << 1 | 2 << 4);
    b.reg[1][0x44] = 0x40; /* x: 0x7d4 = 2004 counts of 0.04 */
    b.reg[1][0x45] = 0x7d;
    b.reg[1][0x42] = 0x60; /* y: 6 counts, the axis is mirrored */
    b.reg[1][0x40] = 0xf0; /* z: -1 count */
    b.reg[1][0x41] = 0xff;
    b.reg[1][0x4d] = 0x10;
    ck_assert_int_eq(marl_part_read(&b.port, &part, &s), MARL_OK);
    ck_assert_uint_eq(s.fresh, MARL_FRESH_ACCEL);
    ck_assert_float_eq_tol(s.accel.x, -0.24f, 1e-6f); /* body x is chip y */
    ck_assert_float_eq_tol(s.accel.y, -80.16f, 1e-4f);
    ck_assert_float_eq_tol(s.accel.z, -0.04f, 1e-6f);
}
END_TEST

START_TEST(a_disturbed_bus_is_reported_by_its_kind)
{
    static const marl_status kinds[] = {MARL_ERR_BUS_LATE, MARL_ERR_BUS_SILENT};
    marl_part part = grommet_part();
    marl_sample s;
    for (int k = 0; k < 2; k++) {
        fake_board b;
        grommet_board(&b);
        b.reg[0][1] = 7;
        b.fault = kinds[k];
        b.fault_until = MARL_BUS_TRIES - 1; /* the last try succeeds */
        ck_assert_int_eq(marl_part_read(&b.port, &part, &s), MARL_OK);
        b.fault_until = 1000;
        ck_assert_int_eq(marl_part_read(&b.port, &part, &s), kinds[k]);
        ck_assert_uint_eq(s.fresh, 0);
        ck_assert_int_eq(marl_part_start(&b.port, &part, 1, NULL), kinds[k]);
    }
    fake_board b;
    grommet_board(&b);
    b.garble_until = 1000;
    ck_assert_int_eq(marl_part_read(&b.port, &part, &s), MARL_ERR_BUS_GARBAGE);
    ck_assert_int_eq(marl_part_start(&b.port, &part, 1, NULL), MARL_ERR_BUS_GARBAGE);
}
END_TEST

START_TEST(another_chip_is_named)
{
    fake_board b;
    uint16_t identity;
    marl_part part = grommet_part();
    fake_board_make(&b);
    b.reg[0][0] = 0x42;
    ck_assert_int_eq(marl_part_start(&b.port, &part, 1, &identity), MARL_ERR_IDENTITY);
    ck_assert_uint_eq(identity, 0x42);
}
END_TEST

START_TEST(a_setting_that_is_not_kept_is_garbage)
{
    fake_board b;
    marl_part part = grommet_part();
    grommet_board(&b);
    b.dead_reg = 0x22;
    ck_assert_int_eq(marl_part_start(&b.port, &part, 1, NULL), MARL_ERR_BUS_GARBAGE);
}
END_TEST

/* A read that is garbled while settings are written must not end up in bits that are somebody else's. */
START_TEST(a_garbled_read_does_not_spoil_other_bits)
{
    marl_part part = grommet_part();
    for (int at = 0; at < 60; at++) {
        fake_board b;
        grommet_board(&b);
        b.reg[0][0x21] = 0x88;
        b.garble_from = at;
        b.garble_until = at + 1;
        ck_assert_int_eq(marl_part_start(&b.port, &part, 1, NULL), MARL_OK);
        ck_assert_uint_eq(b.reg[0][0x21], 0x88 | 0x01 | 4 << 4);
        ck_assert_uint_eq(b.reg[0][0x22], 0x02);
        ck_assert_uint_eq(b.reg[0][0x23], 0x02 | 1 << 4);
    }
}
END_TEST

/* A chip that is silent after power-on is waited for, but not for longer than its table says. */
START_TEST(start_waits_for_a_chip_to_wake)
{
    fake_board b;
    marl_part part = grommet_part();
    grommet_board(&b);
    b.fault = MARL_ERR_BUS_SILENT;
    b.fault_until = 30; /* ten tries of three transfers: some 14 ms */
    ck_assert_int_eq(marl_part_start(&b.port, &part, 1, NULL), MARL_OK);
    ck_assert(b.now_ns > 10000000 && b.now_ns < 25000000);
}
END_TEST

/* The chip adds sign * counts * per_count; with the bias in its registers nothing is left of it but rounding.
 */
START_TEST(offset_registers_take_the_bias_away)
{
    static const int8_t mounts[][3] = {{0, 0, 0}, {1, 2, 3}, {-2, 1, 3}, {3, -1, -2}};
    const marl_vec3 bias = {0.05f, -0.021f, 0.3f};
    marl_part part = grommet_part();
    for (int m = 0; m < 4; m++) {
        for (int which = MARL_ACCEL; which <= MARL_GYRO; which++) {
            fake_board b;
            const marl_chip_offset *o = &part.chip->sensor[which].offset;
            float added[3], body[3];
            grommet_board(&b);
            memcpy(part.mount, mounts[m], 3);
            ck_assert_int_eq(marl_part_write_offset(&b.port, &part, (marl_sensor)which, bias), MARL_OK);
            for (int k = 0; k < 3; k++) {
                added[k] =
                    (float)(o->sign * marl_chip_word_get(&o->word, b.reg[0] + o->reg[k])) * o->per_count;
            }
            for (int i = 0; i < 3; i++) {
                int axis = abs(part.mount[i]);
                body[i] = axis == 0 ? added[i] : part.mount[i] < 0 ? -added[axis - 1] : added[axis - 1];
            }
            ck_assert_float_eq_tol(body[0], -bias.x, 0.51f * o->per_count);
            ck_assert_float_eq_tol(body[1], -bias.y, 0.51f * o->per_count);
            ck_assert_float_eq_tol(body[2], -bias.z, 0.51f * o->per_count);
        }
    }
}
END_TEST

START_TEST(an_offset_that_does_not_fit_is_refused_whole)
{
    fake_board b;
    marl_part part = grommet_part();
    grommet_board(&b);
    uint8_t before[256];
    memcpy(before, b.reg[0], sizeof before);
    ck_assert_int_eq(marl_part_write_offset(&b.port, &part, MARL_GYRO, (marl_vec3){0.01f, 1e6f, 0.0f}),
                     MARL_ERR_ARGUMENT);
    ck_assert_int_eq(marl_part_write_offset(&b.port, &part, MARL_GYRO, (marl_vec3){0.01f, 0.0f, NAN}),
                     MARL_ERR_ARGUMENT);
    ck_assert_int_eq(marl_part_write_offset(&b.port, &part, MARL_MAG, (marl_vec3){0.01f, 0.0f, 0.0f}),
                     MARL_ERR_ARGUMENT);
    ck_assert_mem_eq(before, b.reg[0], sizeof before);
}
END_TEST

/* Whichever transfer of a start fails, and each one after it, the start fails with that fault; after a pause of the bus it
 * works. */
START_TEST(a_start_fails_with_the_fault_of_any_transfer)
{
    fake_board b;
    marl_part part = grommet_part();
    grommet_board(&b);
    ck_assert_int_eq(marl_part_start(&b.port, &part, 1, NULL), MARL_OK);
    int transfers = b.transfers;
    ck_assert_int_gt(transfers, 20);
    for (int at = 0; at < transfers; at++) {
        grommet_board(&b);
        b.fault = at % 2 ? MARL_ERR_BUS_SILENT : MARL_ERR_BUS_LATE;
        b.fault_from = at;
        b.fault_until = 1 << 20;
        ck_assert_int_eq(marl_part_start(&b.port, &part, 1, NULL), b.fault);
        b.fault_until = 0;
        ck_assert_int_eq(marl_part_start(&b.port, &part, 1, NULL), MARL_OK);
    }
}
END_TEST

/* Two readings of a register that never agree are no reading. */
START_TEST(a_bus_that_garbles_everything_is_garbage)
{
    fake_board b;
    marl_part part = grommet_part();
    grommet_board(&b);
    ck_assert_int_eq(marl_part_start(&b.port, &part, 0, NULL), MARL_OK);
    for (int at = 0, transfers = b.transfers; at < transfers; at++) {
        grommet_board(&b);
        b.garble_from = at;
        b.garble_until = 1 << 20;
        ck_assert_int_eq(marl_part_start(&b.port, &part, 0, NULL), MARL_ERR_BUS_GARBAGE);
    }
}
END_TEST

MARL_SUITE_OF_CASES("chip", words, bytes_mean_what_the_data_sheet_says,
                    every_word_keeps_every_count_and_saturates, a_choice_is_the_least_that_is_enough,
                    start_writes_what_was_chosen, a_burst_becomes_a_sample,
                    nothing_is_wired_to_the_first_chip, a_disturbed_bus_is_reported_by_its_kind,
                    another_chip_is_named, a_setting_that_is_not_kept_is_garbage,
                    a_garbled_read_does_not_spoil_other_bits, start_waits_for_a_chip_to_wake,
                    offset_registers_take_the_bias_away, an_offset_that_does_not_fit_is_refused_whole,
                    a_start_fails_with_the_fault_of_any_transfer, a_bus_that_garbles_everything_is_garbage)
