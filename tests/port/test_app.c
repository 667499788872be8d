/* SPDX-License-Identifier: MIT
 * The station on the simulated board, spoken to as the tool speaks to it. */
#include "check_main.h"
#include "lab/simulate/simulator.h"
#include "marlinspike/files.h"
#include "marlinspike/record.h"
#include "port_messages.h"
#include <string.h>

enum { ROWS = 4000 };
static marl_log_row row[ROWS];

static void start(sim_test *t, marl_scene_kind scene)
{
    sim_test_prepare(t, scene, 100);
    t->sheet = marl_sheet_grommet();
    sim_test_start(t);
    ck_assert_int_eq(sim_test_run(t, 2), MARL_OK);
}

/* Its firmware has the filters of constant gains alone. */
START_TEST(a_filter_that_the_firmware_lacks_is_refused)
{
    sim_test t;
    marl_tuning kalman = marl_tuning_default(MARL_FILTER_KALMAN),
                gradient = marl_tuning_default(MARL_FILTER_GRADIENT_DESCENT);
    sim_test_prepare(&t, MARL_SCENE_STILL, 100);
    t.app.choice = marl_choose_constant_gains;
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 1), MARL_OK);
    ck_assert_int_eq(send_tuning(&t, &kalman), MARL_OUTCOME_OUT_OF_RANGE);
    ck_assert_int_eq(marl_sim_app(t.sim)->settings.has_tuning, 0);
    ck_assert_int_eq(send_tuning(&t, &gradient), MARL_OUTCOME_DONE);
    ck_assert_int_eq(send_tuning(&t, &kalman), MARL_OUTCOME_OUT_OF_RANGE);
    ck_assert_int_eq(marl_sim_app(t.sim)->settings.tuning.filter, MARL_FILTER_GRADIENT_DESCENT);
    sim_test_end(&t);
}
END_TEST

START_TEST(a_board_sends_its_identity)
{
    sim_test t;
    start(&t, MARL_SCENE_STILL);
    const marl_stream_report *report = marl_receiver_report(t.receiver);
    ck_assert_int_eq(report->kind, MARL_STREAM_PACKETS);
    ck_assert_int_eq(report->identified, 1);
    ck_assert_str_eq(marl_receiver_info(t.receiver)->device, "pod-07");
    ck_assert_str_eq(report->firmware, "test");
    ck_assert_uint_eq(report->sensors, 15);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_IDENTIFY), MARL_OUTCOME_DONE);
    ck_assert_uint_eq(report->items_lost, 0);
    ck_assert_uint_eq(report->bytes_skipped, 0);
    sim_test_end(&t);
}
END_TEST

/* The attitudes that the board streams are those that its raw samples give on the desk, bit for bit. */
START_TEST(streamed_attitudes_are_those_of_a_replay)
{
    sim_test t;
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
    marl_estimator estimator;
    marl_calibration_record record = calibration_for("pod-07");
    marl_calibration calibration = marl_calibration_for_device(&record);
    start(&t, MARL_SCENE_LIFT);
    ck_assert_int_eq(ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &record}),
                     MARL_OUTCOME_DONE);
    ck_assert_int_eq(send_tuning(&t, &tuning), MARL_OUTCOME_DONE);
    ck_assert_int_eq(sim_test_run(&t, 20), MARL_OK);
    size_t n = sim_test_rows(&t, row, ROWS), with_q = 0;
    tuning.value[MARL_PARAMETER_BIAS_SPREAD] = MARL_BIAS_SPREAD_CALIBRATED; /* the calibration holds it ... */
    tuning.value[MARL_PARAMETER_MAG_THRESHOLD] = MARL_MAG_THRESHOLD_RAW;    /* ... and no magnetometer */
    ck_assert_int_eq(marl_estimator_init(&estimator, &tuning), MARL_OK);
    size_t first = 0;
    while (first < n && !row[first].has_q) {
        first++;
    }
    /* the board began with the first sample behind the message, and waited for the magnetometer: find where
     */
    size_t stream_start = first > 8 ? first - 8 : 0;
    int agreed = 0;
    for (; stream_start <= first && !agreed; stream_start++) {
        marl_estimator e = estimator;
        agreed = 1;
        with_q = 0;
        for (size_t i = stream_start; i < n && agreed; i++) {
            marl_sample s = row[i].sample;
            marl_quat q;
            marl_calibration_correct(&calibration, s.temp, &s);
            marl_calibration_mount(&calibration, &s);
            (void)!marl_estimator_update(&e, &s);
            int has_q = marl_estimator_attitude(&e, &q) == MARL_OK;
            agreed = has_q == row[i].has_q && (!has_q || same_bits(q, row[i].q));
            with_q += (size_t)has_q;
        }
    }
    ck_assert(agreed);
    ck_assert_uint_gt(with_q, 1700);
    sim_test_end(&t);
}
END_TEST

