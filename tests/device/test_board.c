/* SPDX-License-Identifier: MIT */
#include "check_main.h"
#include "fake_board.h"
#include "marlinspike/chip.h"
#include "shackle.h"

/* A Grommet on bus 0, whose gyroscope and accelerometer are used, and a Shackle on bus 1. */
typedef struct two_chips {
    fake_board fake;
    marl_chip second;
    marl_part part[2];
    marl_board board;
} two_chips;

static void make(two_chips *t)
{
    fake_board_make(&t->fake);
    t->second = shackle();
    memset(t->part, 0, sizeof t->part);
    t->part[0].chip = marl_chip_grommet();
    t->part[0].at = t->fake.at[0];
    t->part[0].use = MARL_FRESH_ACCEL | MARL_FRESH_GYRO;
    t->part[0].rate[MARL_ACCEL] = t->part[0].rate[MARL_GYRO] = 5; /* 1 kHz */
    t->part[1].chip = &t->second;
    t->part[1].at = t->fake.at[1];
    t->fake.reg[0][0] = 0x6b;
    t->fake.reg[1][0x75] = 0x12;
    ck_assert_int_eq(marl_board_init(&t->board, &t->fake.port, t->part, 2, NULL), MARL_OK);
}

START_TEST(each_chip_gives_its_own_samples_with_its_own_stamps)
{
    two_chips t;
    marl_sample a, b;
    make(&t);
    ck_assert_int_eq(marl_board_start(&t.board), MARL_OK);
    ck_assert_uint_eq(marl_board_sensors(&t.board), MARL_FRESH_ACCEL | MARL_FRESH_GYRO);
    ck_assert_uint_eq(marl_board_period_us(&t.board), 1000);
    ck_assert_int_eq(marl_board_read(&t.board, &a), MARL_ERR_NOT_READY);
    t.fake.reg[0][0x01] = 0x07;
    t.fake.reg[1][0x4d] = 0x30;
    ck_assert_int_eq(marl_board_read(&t.board, &a), MARL_OK);
    ck_assert_int_eq(marl_board_read(&t.board, &b), MARL_OK);
    ck_assert_int_gt(b.t_ns, a.t_ns);
    ck_assert_uint_eq(a.fresh, MARL_FRESH_ACCEL | MARL_FRESH_GYRO);
    ck_assert_uint_eq(b.fresh, MARL_FRESH_ACCEL | MARL_FRESH_GYRO);
    ck_assert_uint_eq(t.board.state[0].counts.reads, 1);
    ck_assert_uint_eq(t.board.state[1].counts.reads, 1);
}
END_TEST

/* A chip is not asked before its next reading can be there: 0.9 periods. */
START_TEST(a_chip_is_left_alone_until_it_is_due)
{
    two_chips t;
    marl_sample s;
    uint32_t us;
    make(&t);
    ck_assert_int_eq(marl_board_start(&t.board), MARL_OK);
    t.fake.reg[0][0x01] = 0x01;
    t.fake.reg[1][0x4d] = 0x10;
    ck_assert_int_eq(marl_board_read(&t.board, &s), MARL_OK);
    ck_assert_int_eq(marl_board_read(&t.board, &s), MARL_OK);
    int before = t.fake.transfers;
    ck_assert_int_eq(marl_board_read(&t.board, &s), MARL_ERR_NOT_READY);
    ck_assert_int_eq(t.fake.transfers, before);
    ck_assert_int_eq(marl_board_rest(&t.board, &us), MARL_OK);
    ck_assert(us > 800 && us <= 900);
    t.fake.now_ns += INT64_C(1000) * us;
    ck_assert_int_eq(marl_board_read(&t.board, &s), MARL_OK); /* the fast one */
    ck_assert_int_eq(t.fake.transfers, before + 1);
}
END_TEST

static void put_fifo(two_chips *t)
{
    t->second.fifo = (marl_chip_fifo){.present = 1,
                                      .data = 0x80,
                                      .bytes = 12,
                                      .holds = MARL_FRESH_ACCEL | MARL_FRESH_GYRO,
                                      .at = {0, 6},
                                      .depth = 32,
                                      .count_reg = 0x3a,
                                      .count = {.bytes = 1, .bits = 8, .coding = MARL_UNSIGNED},
                                      .count_unit = 1,
                                      .overflow = {0x3c, 0x10}};
}

