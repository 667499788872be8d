/* SPDX-License-Identifier: MIT
 * Chip tables and parts that cannot be right. */
#include "check_main.h"
#include "marlinspike/chip.h"
#include <math.h>
#include <string.h>

/* Frames of both sensors that turn. */
static const marl_chip_fifo fifo = {.present = 1,
                                    .bytes = 12,
                                    .holds = MARL_FRESH_ACCEL | MARL_FRESH_GYRO,
                                    .at = {0, 6, 0, 0},
                                    .depth = 32,
                                    .count = {.bytes = 1, .bits = 8},
                                    .count_unit = 12};

START_TEST(a_table_that_contradicts_itself_is_refused)
{
    static const marl_chip_choice no_scale[4] = {{0, 20.0f, 0.0f}},
                                  outside_mask[4] = {{4, 20.0f, 0.1f}, {1, 40.0f, 0.2f}},
                                  no_rate[6] = {{0, 0.0f, 0.0f}};
    static const marl_chip_choice negative[5] = {{0, -1.0f, 0.0f}},
                                  vast[4] = {{0, 20.0f, 1e31f}, {1, 40.0f, 0.2f}};
    static const marl_chip_write wide_setup[] = {{0x20, 0x101, 5}};
    const marl_chip good = *marl_chip_grommet();
    const char *what = "";
    ck_assert_int_eq(marl_chip_check(&good, &what), MARL_OK);
#define REFUSED(change, complaint)                                                                           \
    do {                                                                                                     \
        marl_chip c = good;                                                                                  \
        change;                                                                                              \
        ck_assert_int_eq(marl_chip_check(&c, &what), MARL_ERR_ARGUMENT);                                     \
        ck_assert_str_eq(what, complaint);                                                                   \
    } while (0)
    REFUSED(c.identity.mask = 0, "identity");
    REFUSED(c.burst_n = 0, "burst");
    REFUSED(c.burst_n = 65, "burst");
    REFUSED(c.burst_reg = 250, "burst");
    REFUSED(c.zeros.reg = 0x30, "zeros");
    REFUSED(c.sensor[MARL_GYRO].word.bits = 17, "gyro.word");
    REFUSED(c.sensor[MARL_GYRO].word.bytes = 5, "gyro.word");
    REFUSED(c.sensor[MARL_ACCEL].reg[2] = 0x15, "accel.registers");
    REFUSED(c.sensor[MARL_ACCEL].ready.reg = 0x20, "accel.registers");
    REFUSED(c.sensor[MARL_MAG].sign[0] = 0, "mag.registers");
    REFUSED(c.sensor[MARL_MAG].range.n = 0, "mag.range");
    REFUSED(c.sensor[MARL_ACCEL].range.choice = no_scale, "accel.range");
    REFUSED(c.sensor[MARL_ACCEL].range.choice = outside_mask, "accel.range");
    REFUSED(c.sensor[MARL_GYRO].rate.choice = no_rate, "gyro.rate");
    REFUSED(c.sensor[MARL_GYRO].filter.choice = NULL, "gyro.low_pass");
    REFUSED(c.sensor[MARL_GYRO].ready.mask = 0x100, "gyro.registers"); /* its registers have 8 bits */
    REFUSED(c.sensor[MARL_GYRO].zero = 40000, "gyro.word");
    REFUSED(c.sensor[MARL_GYRO].word.coding = 4, "gyro.word");
    REFUSED(c.identity_value = 0x16b, "identity");
    REFUSED(c.registers = 3, "registers");
    REFUSED(c.setup = wide_setup, "setup");
    REFUSED(c.sensor[MARL_GYRO].offset.per_count = NAN, "gyro.offset");
    REFUSED(c.sensor[MARL_ACCEL].offset.reg[1] = 255, "accel.offset"); /* two bytes each */
    REFUSED(c.temp.reg = 0x15, "temp");
    REFUSED(c.setup = NULL, "setup");
    REFUSED(c.sensor[MARL_GYRO].word.bytes = 0, "gyro.word");
    REFUSED(c.sensor[MARL_GYRO].word.bits = 1, "gyro.word");
    REFUSED((c.sensor[MARL_GYRO].word = (marl_chip_word){4, 32, 0, 0, MARL_UNSIGNED}), "gyro.word");
    REFUSED(c.sensor[MARL_GYRO].zero = -40000, "gyro.word");
    REFUSED((c.sensor[MARL_GYRO].word = (marl_chip_word){4, 32, 0, 0, 0}, c.sensor[MARL_GYRO].zero = 1),
            "gyro.word");
    REFUSED(c.sensor[MARL_ACCEL].range.choice = NULL, "accel.range");
    REFUSED(c.sensor[MARL_ACCEL].range.choice = vast, "accel.range");
    REFUSED(c.sensor[MARL_ACCEL].range.at.mask = 0, "accel.range"); /* four choices of nothing */
    REFUSED(c.sensor[MARL_ACCEL].range.at.mask = 0x300, "accel.range");
    REFUSED((c.sensor[MARL_ACCEL].filter.choice = negative, c.sensor[MARL_ACCEL].filter.n = 1),
            "accel.low_pass");
    REFUSED(c.sensor[MARL_ACCEL].offset.word.bits = 1, "accel.offset");
    REFUSED(c.sensor[MARL_ACCEL].offset.word.coding = MARL_UNSIGNED, "accel.offset");
    REFUSED((c.sensor[MARL_ACCEL].offset.word = (marl_chip_word){4, 32, 0, 0, 0}), "accel.offset");
    REFUSED(c.sensor[MARL_ACCEL].offset.sign = 2, "accel.offset");
    REFUSED(c.identity.mask = 0x1ff, "identity");
    REFUSED((c.zeros.mask = 0x101), "zeros");
    REFUSED(c.temp.word.bytes = 0, "temp");
    REFUSED(c.temp.per_count = 0.0f, "temp");
    marl_chip with_fifo = good;
    with_fifo.fifo = fifo;
    ck_assert_int_eq(marl_chip_check(&with_fifo, &what), MARL_OK);
    REFUSED((c.fifo = fifo, c.fifo.bytes = 0), "fifo");
    REFUSED((c.fifo = fifo, c.fifo.bytes = 65), "fifo");
    REFUSED((c.fifo = fifo, c.fifo.depth = 0), "fifo");
    REFUSED((c.fifo = fifo, c.fifo.count.bits = 9), "fifo");
    REFUSED((c.fifo = fifo, c.fifo.count_unit = 0), "fifo");
    REFUSED((c.fifo = fifo, c.fifo.count_unit = 5), "fifo");
    REFUSED((c.fifo = fifo, c.fifo.overflow.mask = 0x100), "fifo");
    REFUSED((c.fifo = fifo, c.fifo.holds = MARL_FRESH_TEMP), "fifo");
    REFUSED((c.fifo = fifo, c.fifo.holds = 0xff), "fifo");
    REFUSED((c.fifo = fifo, c.fifo.at[MARL_GYRO] = 7), "fifo");
    REFUSED((c.fifo = fifo, c.fifo.holds |= MARL_FRESH_TEMP, c.fifo.at[3] = 11), "fifo");
    REFUSED((c.fifo = fifo, c.fifo.holds |= MARL_FRESH_MAG, c.sensor[MARL_MAG].present = 0), "fifo");
    REFUSED((c.fifo = fifo, c.fifo.holds |= MARL_FRESH_TEMP, c.temp.present = 0), "fifo");
    REFUSED((c.registers = MARL_REGISTERS_LOW_FIRST, c.burst_n = 21), "burst");
    REFUSED(c.sensor[MARL_ACCEL].present = c.sensor[MARL_GYRO].present = c.sensor[MARL_MAG].present = 0,
            "sensors");
}
END_TEST