START_TEST(what_was_committed_survives_a_power_cut)
{
    sim_test t;
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_VECTORS);
    marl_calibration_record record = calibration_for("");
    sim_test_prepare(&t, MARL_SCENE_STILL, 100);
    t.config.faults.cut_s = 5;
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 2), MARL_OK);
    ck_assert_int_eq(send_tuning(&t, &tuning), MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_COMMIT), MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &record}),
                     MARL_OUTCOME_DONE);
    ck_assert_int_eq(marl_sim_app(t.sim)->settings.calibration.gyro.present, 1);
    ck_assert_int_eq(sim_test_run(&t, 6), MARL_OK);
    const marl_settings *kept = &marl_sim_app(t.sim)->settings;
    ck_assert_uint_eq(marl_sim_counted(t.sim)->starts, 2);
    ck_assert_int_eq(kept->has_tuning, 1);
    ck_assert_int_eq(kept->tuning.filter, MARL_FILTER_VECTORS);
    ck_assert_int_eq(kept->calibration.gyro.present, 0); /* that was not committed */
    sim_test_end(&t);
}
END_TEST

/* All sensors with their curves and a mount, and each filter's tuning, are kept together. */
START_TEST(a_full_calibration_and_any_tuning_are_kept)
{
    marl_calibration_record record = calibration_for("pod-07");
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        marl_fit *fit = &record.fit[i];
        fit->present = fit->has_curve = 1;
        fit->reference_degC = 20.3;
        fit->range_degC[0] = -5.1;
        fit->range_degC[1] = 45.7;
        fit->bias_per_degC[0] = 0.0013;
        fit->bias_per_degC2[2] = -0.00017;
    }
    record.has_mount = 1;
    record.mount[0] = 0.8;
    record.mount[1] = 0.6;
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        sim_test t;
        marl_tuning tuning = marl_tuning_default((marl_filter)f);
        sim_test_prepare(&t, MARL_SCENE_STILL, 100);
        t.config.faults.cut_s = 5;
        sim_test_start(&t);
        ck_assert_int_eq(sim_test_run(&t, 2), MARL_OK);
        ck_assert_int_eq(ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &record}),
                         MARL_OUTCOME_DONE);
        ck_assert_int_eq(send_tuning(&t, &tuning), MARL_OUTCOME_DONE);
        ck_assert_int_eq(ask_for(&t, MARL_ITEM_COMMIT), MARL_OUTCOME_DONE);
        ck_assert_int_eq(sim_test_run(&t, 6), MARL_OK);
        const marl_settings *kept = &marl_sim_app(t.sim)->settings;
        ck_assert_uint_eq(marl_sim_counted(t.sim)->starts, 2);
        ck_assert(kept->has_tuning && kept->tuning.filter == (marl_filter)f);
        ck_assert(kept->calibration.has_mount && kept->calibration.mag.has_curve);
        ck_assert_float_eq(kept->calibration.mag.curve.per_degC2.z, -0.00017f);
        sim_test_end(&t);
    }
}
END_TEST