/* Frames that gather would come out behind readings of the other chip that are newer. */
START_TEST(frames_gather_on_a_board_of_one_chip_alone)
{
    two_chips t;
    const char *what = "";
    make(&t);
    put_fifo(&t);
    t.part[1].batch = 10;
    ck_assert_int_eq(marl_board_init(&t.board, &t.fake.port, t.part, 2, &what), MARL_ERR_ARGUMENT);
    ck_assert_str_eq(what, "batch");
    ck_assert_int_eq(marl_board_init(&t.board, &t.fake.port, t.part + 1, 1, &what), MARL_OK);
    t.part[1].batch = 17; /* more than half of what it takes */
    ck_assert_int_eq(marl_board_init(&t.board, &t.fake.port, t.part + 1, 1, &what), MARL_ERR_ARGUMENT);
    t.part[1].batch = 0;
    ck_assert_int_eq(marl_board_init(&t.board, &t.fake.port, t.part, 2, &what), MARL_OK);
    t.part[1].rate[MARL_GYRO] = 1; /* two rates in one frame */
    ck_assert_int_eq(marl_board_init(&t.board, &t.fake.port, t.part, 2, &what), MARL_ERR_ARGUMENT);
    ck_assert_str_eq(what, "rate");
}
END_TEST

/* Counts of bytes, read twice: they may grow by a frame or two in between, and never beyond the depth. */
START_TEST(frames_are_counted_if_the_bus_agrees)
{
    two_chips t;
    uint16_t frames = 99;
    make(&t);
    ck_assert_int_eq(marl_part_count_frames(&t.fake.port, &t.part[1], &frames), MARL_OK);
    ck_assert_uint_eq(frames, 0); /* it has no memory for frames */
    put_fifo(&t);
    t.fake.reg[1][0x3a] = 5 * 12 + 3; /* the sixth is being written */
    ck_assert_int_eq(marl_part_count_frames(&t.fake.port, &t.part[1], &frames), MARL_OK);
    ck_assert_uint_eq(frames, 5);
    t.fake.reg[1][0x3c] = 0x10;
    ck_assert_int_eq(marl_part_count_frames(&t.fake.port, &t.part[1], &frames), MARL_ERR_OVERFLOW);
    t.fake.reg[1][0x3c] = 0;
    t.second.fifo.depth = 4;
    ck_assert_int_eq(marl_part_count_frames(&t.fake.port, &t.part[1], &frames), MARL_ERR_BUS_GARBAGE);
    t.second.fifo.depth = 32;
    t.fake.fault = MARL_ERR_BUS_LATE;
    for (int at = 0; at < 3; at++) { /* overflow, count, count again */
        t.fake.fault_from = t.fake.transfers + at;
        t.fake.fault_until = t.fake.fault_from + MARL_BUS_TRIES;
        ck_assert_int_eq(marl_part_count_frames(&t.fake.port, &t.part[1], &frames), MARL_ERR_BUS_LATE);
        t.fake.fault_until = 0;
        t.fake.garble_from = t.fake.transfers + (at > 0);
        t.fake.garble_until = t.fake.garble_from + 1; /* of the flag, of the first, of the first again */
        t.fake.reg[1][0x3a] = at ? 12 : 60;
        marl_status status = marl_part_count_frames(&t.fake.port, &t.part[1], &frames);
        ck_assert(at == 0 ? status == MARL_OK || status == MARL_ERR_OVERFLOW
                          : status == MARL_ERR_BUS_GARBAGE);
    }
}
END_TEST

/* A chip that says that frames were lost and has none: that is counted, and the next ones come as usual. */
START_TEST(lost_frames_are_counted_and_reading_goes_on)
{
    two_chips t;
    marl_sample s;
    make(&t);
    put_fifo(&t);
    ck_assert_int_eq(marl_board_init(&t.board, &t.fake.port, t.part + 1, 1, NULL), MARL_OK);
    ck_assert_int_eq(marl_board_start(&t.board), MARL_OK);
    t.fake.now_ns += 100000000;
    t.fake.reg[1][0x3c] = 0x10;
    ck_assert_int_eq(marl_board_read(&t.board, &s), MARL_ERR_NOT_READY);
    ck_assert_uint_eq(t.board.state[0].counts.overflows, 1);
    ck_assert_int_eq(t.board.state[0].fault, MARL_ERR_OVERFLOW);
    t.fake.reg[1][0x3c] = 0;
    t.fake.reg[1][0x3a] = 24;
    t.fake.now_ns += 100000000;
    ck_assert_int_eq(marl_board_read(&t.board, &s), MARL_OK);
    ck_assert_int_eq(marl_board_read(&t.board, &s), MARL_OK);
    ck_assert_int_eq(t.board.state[0].fault, MARL_OK);
    ck_assert_uint_eq(s.fresh, MARL_FRESH_ACCEL | MARL_FRESH_GYRO);
}
END_TEST