/* A part whose settings its chip does not have, or that do not go together. */
START_TEST(a_part_that_its_chip_cannot_be_is_refused)
{
    const char *what = "";
    marl_chip gathers = *marl_chip_grommet();
    gathers.fifo = fifo;
    const marl_part good = {.chip = marl_chip_grommet()};
    const marl_part batched = {
        .chip = &gathers, .use = MARL_FRESH_ACCEL | MARL_FRESH_GYRO, .rate = {2, 2, 0}};
    ck_assert_int_eq(marl_part_check(&good, &what), MARL_OK);
    ck_assert_int_eq(marl_part_check(&batched, &what), MARL_OK);
#define NO_PART(of, change, complaint)                                                                       \
    do {                                                                                                     \
        marl_part p = of;                                                                                    \
        change;                                                                                              \
        ck_assert_int_eq(marl_part_check(&p, &what), MARL_ERR_ARGUMENT);                                     \
        ck_assert_str_eq(what, complaint);                                                                   \
        ck_assert_int_eq(marl_part_check(&p, NULL), MARL_ERR_ARGUMENT);                                      \
    } while (0)
    NO_PART(good, p.range[MARL_GYRO] = 4, "range");
    NO_PART(good, p.rate[MARL_MAG] = 40, "rate");
    NO_PART(good, p.filter[MARL_GYRO] = 8, "filter");
    NO_PART(good, p.mount[0] = 4, "mount");
    NO_PART(good, (p.mount[0] = 4, p.mount[1] = 1, p.mount[2] = 2), "mount");
    NO_PART(good, p.batch = 2, "batch");     /* without frames */
    NO_PART(batched, p.batch = 17, "batch"); /* more than half of the depth */
    NO_PART(batched, p.ready_line = 1, "ready_line");
    NO_PART(batched, p.rate[MARL_ACCEL] = 3, "rate"); /* of one frame, at two rates */
}
END_TEST

START_TEST(a_mounting_is_a_rotation)
{
    marl_part part = {.chip = marl_chip_grommet()};
    int good = 0;
    for (int x = -3; x <= 3; x++) {
        for (int y = -3; y <= 3; y++) {
            for (int z = -3; z <= 3; z++) {
                part.mount[0] = (int8_t)x;
                part.mount[1] = (int8_t)y;
                part.mount[2] = (int8_t)z;
                good += marl_part_check(&part, NULL) == MARL_OK;
            }
        }
    }
    ck_assert_int_eq(good, 24 + 1); /* the rotations of a cube, and "as it is" */
}
END_TEST

MARL_SUITE("chip table", a_table_that_contradicts_itself_is_refused,
           a_part_that_its_chip_cannot_be_is_refused, a_mounting_is_a_rotation)