/* The seat of the pod is some degrees out of level: after zero its attitude is level and north. */
START_TEST(zero_makes_this_attitude_level_and_north)
{
    sim_test t;
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_VECTORS);
    start(&t, MARL_SCENE_STILL);
    ck_assert_int_eq(send_tuning(&t, &tuning), MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_ZERO), MARL_OUTCOME_DONE);
    sim_test_rows(&t, row, ROWS);
    ck_assert_int_eq(sim_test_run(&t, 10), MARL_OK);
    size_t n = sim_test_rows(&t, row, ROWS), seen = 0;
    for (size_t i = 20; i < n; i++) {
        marl_rpy angles = marl_quat_to_rpy(row[i].q);
        seen += row[i].has_q != 0;
        /* noise of a sample: accelerometer 0.07 deg, magnetometer 1 deg of its horizontal part; five
         * deviations */
        ck_assert_float_eq_tol(angles.roll, 0.0f, 0.01f);
        ck_assert_float_eq_tol(angles.pitch, 0.0f, 0.01f);
        ck_assert_float_eq_tol(angles.yaw, 1.5707963f, 0.1f); /* x to the north */
    }
    ck_assert_uint_gt(seen, 700);
    sim_test_end(&t);
}
END_TEST

START_TEST(a_board_that_moves_has_no_zero)
{
    sim_test t;
    start(&t, MARL_SCENE_TUMBLE);
    ck_assert_int_eq(sim_test_run(&t, 10), MARL_OK);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_ZERO), MARL_OUTCOME_MOVING);
    ck_assert_int_eq(marl_sim_app(t.sim)->settings.calibration.has_mount, 0);
    sim_test_end(&t);
}
END_TEST

START_TEST(what_cannot_be_used_is_refused_and_changes_nothing)
{
    sim_test t;
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
    marl_calibration_record other = calibration_for("pod-08"), flat = calibration_for("pod-07");
    start(&t, MARL_SCENE_STILL);
    ck_assert_int_eq(send_tuning(&t, &tuning), MARL_OUTCOME_DONE);
    tuning.value[MARL_PARAMETER_TILT_TIME] = -1.0f;
    ck_assert_int_eq(send_tuning(&t, &tuning), MARL_OUTCOME_OUT_OF_RANGE);
    ck_assert_int_eq(ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &other}),
                     MARL_OUTCOME_OTHER_DEVICE);
    memset(flat.fit[MARL_GYRO].matrix, 0, sizeof flat.fit[MARL_GYRO].matrix);
    ck_assert_int_eq(ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &flat}),
                     MARL_OUTCOME_OUT_OF_RANGE);
    const marl_settings *s = &marl_sim_app(t.sim)->settings;
    ck_assert_float_gt(s->tuning.value[MARL_PARAMETER_TILT_TIME], 0.0f);
    ck_assert_int_eq(s->calibration.gyro.present, 0);
    sim_test_end(&t);
}
END_TEST

/* An item of a kind that nobody knows is answered; bytes that are no item, and noise, are not. */
START_TEST(nonsense_does_no_harm)
{
    static const uint8_t unknown[] = {0x83, 0x18, 0x63, 0x07, 0xa0}, no_item[] = {0x82, 0x01, 0x02},
                         cut[] = {0x83, 0x11, 0x01, 0xa2, 0x03}, no_time[] = {0x83, 0x01, 0x07, 0xa0};
    const struct {
        const uint8_t *bytes;
        size_t n;
        int answered;
    } cases[] = {{unknown, sizeof unknown, 1},
                 {no_item, sizeof no_item, 0},
                 {cut, sizeof cut, 1},
                 {no_time, sizeof no_time, 0}};
    sim_test t;
    marl_ack ack;
    start(&t, MARL_SCENE_STILL);
    for (int i = 0; i < 4; i++) {
        uint8_t packet[64];
        size_t size;
        ck_assert_int_eq(marl_packet_make(cases[i].bytes, cases[i].n, packet, sizeof packet, &size), MARL_OK);
        marl_sim_give(t.sim, (const uint8_t[]){0}, 1);
        marl_sim_give(t.sim, packet, size);
        ck_assert_int_eq(sim_test_run(&t, marl_sim_seconds(t.sim) + 0.1), MARL_OK);
        int answered = marl_receiver_ack(t.receiver, &ack) == MARL_OK;
        ck_assert_int_eq(answered, cases[i].answered);
        ck_assert(!answered || ack.outcome == MARL_OUTCOME_NOT_UNDERSTOOD);
        packet[size / 2] ^= 0x40;
        marl_sim_give(t.sim, packet, size);
        ck_assert_int_eq(sim_test_run(&t, marl_sim_seconds(t.sim) + 0.1), MARL_OK);
        ck_assert_int_eq(marl_receiver_ack(t.receiver, &ack), MARL_ERR_NOT_READY);
    }
    sim_test_end(&t);
}
END_TEST