/* A bias that is to be taken away while the chip fails is written when it starts again. */
START_TEST(offsets_reach_a_chip_that_failed_when_it_starts_again)
{
    two_chips t;
    marl_sample s;
    marl_vec3 left;
    const marl_vec3 bias = {0.0f, 10.0f * 0.00054541539f, 0.0f}; /* ten counts */
    make(&t);
    ck_assert_int_eq(marl_board_init(&t.board, &t.fake.port, t.part, 1, NULL), MARL_OK);
    ck_assert_int_eq(marl_board_start(&t.board), MARL_OK);
    ck_assert_int_eq(marl_board_has_offset(&t.board, MARL_GYRO), 1);
    ck_assert_int_eq(marl_board_has_offset(&t.board, MARL_MAG), 0);
    ck_assert_int_eq(marl_board_bias_left(&t.board, MARL_MAG, bias, &left), MARL_ERR_ARGUMENT);
    t.fake.fault = MARL_ERR_BUS_SILENT;
    t.fake.fault_from = t.fake.transfers;
    t.fake.fault_until = t.fake.transfers + 1000;
    ck_assert_int_eq(marl_board_take_bias(&t.board, MARL_GYRO, bias), MARL_ERR_BUS_SILENT);
    ck_assert_uint_eq(t.fake.reg[0][0x33], 0);
    t.fake.fault_until = t.fake.transfers;
    t.fake.now_ns += 1000000000; /* it starves, and is started again */
    ck_assert_int_eq(marl_board_read(&t.board, &s), MARL_ERR_NOT_READY);
    ck_assert_uint_eq(t.fake.reg[0][0x33], 10);
    ck_assert_int_eq(marl_board_take_bias(&t.board, MARL_GYRO, (marl_vec3){0.0f, 0.0f, 0.0f}), MARL_OK);
    ck_assert_uint_eq(t.fake.reg[0][0x33], 0);
}
END_TEST

START_TEST(a_ready_line_needs_a_port_that_has_it)
{
    two_chips t;
    const char *what = "";
    make(&t);
    t.part[0].ready_line = 1;
    ck_assert_int_eq(marl_board_init(&t.board, &t.fake.port, t.part, 2, &what), MARL_ERR_ARGUMENT);
    ck_assert_str_eq(what, "data_ready");
}
END_TEST

START_TEST(a_chip_that_is_missing_does_not_stop_the_other)
{
    two_chips t;
    marl_sample s;
    int rows = 0;
    make(&t);
    t.part[1].at.address = 0x55;
    ck_assert_int_eq(marl_board_start(&t.board), MARL_ERR_BUS_SILENT);
    t.fake.reg[0][0x01] = 0x01;
    for (int i = 0; i < 200; i++) {
        marl_status status = marl_board_read(&t.board, &s);
        rows += status == MARL_OK;
        ck_assert(status == MARL_OK || status == MARL_ERR_BUS_SILENT || status == MARL_ERR_NOT_READY);
        t.fake.now_ns += 1000000;
    }
    ck_assert_int_gt(rows, 150);
    ck_assert_int_eq(t.board.state[1].fault, MARL_ERR_BUS_SILENT);
    ck_assert_uint_ge(t.board.state[1].counts.silent, 1);
    ck_assert_uint_eq(t.board.state[0].counts.silent, 0);
}
END_TEST

/* After a power dip the registers are at their defaults and nothing becomes ready: the settings come back. */
START_TEST(a_chip_that_forgot_its_settings_is_started_again)
{
    two_chips t;
    marl_sample s;
    make(&t);
    t.board.parts = 1;
    ck_assert_int_eq(marl_board_start(&t.board), MARL_OK);
    t.fake.reg[0][0x20] = t.fake.reg[0][0x23] = 0; /* 40 ms to a reading: no readings in 20 periods */
    for (int i = 0; i < 110; i++) {
        ck_assert_int_eq(marl_board_read(&t.board, &s), MARL_ERR_NOT_READY);
        t.fake.now_ns += 1000000;
    }
    ck_assert_uint_eq(t.board.state[0].counts.restarts, 1);
    ck_assert_uint_eq(t.fake.reg[0][0x20], 1);
    ck_assert_uint_eq(t.fake.reg[0][0x23] & 7, 5);
}
END_TEST

