/* SPDX-License-Identifier: MIT */
#include "check_main.h"
#include "marlinspike/files.h"
#include "temporary.h"
#include <math.h>

/* A FIFO of accelerometer and gyroscope. */
#define FIFO_OF(bytes, depth, unit)                                                                          \
    "\"fifo\": {\"data\": 63, \"frame\": {\"bytes\": " bytes                                                 \
    ", \"accel\": 0, \"gyro\": 6}, \"depth\": " depth                                                        \
    ", \"count\": {\"register\": 62, \"word\": {\"bits\": 8, \"bytes\": 1}, \"unit\": \"" unit "\"}}"

/* Each row replaces a part of the Grommet's table by another; then what is said of it. */
static const struct {
    const char *from, *to, *given;
} faults[] = {
    {"chip/1", "chip/2", "chip/1"},
    {"\"0x6b\"", "\"0x16b\"", ":4: identity.value: is '0x16b', wanted a byte from 0x00 to 0xff"},
    {"\"0x6b\"", "300", "identity.value: 300 is out of its range, 0 to 255"},
    {"\"0x6b\"", "1.5", "identity.value: must be a whole number"},
    {"\"bytes\": 22", "\"bytes\": 99", "burst.bytes: 99 is out of its range, 1 to 64"},
    {"\"bytes\": 22", "\"bytes\": 12", "accel.registers: contradicts the rest of the table"},
    {"\"unit\": \"g\"", "\"unit\": \"deg/s\"", "accel.unit: unknown unit 'deg/s'; known: m/s^2, g, mg"},
    {"\"bits\": 16, \"bytes\": 2", "\"bits\": 17, \"bytes\": 2",
     "accel.word.bits: 17 is out of its range, 2 to 16"},
    {"[\"0x08\", \"0x0a\", \"0x0c\"]", "[\"0x08\", \"0x0a\"]", "accel.registers: wanted three registers"},
    {"[\"0x08\", \"0x0a\", \"0x0c\"]", "[\"0x08\", \"0x0a\", \"north\"]",
     "accel.registers: is 'north', wanted a byte"},
    {"\"full_scale\": 4}", "\"full_scale\": 0}", "accel.range.full_scale: 0 is out of its range"},
    {"\"full_scale\": 4}", "\"full_scale\": 4, \"colour\": 1}", "colour"},
    {"\"mask\": \"0x03\"", "\"mask\": \"0x01\"", "accel.range: contradicts the rest"},
    {"\"hz\": 50}", "\"hz\": -50}", "accel.rate.hz: -50 is out of its range"},
    {"\"sign\": 1}", "\"sign\": 0}", "accel.offset.sign: is 1 where the chip adds the offset"},
    {"\"start_ms\": 20", "\"start_ms\": 20, \"flavour\": 1", "flavour"},
    {"\"wait_ms\": 5", "\"wait_ms\": 5000", "setup.wait_ms: 5000 is out of its range, 0 to 255"},
    {"\"per_count\": 0.0078125", "\"per_count\": 0", "temp.per_count: 0 is out of its range"},
    {"\"bits\": 16, \"bytes\": 2", "\"bits\": 16, \"bytes\": 2, \"sign\": \"ones\"",
     "accel.word.sign: is 'ones', wanted twos-complement, none, sign-magnitude or offset-binary"},
    {"\"unit\": \"g\"", "\"unit\": \"g\", \"zero\": 0.5", "accel.zero: is a count: a whole number"},
    {"\"unit\": \"g\"", "\"unit\": \"g\", \"zero\": 99999", "accel.word: contradicts the rest"},
    {"\"start_ms\": 20", "\"start_ms\": 20, \"registers\": {\"bits\": 12}", "registers.bits: wanted 8 or 16"},
    {"\"start_ms\": 20", FIFO_OF("99", "1024", "bytes"), "fifo.frame.bytes: 99 is out of its range, 1 to 64"},
    {"\"start_ms\": 20", FIFO_OF("11", "64", "bytes"), "fifo: contradicts the rest of the table"},
    {"\"start_ms\": 20", FIFO_OF("12", "0", "bytes"), "fifo.depth: 0 is out of its range"},
    {"\"start_ms\": 20", FIFO_OF("12", "64", "bits"), "fifo.count.unit: is 'bits', wanted frames, words"},
    {"\"start_ms\": 20", FIFO_OF("13", "64", "words"), "fifo: contradicts the rest of the table"},
};

static char *grommet_text(void)
{
    char *text = temporary_read(CHIPS "/grommet.json");
    ck_assert_ptr_nonnull(text);
    return text;
}

START_TEST(a_fault_is_named_with_line_key_and_range)
{
    temporary t = temporary_make();
    marl_chip_file file;
    marl_error error = {0};
    char *text = grommet_text(), changed[8000];
    char *at = strstr(text, faults[_i].from);
    ck_assert_msg(at != NULL, "%s", faults[_i].from);
    snprintf(changed, sizeof changed, "%.*s%s%s", (int)(at - text), text, faults[_i].to,
             at + strlen(faults[_i].from));
    const char *path = temporary_text(&t, "chip.json", changed);
    ck_assert_int_eq(marl_chip_read_file(&file, path, &error), MARL_ERR_INPUT);
    ck_assert_msg(strstr(error.text, faults[_i].given) != NULL, "%s", error.text);
    ck_assert_msg(strncmp(error.text, path, strlen(path)) == 0, "%s", error.text);
    free(text);
    temporary_remove(&t);
}
END_TEST

