/* SPDX-License-Identifier: MIT
 * Biases in the offset registers of the chips: on the simulated board, where the chip takes them away. */
#include "check_main.h"
#include "fake_board.h"
#include "port_messages.h"

enum { ROWS = 3000 };
static marl_log_row row[ROWS];
static const double bias[3] = {0.0139, -0.0087, 0.0032}; /* rad/s */
static const double step = 0.03125 * 0.017453292519943295;

/* A perfect Grommet at rest, but for a bias of the gyroscope. */
static void start(sim_test *t)
{
    sim_test_prepare(t, MARL_SCENE_STILL, 100);
    memcpy(t->sheet.gyro.bias, bias, sizeof bias);
    sim_test_start(t);
    ck_assert_int_eq(sim_test_run(t, 1), MARL_OK);
}

static marl_calibration_record calibration(void)
{
    marl_calibration_record c = marl_calibration_record_empty();
    c.fit[MARL_GYRO].present = 1;
    memcpy(c.fit[MARL_GYRO].bias, bias, sizeof bias);
    return c;
}

static marl_outcome send_calibration(sim_test *t, const marl_calibration_record *record)
{
    return ask(t, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = record});
}

/* The greatest component of the mean of what the board streams from now on for a second. */
static double streamed_bias(sim_test *t)
{
    double sum[3] = {0}, most = 0;
    (void)sim_test_rows(t, row, ROWS);
    ck_assert_int_eq(sim_test_run(t, marl_sim_seconds(t->sim) + 1), MARL_OK);
    size_t n = sim_test_rows(t, row, ROWS), readings = 0;
    for (size_t i = 0; i < n; i++) {
        if (row[i].sample.fresh & MARL_FRESH_GYRO) {
            readings++;
            sum[0] += (double)row[i].sample.gyro.x;
            sum[1] += (double)row[i].sample.gyro.y;
            sum[2] += (double)row[i].sample.gyro.z;
        }
    }
    ck_assert_uint_gt(readings, 80);
    for (int k = 0; k < 3; k++) {
        most = fmax(most, fabs(sum[k] / (double)readings));
    }
    return most;
}

static double left_to_software(const sim_test *t)
{
    marl_vec3 b = marl_sim_app(t->sim)->settings.calibration.gyro.bias;
    return fmax(fabs((double)b.x), fmax(fabs((double)b.y), fabs((double)b.z)));
}

/* 2.7e-4 rad/s is a count of the readings. */
START_TEST(the_chip_takes_the_bias_away_and_software_has_the_rest)
{
    sim_test t;
    marl_calibration_record record = calibration();
    start(&t);
    ck_assert_double_gt(streamed_bias(&t), 0.0135);
    ck_assert_int_eq(send_calibration(&t, &record), MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_OFFSETS), MARL_OUTCOME_DONE);
    ck_assert_double_lt(streamed_bias(&t), 0.51 * step + 2.7e-4);
    ck_assert_double_lt(left_to_software(&t), 0.51 * step);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_OFFSETS), MARL_OUTCOME_DONE); /* nothing is left to move */
    ck_assert_double_lt(streamed_bias(&t), 0.51 * step + 2.7e-4);
    ck_assert_int_eq(send_calibration(&t, &record), MARL_OUTCOME_DONE); /* the same one again */
    ck_assert_double_lt(left_to_software(&t), 0.51 * step);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_OFFSETS), MARL_OUTCOME_DONE);
    ck_assert_double_lt(streamed_bias(&t), 0.51 * step + 2.7e-4);
    sim_test_end(&t);
}
END_TEST

/* What is found later, on readings that have lost their bias already, adds to what the registers take. */
START_TEST(a_later_calibration_adds_to_the_registers)
{
    sim_test t;
    marl_calibration_record record = calibration(), later = calibration();
    start(&t);
    ck_assert_int_eq(send_calibration(&t, &record), MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_OFFSETS), MARL_OUTCOME_DONE);
    for (int k = 0; k < 3; k++) { /* as if the sensor had drifted by four counts */
        later.fit[MARL_GYRO].bias[k] = 4 * step;
    }
    ck_assert_int_eq(send_calibration(&t, &later), MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_OFFSETS), MARL_OUTCOME_DONE);
    ck_assert_double_eq_tol(streamed_bias(&t), 4 * step, 0.51 * step + 2.7e-4);
    sim_test_end(&t);
}
END_TEST

START_TEST(registers_are_written_again_after_a_dip_and_a_power_cut)
{
    sim_test t;
    marl_calibration_record record = calibration();
    sim_test_prepare(&t, MARL_SCENE_STILL, 100);
    memcpy(t.sheet.gyro.bias, bias, sizeof bias);
    t.config.faults.dip_s = 4;
    t.config.faults.cut_s = 8;
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 1), MARL_OK);
    ck_assert_int_eq(send_calibration(&t, &record), MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_OFFSETS), MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_COMMIT), MARL_OUTCOME_DONE);
    ck_assert_int_eq(sim_test_run(&t, 6), MARL_OK);
    ck_assert_uint_gt(marl_sim_app(t.sim)->board.state[0].counts.restarts, 0);
    ck_assert_double_lt(streamed_bias(&t), 0.51 * step + 2.7e-4);
    ck_assert_int_eq(sim_test_run(&t, 10), MARL_OK);
    ck_assert_uint_eq(marl_sim_counted(t.sim)->starts, 2);
    ck_assert_double_lt(streamed_bias(&t), 0.51 * step + 2.7e-4);
    ck_assert_double_lt(left_to_software(&t), 0.51 * step);
    sim_test_end(&t);
}
END_TEST