START_TEST(a_clock_that_wraps_restarts_nothing)
{
    two_chips t;
    marl_sample s;
    make(&t);
    t.board.parts = 1;
    t.fake.now_ns = INT64_C(4294967296000) - 3000000;
    ck_assert_int_eq(marl_board_start(&t.board), MARL_OK);
    t.fake.reg[0][0x01] = 0x01;
    for (int i = 0; i < 50; i++) {
        t.fake.now_ns = (t.fake.now_ns + 1000000) % INT64_C(4294967296000);
        ck_assert_int_eq(marl_board_read(&t.board, &s), MARL_OK);
    }
    ck_assert_uint_eq(t.board.state[0].counts.restarts, 0);
}
END_TEST

START_TEST(faults_are_counted_by_kind)
{
    two_chips t;
    marl_sample s;
    make(&t);
    t.board.parts = 1;
    ck_assert_int_eq(marl_board_start(&t.board), MARL_OK);
    t.fake.reg[0][0x01] = 0x01;
    t.fake.fault_from = t.fake.transfers;
    t.fake.fault_until = 1000;
    t.fake.fault = MARL_ERR_BUS_LATE;
    ck_assert_int_eq(marl_board_read(&t.board, &s), MARL_ERR_BUS_LATE);
    t.fake.fault = MARL_ERR_BUS_SILENT;
    ck_assert_int_eq(marl_board_read(&t.board, &s), MARL_ERR_BUS_SILENT);
    ck_assert_int_eq(marl_board_read(&t.board, &s), MARL_ERR_BUS_SILENT);
    t.fake.fault_until = 0;
    t.fake.garble_from = t.fake.transfers;
    t.fake.garble_until = 1000;
    ck_assert_int_eq(marl_board_read(&t.board, &s), MARL_ERR_BUS_GARBAGE);
    t.fake.garble_until = 0;
    ck_assert_int_eq(marl_board_read(&t.board, &s), MARL_OK);
    const marl_part_counts *c = &t.board.state[0].counts;
    ck_assert_uint_eq(c->late, 1);
    ck_assert_uint_eq(c->silent, 2);
    ck_assert_uint_eq(c->garbage, 1);
    ck_assert_int_eq(t.board.state[0].fault, MARL_OK);
}
END_TEST

START_TEST(a_board_of_nothing_is_refused)
{
    two_chips t;
    const char *what = "";
    make(&t);
    ck_assert_int_eq(marl_board_init(&t.board, &t.fake.port, t.part, 0, &what), MARL_ERR_ARGUMENT);
    ck_assert_str_eq(what, "parts");
    ck_assert_int_eq(marl_board_init(&t.board, &t.fake.port, t.part, 5, &what), MARL_ERR_ARGUMENT);
    ck_assert_int_eq(marl_board_init(&t.board, &t.fake.port, t.part, 5, NULL), MARL_ERR_ARGUMENT);
    t.part[1].mount[0] = 1;
    ck_assert_int_eq(marl_board_init(&t.board, &t.fake.port, t.part, 2, &what), MARL_ERR_ARGUMENT);
    ck_assert_str_eq(what, "mount");
    t.fake.port.bus_write = NULL;
    ck_assert_int_eq(marl_board_init(&t.board, &t.fake.port, t.part, 1, &what), MARL_ERR_ARGUMENT);
    ck_assert_str_eq(what, "bus_write");
}
END_TEST

MARL_SUITE("board", each_chip_gives_its_own_samples_with_its_own_stamps, a_chip_is_left_alone_until_it_is_due,
           frames_gather_on_a_board_of_one_chip_alone, frames_are_counted_if_the_bus_agrees,
           lost_frames_are_counted_and_reading_goes_on, a_ready_line_needs_a_port_that_has_it,
           offsets_reach_a_chip_that_failed_when_it_starts_again,
           a_chip_that_is_missing_does_not_stop_the_other, a_chip_that_forgot_its_settings_is_started_again,
           a_clock_that_wraps_restarts_nothing, faults_are_counted_by_kind, a_board_of_nothing_is_refused)