/* Recorded samples sent to the board come back with the attitude that it makes of them. */
START_TEST(samples_sent_in_are_estimated)
{
    enum { SENT = 300 };
    sim_test t;
    marl_sheet sheet = marl_sheet_grommet();
    marl_simulator simulator;
    marl_estimator estimator;
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
    marl_sample sample[SENT];
    tuning.value[MARL_PARAMETER_BIAS_LIMIT] = 0; /* a bias learned before would be kept */
    start(&t, MARL_SCENE_STILL);
    ck_assert_int_eq(send_tuning(&t, &tuning), MARL_OUTCOME_DONE);
    ck_assert_int_eq(lab_simulator_init(&simulator, MARL_SCENE_LIFT, &sheet, 100, 2), MARL_OK);
    tuning.value[MARL_PARAMETER_MAG_THRESHOLD] =
        MARL_MAG_THRESHOLD_RAW; /* as the board has it, nothing calibrated */
    ck_assert_int_eq(marl_estimator_init(&estimator, &tuning), MARL_OK);
    marl_receiver_free(t.receiver); /* the stream begins anew, with other times */
    ck_assert_int_eq(marl_receiver_create(&t.receiver, "fed", NULL, NULL), MARL_OK);
    for (int i = 0; i < SENT; i++) {
        marl_quat truth;
        marl_simulator_next(&simulator, &sample[i], &truth);
        sample[i].t_ns += INT64_C(1000000000000);
        give(&t, &(marl_message){.kind = MARL_ITEM_SAMPLE, .number = (uint32_t)i, .sample = &sample[i]});
        ck_assert_int_eq(sim_test_run(&t, marl_sim_seconds(t.sim) + 0.003), MARL_OK);
    }
    ck_assert_int_eq(marl_receiver_finish(t.receiver, NULL), MARL_OK);
    size_t n = sim_test_rows(&t, row, ROWS), at = 0, compared = 0;
    while (at < n && row[at].sample.t_ns < sample[0].t_ns) {
        at++; /* its own, from before */
    }
    ck_assert_uint_eq(n - at, SENT);
    /* its estimator has seen the board's own samples before: it restarts after the gap, as one that is new */
    for (int i = 0; i < SENT; i++) {
        marl_quat q;
        (void)!marl_estimator_update(&estimator, &sample[i]);
        int has_q = marl_estimator_attitude(&estimator, &q) == MARL_OK;
        ck_assert(row[at + (size_t)i].sample.t_ns == sample[i].t_ns);
        ck_assert(!has_q || (row[at + (size_t)i].has_q && same_bits(q, row[at + (size_t)i].q)));
        compared += (size_t)has_q;
    }
    ck_assert_uint_gt(compared, 290);
    sim_test_end(&t);
}
END_TEST