static int same_setting(const marl_chip_setting *a, const marl_chip_setting *b)
{
    int same = a->n == b->n && a->at.reg == b->at.reg && a->at.mask == b->at.mask;
    for (int i = 0; i < a->n && same; i++) {
        same = a->choice[i].code == b->choice[i].code && a->choice[i].value == b->choice[i].value &&
               a->choice[i].per_count == b->choice[i].per_count;
    }
    return same;
}

START_TEST(the_table_built_in_is_the_one_that_ships)
{
    const marl_chip *a = marl_chip_grommet();
    marl_chip_file file;
    marl_error error = {0};
    ck_assert_msg(marl_chip_read_file(&file, CHIPS "/grommet.json", &error) == MARL_OK, "%s", error.text);
    const marl_chip b = file.chip;
    ck_assert_str_eq(a->name, b.name);
    ck_assert(a->identity.reg == b.identity.reg && a->identity.mask == b.identity.mask);
    ck_assert(a->setup[0].reg == b.setup[0].reg && a->setup[0].value == b.setup[0].value &&
              a->setup[0].wait_ms == b.setup[0].wait_ms);
    ck_assert(a->zeros.reg == b.zeros.reg && a->zeros.mask == b.zeros.mask);
    ck_assert_mem_eq(&a->temp, &b.temp, sizeof a->temp);
    ck_assert(a->identity_value == b.identity_value && a->start_ms == b.start_ms && a->setups == b.setups &&
              a->burst_reg == b.burst_reg && a->burst_n == b.burst_n);
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_chip_sensor *s = &a->sensor[i], *r = &b.sensor[i];
        ck_assert_mem_eq(s->reg, r->reg, 3);
        ck_assert_mem_eq(s->sign, r->sign, 3);
        ck_assert_mem_eq(&s->word, &r->word, sizeof s->word);
        ck_assert(s->ready.reg == r->ready.reg && s->ready.mask == r->ready.mask && s->zero == r->zero);
        ck_assert(same_setting(&s->range, &r->range) && same_setting(&s->rate, &r->rate) &&
                  same_setting(&s->filter, &r->filter));
        ck_assert(s->offset.present == r->offset.present && s->offset.per_count == r->offset.per_count);
        ck_assert(!s->offset.present ||
                  (s->offset.sign == r->offset.sign && memcmp(s->offset.reg, r->offset.reg, 3) == 0));
    }
}
END_TEST

/* 18 bits left-aligned in three bytes; counts as the data sheet has them, not as bits suggest. */
START_TEST(other_tables_are_read)
{
    marl_chip_file file;
    marl_error error = {0};
    ck_assert_msg(marl_chip_read_file(&file, CHIPS "/ferrule.json", &error) == MARL_OK, "%s", error.text);
    const marl_chip_sensor *mag = &file.chip.sensor[MARL_MAG];
    ck_assert(file.chip.sensor[MARL_ACCEL].present == 0 && file.chip.sensor[MARL_GYRO].present == 0 &&
              file.chip.temp.present == 0);
    ck_assert(mag->word.bits == 18 && mag->word.bytes == 3 && mag->word.left_aligned &&
              !mag->word.little_endian);
    ck_assert_int_eq(mag->sign[2], -1);
    ck_assert_float_eq_tol(mag->range.choice[0].value, 800.0f, 1e-3f);
    ck_assert_msg(marl_chip_read_file(&file, CHIPS "/thimble.json", &error) == MARL_OK, "%s", error.text);
    ck_assert_float_eq_tol(file.chip.sensor[MARL_GYRO].range.choice[0].per_count, 0.00875f * 0.017453293f,
                           1e-9f);
    ck_assert(file.chip.sensor[MARL_ACCEL].word.little_endian);
    ck_assert_msg(marl_chip_read_file(&file, CHIPS "/clevis.json", &error) == MARL_OK, "%s", error.text);
    const marl_chip_fifo *fifo = &file.chip.fifo;
    ck_assert(fifo->present && fifo->bytes == 13 && fifo->depth == 85 && fifo->count_unit == 1 &&
              fifo->at[3] == 12);
    ck_assert_uint_eq(fifo->holds, MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_TEMP);
    ck_assert_uint_eq(file.chip.sensor[MARL_ACCEL].word.coding, MARL_OFFSET_BINARY);
    ck_assert_msg(marl_chip_read_file(&file, CHIPS "/swivel.json", &error) == MARL_OK, "%s", error.text);
    ck_assert_uint_eq(file.chip.registers, MARL_REGISTERS_HIGH_FIRST);
    ck_assert_uint_eq(file.chip.identity_value, 0x3a51);
    ck_assert_int_eq(file.chip.sensor[MARL_ACCEL].zero, 32000);
    ck_assert_uint_eq(file.chip.sensor[MARL_GYRO].word.coding, MARL_SIGN_MAGNITUDE);
}
END_TEST

MARL_SUITE_OF_CASES("chip_file", faults, a_fault_is_named_with_line_key_and_range,
                    the_table_built_in_is_the_one_that_ships, other_tables_are_read)