START_TEST(what_no_register_can_take_is_refused_whole)
{
    sim_test t;
    marl_calibration_record record = calibration();
    start(&t);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_OFFSETS), MARL_OUTCOME_OUT_OF_RANGE); /* nothing is calibrated */
    record.fit[MARL_ACCEL].present = 1;
    record.fit[MARL_ACCEL].bias[2] = 500; /* of 160 m/s^2 */
    ck_assert_int_eq(send_calibration(&t, &record), MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_OFFSETS), MARL_OUTCOME_OUT_OF_RANGE);
    ck_assert_double_gt(streamed_bias(&t), 0.0135); /* nor the gyroscope's */
    ck_assert_double_eq_tol(left_to_software(&t), 0.0139, 1e-6);
    sim_test_end(&t);
}
END_TEST

/* One message to an app on a board of plain memory. */
static void tell(marl_app *app, fake_board *b, const marl_message *m)
{
    uint32_t rest_us;
    ck_assert_int_eq(marl_message_make(m, b->in, &b->in_n, NULL), MARL_OK);
    b->in_at = b->out_n = 0;
    b->out_capacity = FAKE_LINE;
    ck_assert_int_eq(marl_app_step(app, &rest_us), MARL_OK);
}

/* The bus fails between two registers: the calibration keeps its bias, and no register has it when the chip is back. */
START_TEST(a_bias_is_not_taken_twice_when_the_bus_fails)
{
    for (int n = 0; n <= 6; n++) { /* three registers, each written and read back */
        static fake_board b;
        static marl_app app;
        marl_part part = {.chip = marl_chip_grommet(), .at = {0, 0x10}};
        const marl_app_config config = {.device = "pod-07", .firmware = "test", .choice = marl_choose_any};
        marl_calibration_record record = calibration();
        uint32_t rest_us;
        fake_board_make(&b);
        b.reg[0][0x00] = 0x6b;
        ck_assert_int_eq(marl_app_start(&app, &b.port, &part, 1, &config, NULL), MARL_OK);
        tell(&app, &b, &(marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &record});
        b.fault = MARL_ERR_BUS_SILENT;
        b.fault_from = b.transfers + n;
        b.fault_until = b.transfers + 1000;
        tell(&app, &b, &(marl_message){.kind = MARL_ITEM_OFFSETS, .number = 2});
        b.fault_until = 0;
        b.now_ns += 3000000000;
        ck_assert_int_eq(marl_app_step(&app, &rest_us), MARL_OK);
        ck_assert_int_eq(app.settings.takes, n < 6 ? 0 : MARL_FRESH_GYRO);
        if (n < 6) {
            ck_assert_float_eq(app.settings.calibration.gyro.bias.x, (float)bias[0]);
        }
        for (int r = 0x30; r < 0x36 && n < 6; r++) {
            ck_assert_uint_eq(b.reg[0][r], 0);
        }
    }
}
END_TEST

/* The values exported on the desk are those that the board writes, and the calibration of the rest has what it keeps. */
START_TEST(the_desk_rounds_as_the_board_does)
{
    sim_test t;
    marl_calibration_record record = calibration(), rest;
    marl_chip_offsets offsets[MARL_SENSOR_COUNT];
    start(&t);
    ck_assert_int_eq(marl_calibration_to_offsets(&record, &t.part[0], offsets, &rest, NULL), MARL_OK);
    ck_assert_int_eq(send_calibration(&t, &record), MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_OFFSETS), MARL_OUTCOME_DONE);
    const marl_settings *settings = &marl_sim_app(t.sim)->settings;
    const float taken[3] = {settings->taken[MARL_GYRO].x, settings->taken[MARL_GYRO].y,
                            settings->taken[MARL_GYRO].z};
    for (int k = 0; k < 3; k++) {
        ck_assert_double_eq_tol(offsets[MARL_GYRO].takes[k], (double)taken[k], 1e-8);
        ck_assert_double_eq_tol(offsets[MARL_GYRO].takes[k] + rest.fit[MARL_GYRO].bias[k], bias[k], 1e-12);
        ck_assert_int_eq(offsets[MARL_GYRO].count[k],
                         (int)lround(bias[k] / step)); /* the chip subtracts them */
    }
    sim_test_end(&t);
}
END_TEST

MARL_SUITE("offsets", the_chip_takes_the_bias_away_and_software_has_the_rest,
           a_later_calibration_adds_to_the_registers, registers_are_written_again_after_a_dip_and_a_power_cut,
           what_no_register_can_take_is_refused_whole, the_desk_rounds_as_the_board_does,
           a_bias_is_not_taken_twice_when_the_bus_fails)
