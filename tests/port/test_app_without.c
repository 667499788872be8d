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
    } records[] = {{more, sizeof more, 1},
                   {cut, sizeof cut, 0},
                   {text, sizeof text, 0},
                   {wrong, sizeof wrong, 0},
                   {list, sizeof list, 0}};
    for (size_t i = 0; i < sizeof records / sizeof records[0]; i++) {
        sim_test t;
        sim_test_prepare(&t, MARL_SCENE_STILL, 100);
        sim_test_start(&t);
        ck_assert_int_eq(marl_store_save(marl_sim_port(t.sim), records[i].bytes, records[i].n), MARL_OK);
        ck_assert_int_eq(marl_sim_start(t.sim, &t.app, NULL), MARL_OK);
        ck_assert_int_eq(marl_sim_app(t.sim)->settings.calibration.has_mount, records[i].mounts);
        ck_assert_int_eq(ask_for(&t, MARL_ITEM_ZERO), MARL_OUTCOME_MOVING); /* no rest was seen yet */
        sim_test_end(&t);
    }
}
END_TEST

MARL_SUITE("app without", what_a_board_does_not_have_is_said,
           a_record_of_another_firmware_is_read_as_far_as_it_is_known)