START_TEST(lines_say_the_same_as_packets)
{
    static marl_log_row other[ROWS];
    sim_test packets, lines;
    start(&packets, MARL_SCENE_LIFT);
    sim_test_prepare(&lines, MARL_SCENE_LIFT, 100);
    lines.sheet = marl_sheet_grommet();
    lines.app.as_lines = 1;
    sim_test_start(&lines);
    ck_assert_int_eq(sim_test_run(&lines, 10), MARL_OK);
    ck_assert_int_eq(sim_test_run(&packets, 10), MARL_OK);
    ck_assert_int_eq(marl_receiver_report(lines.receiver)->kind, MARL_STREAM_LINES);
    ck_assert_uint_eq(marl_receiver_report(lines.receiver)->rows.rows_dropped, 0);
    size_t n = sim_test_rows(&packets, row, ROWS), m = sim_test_rows(&lines, other, ROWS);
    ck_assert_uint_eq(n, m);
    for (size_t i = 0; i < n; i++) {
        const marl_sample *a = &row[i].sample, *b = &other[i].sample;
        ck_assert(a->t_ns == b->t_ns && a->fresh == b->fresh);
        ck_assert_float_eq_tol(a->accel.y, b->accel.y, 0.6e-5f);
        ck_assert_float_eq_tol(a->gyro.z, b->gyro.z, 0.6e-6f);
        ck_assert(!(a->fresh & MARL_FRESH_MAG) || fabsf(a->mag.x - b->mag.x) < 0.6e-4f);
    }
    sim_test_end(&packets);
    sim_test_end(&lines);
}
END_TEST

/* At 9600 baud 100 samples a second do not fit: what is left out is counted at both ends alike. */
START_TEST(a_line_too_slow_loses_whole_items_and_counts_them)
{
    sim_test t;
    sim_test_prepare(&t, MARL_SCENE_STILL, 100);
    t.config.baud = 9600;
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 30), MARL_OK);
    const marl_stream_report *report = marl_receiver_report(t.receiver);
    const marl_app *app = marl_sim_app(t.sim);
    ck_assert_uint_eq(report->bytes_skipped, 0);
    ck_assert_uint_gt(app->unsent, 500);
    ck_assert_uint_gt(report->rows.rows, 300);
    /* those behind the last that came are not known yet */
    ck_assert_uint_le(report->items_lost, app->unsent);
    ck_assert_uint_ge(report->items_lost + 200, app->unsent);
    sim_test_end(&t);
}
END_TEST

START_TEST(chips_that_fail_are_reported_and_reported_well_again)
{
    sim_test t;
    sim_test_prepare(&t, MARL_SCENE_STILL, 100);
    t.part[1] = t.part[0];
    t.part[1].at.address = 0x2b;
    t.config.parts = 1; /* soldered on is one, */
    sim_test_start(&t);
    marl_app_config config = t.app;
    marl_app app;
    /* but the firmware thinks there are two */
    ck_assert_int_eq(marl_app_start(&app, marl_sim_port(t.sim), t.part, 2, &config, NULL), MARL_OK);
    for (int i = 0; i < 10000; i++) {
        uint32_t rest_us;
        uint8_t bytes[4096];
        const marl_port *port = marl_sim_port(t.sim);
        ck_assert_int_eq(marl_app_step(&app, &rest_us), MARL_OK);
        ck_assert_int_eq(port->sleep(port->context, rest_us), MARL_OK);
        ck_assert_int_eq(
            marl_receiver_feed(t.receiver, bytes, marl_sim_receive(t.sim, bytes, sizeof bytes), NULL),
            MARL_OK);
    }
    const marl_stream_report *report = marl_receiver_report(t.receiver);
    ck_assert_uint_eq(report->events, 1); /* not one for each transfer */
    ck_assert_ptr_nonnull(strstr(report->first_event, "chip 1 (bus 0, address 0x2b): no chip responds"));
    double seconds = marl_sim_seconds(t.sim);
    ck_assert_double_gt((double)report->rows.rows,
                        97 * seconds); /* the other one goes on as if nothing were */
    sim_test_end(&t);
}
END_TEST

/* The firmware expects another chip than the one soldered on. */
START_TEST(another_chip_is_reported_with_its_identity)
{
    sim_test t;
    marl_chip expected = *marl_chip_grommet();
    static marl_app app;
    uint8_t bytes[4096];
    sim_test_prepare(&t, MARL_SCENE_STILL, 100);
    sim_test_start(&t);
    marl_part part = t.part[0];
    expected.identity_value = 0x17;
    part.chip = &expected;
    ck_assert_int_eq(marl_app_start(&app, marl_sim_port(t.sim), &part, 1, &t.app, NULL), MARL_OK);
    size_t n = marl_sim_receive(t.sim, bytes, sizeof bytes);
    ck_assert_int_eq(marl_receiver_feed(t.receiver, bytes, n, NULL), MARL_OK);
    const char *given = marl_receiver_report(t.receiver)->first_event;
    ck_assert_msg(
        strstr(given,
               "chip 0 (bus 0, address 0x2a): another chip than expected responds: it identifies as 0x6b") !=
            NULL,
        "%s", given);
    sim_test_end(&t);
}
END_TEST

