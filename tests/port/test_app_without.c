/* SPDX-License-Identifier: MIT
 * Boards that lack something, and settings that another firmware kept. */
#include "check_main.h"
#include "port_messages.h"

/* No memory, no magnetometer, no calibrations of its own: what then cannot be done is refused with the reason. */
START_TEST(what_a_board_does_not_have_is_said)
{
    sim_test t;
    sim_test_prepare(&t, MARL_SCENE_STILL, 100);
    t.part[0].use = MARL_FRESH_ACCEL | MARL_FRESH_GYRO;
    sim_test_start(&t);
    marl_port *port = (marl_port *)marl_sim_port(t.sim);
    port->nv_read = NULL;
    port->nv_erase = NULL;
    port->nv_write = NULL;
    t.app.renewal = NULL;
    ck_assert_int_eq(marl_sim_start(t.sim, &t.app, NULL), MARL_OK);
    ck_assert_int_eq(sim_test_run(&t, 2), MARL_OK);
    ck_assert_int_eq(ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATE, .renewal = MARL_RENEW_TUMBLE}),
                     MARL_OUTCOME_OUT_OF_RANGE); /* without a magnetometer */
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_COMMIT), MARL_OUTCOME_NO_STORE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_UNDO), MARL_OUTCOME_NO_STORE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_OFFSETS), MARL_OUTCOME_OUT_OF_RANGE); /* nothing is calibrated */
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_ZERO), MARL_OUTCOME_DONE);
    ck_assert_int_eq(marl_sim_app(t.sim)->settings.calibration.has_mount, 1);
    sim_test_end(&t);
}
END_TEST

/* What another firmware kept: what is known is used, what is not is passed over; a record that is no record is none. */
START_TEST(a_record_of_another_firmware_is_read_as_far_as_it_is_known)
{
    static const uint8_t more[] = {0xa2, 0x18, 0x63, 0x63, 'n', 'e', 'w', 0x01,
                                   0xa1, 0x05, 0x84, 0x01, 0,   0,   0},
                         cut[] = {0xa2, 0x18, 0x63, 0x63, 'n'}, text[] = {0xa1, 0x61, 'a', 0},
                         wrong[] = {0xa1, 0x01, 0xa1, 0x05, 0x84, 0x05, 0, 0, 0}, list[] = {0x80};
    const struct {
        const uint8_t *bytes;
        size_t n;
        int mounts;
        marl_outcome undo;
    } records[] = {{more, sizeof more, 1, MARL_OUTCOME_DONE},
                   {cut, sizeof cut, 0, MARL_OUTCOME_NOT_UNDERSTOOD},
                   {text, sizeof text, 0, MARL_OUTCOME_NOT_UNDERSTOOD},
                   {wrong, sizeof wrong, 0, MARL_OUTCOME_OUT_OF_RANGE},
                   {list, sizeof list, 0, MARL_OUTCOME_NOT_UNDERSTOOD}};
    for (size_t i = 0; i < sizeof records / sizeof records[0]; i++) {
        sim_test t;
        sim_test_prepare(&t, MARL_SCENE_STILL, 100);
        sim_test_start(&t);
        ck_assert_int_eq(marl_store_save(marl_sim_port(t.sim), records[i].bytes, records[i].n), MARL_OK);
        ck_assert_int_eq(marl_sim_start(t.sim, &t.app, NULL), MARL_OK);
        ck_assert_int_eq(marl_sim_app(t.sim)->settings.calibration.has_mount, records[i].mounts);
        ck_assert_int_eq(ask_for(&t, MARL_ITEM_ZERO), MARL_OUTCOME_MOVING); /* no rest was seen yet */
        marl_calibration_record c = calibration_for("pod-07");
        ck_assert_int_eq(ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &c}),
                         MARL_OUTCOME_DONE);
        ck_assert_int_eq(ask_for(&t, MARL_ITEM_UNDO), records[i].undo); /* to what was kept last */
        ck_assert_int_eq(marl_sim_app(t.sim)->settings.calibration.gyro.present, !records[i].mounts);
        sim_test_end(&t);
    }
}
END_TEST