START_TEST(an_app_without_name_or_stream_is_refused)
{
    sim_test t;
    marl_app app;
    const char *what = "";
    start(&t, MARL_SCENE_STILL);
    marl_port port = *marl_sim_port(t.sim);
    static const char *const names[] = {
        "", "two words", "a,b",
        "a-name-of-a-device-that-is-longer-than-what-a-record-or-an-item-of-the-stream-keeps"};
    for (int i = 0; i < 4; i++) {
        marl_app_config config = {.device = names[i], .firmware = "", .choice = marl_choose_any};
        ck_assert_int_eq(marl_app_start(&app, &port, t.part, 1, &config, &what), MARL_ERR_ARGUMENT);
        ck_assert_str_eq(what, "device");
        ck_assert_int_eq(marl_app_start(&app, &port, t.part, 1, &config, NULL), MARL_ERR_ARGUMENT);
    }
    marl_app_config long_firmware = {.device = "a", .firmware = names[3], .choice = marl_choose_any};
    ck_assert_int_eq(marl_app_start(&app, &port, t.part, 1, &long_firmware, &what), MARL_ERR_ARGUMENT);
    ck_assert_int_eq(marl_app_start(&app, &port, t.part, 0, &t.app, &what), MARL_ERR_ARGUMENT);
    ck_assert_str_eq(what, "parts");
    port.bytes_out = NULL;
    ck_assert_int_eq(marl_app_start(&app, &port, t.part, 1, &t.app, &what), MARL_ERR_ARGUMENT);
    ck_assert_str_eq(what, "bytes_out");
    t.app.choice = NULL;
    ck_assert_int_eq(marl_app_start(&app, marl_sim_port(t.sim), t.part, 1, &t.app, &what), MARL_ERR_ARGUMENT);
    ck_assert_str_eq(what, "choice");
    sim_test_end(&t);
}
END_TEST

/* Lines of text on a line that is too slow: what is left out is counted, what comes is whole. */
START_TEST(lines_that_do_not_fit_are_left_out_whole)
{
    sim_test t;
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
    sim_test_prepare(&t, MARL_SCENE_STILL, 100);
    t.config.baud = 19200;
    t.app.as_lines = 1;
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 10), MARL_OK);
    give(&t, &(marl_message){.kind = MARL_ITEM_TUNING, .number = 1, .tuning = &tuning});
    ck_assert_int_eq(sim_test_run(&t, 20), MARL_OK);
    const marl_stream_report *report = marl_receiver_report(t.receiver);
    size_t n = sim_test_rows(&t, row, ROWS);
    ck_assert_uint_gt(marl_sim_app(t.sim)->unsent, 500);
    ck_assert_uint_eq(report->rows.rows_dropped, 0);
    ck_assert_uint_gt(n, 150);
    sim_test_end(&t);
}
END_TEST

MARL_SUITE("app", a_board_sends_its_identity, a_filter_that_the_firmware_lacks_is_refused,
           streamed_attitudes_are_those_of_a_replay, what_was_committed_survives_a_power_cut,
           a_full_calibration_and_any_tuning_are_kept, zero_makes_this_attitude_level_and_north,
           a_board_that_moves_has_no_zero, what_cannot_be_used_is_refused_and_changes_nothing,
           nonsense_does_no_harm, samples_sent_in_are_estimated, lines_say_the_same_as_packets,
           a_line_too_slow_loses_whole_items_and_counts_them,
           chips_that_fail_are_reported_and_reported_well_again, another_chip_is_reported_with_its_identity,
           an_app_without_name_or_stream_is_refused, lines_that_do_not_fit_are_left_out_whole)