/* A tuning that memory has spoilt since it came is not run: samples go on without an attitude. */
START_TEST(a_tuning_spoilt_in_memory_is_not_run)
{
    static marl_log_row row[400];
    sim_test t;
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
    sim_test_prepare(&t, MARL_SCENE_STILL, 100);
    sim_test_start(&t);
    ck_assert_int_eq(send_tuning(&t, &tuning), MARL_OUTCOME_DONE);
    ((marl_app *)marl_sim_app(t.sim))->settings.tuning.value[MARL_PARAMETER_TILT_TIME] = NAN;
    ck_assert_int_eq(sim_test_run(&t, 2), MARL_OK);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_ZERO), MARL_OUTCOME_DONE);
    ck_assert_int_eq(marl_sim_app(t.sim)->settings.has_tuning, 0);
    sim_test_rows(&t, row, 400);
    ck_assert_int_eq(sim_test_run(&t, 4), MARL_OK);
    size_t n = sim_test_rows(&t, row, 400);
    ck_assert_uint_gt(n, 150);
    ck_assert(!row[n - 1].has_q);
    sim_test_end(&t);
}
END_TEST

/* The same behind a rest that shows the bias of the gyroscope: the bias is used, the tuning is not. */
START_TEST(a_rest_does_not_run_a_spoilt_tuning)
{
    static marl_app_renewal renewal;
    sim_test t;
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
    sim_test_prepare(&t, MARL_SCENE_STILL, 100);
    t.sheet.gyro.bias[0] = 0.01;
    marl_app_renewal_init(&renewal, MARL_APP_RENEWS_BIAS);
    t.app.renewal = &renewal;
    sim_test_start(&t);
    ck_assert_int_eq(send_tuning(&t, &tuning), MARL_OUTCOME_DONE);
    ((marl_app *)marl_sim_app(t.sim))->settings.tuning.value[MARL_PARAMETER_TILT_TIME] = NAN;
    ck_assert_int_eq(sim_test_run(&t, 14), MARL_OK);
    const marl_settings *s = &marl_sim_app(t.sim)->settings;
    ck_assert_float_eq_tol(s->calibration.gyro.bias.x, 0.01f, 3e-4f);
    ck_assert_int_eq(s->has_tuning, 0);
    sim_test_end(&t);
}
END_TEST

/* A line that samples fill altogether: what is asked is answered all the same, before any more samples. */
START_TEST(a_full_line_answers)
{
    for (int as_lines = 0; as_lines < 2; as_lines++) {
        sim_test t;
        marl_ack ack;
        sim_test_prepare(&t, MARL_SCENE_STILL, 100);
        t.config.baud = 9600;
        t.app.as_lines = (uint8_t)as_lines;
        sim_test_start(&t);
        ck_assert_int_eq(sim_test_run(&t, 5), MARL_OK);
        ck_assert_uint_gt(marl_sim_app(t.sim)->unsent, 100);
        for (uint32_t i = 0; i < 30; i++) {
            give(&t, &(marl_message){.kind = i % 2 ? MARL_ITEM_ZERO : MARL_ITEM_IDENTIFY, .number = i});
            ck_assert_int_eq(sim_test_run(&t, marl_sim_seconds(t.sim) + 0.6), MARL_OK);
            ck_assert_msg(marl_receiver_ack(t.receiver, &ack) == MARL_OK && ack.answered == i, "%u", i);
        }
        ck_assert_int_eq(marl_receiver_report(t.receiver)->identified, 1);
        sim_test_end(&t);
    }
}
END_TEST

MARL_SUITE("app without", a_full_line_answers, a_tuning_spoilt_in_memory_is_not_run,
           a_rest_does_not_run_a_spoilt_tuning, what_a_board_does_not_have_is_said,
           a_record_of_another_firmware_is_read_as_far_as_it_is_known)
