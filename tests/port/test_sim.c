/* SPDX-License-Identifier: MIT
 * The simulated board as a board: readings against the true motion, faults against what comes of them. */
#include "check_main.h"
#include "lab/simulate/simulator.h"
#include "marlinspike/app.h"
#include "marlinspike/files.h"
#include "marlinspike/quat.h"
#include "port_test.h"
#include "shackle.h"
#include <string.h>

enum { ROWS = 40000 };
static marl_log_row row[ROWS];

static double away(marl_vec3 v, const double truth[3])
{
    return fmax(fabs((double)v.x - truth[0]),
                fmax(fabs((double)v.y - truth[1]), fabs((double)v.z - truth[2])));
}

/* A perfect chip reads the true motion to half a count, somewhere within the time between taking and stamp.
 */
static void check_truth(const sim_test *t, const marl_log_row *r, double min_delay_s, double max_delay_s)
{
    marl_scene scene = marl_scene_make(t->config.scene, t->config.seed);
    double stamp = 1e-9 * (double)r->sample.t_ns, min = 1e9;
    for (int i = 0; i <= 40; i++) {
        marl_motion m = marl_scene_at(&scene, stamp - min_delay_s - (max_delay_s - min_delay_s) * i / 40);
        double off = 0;
        if (r->sample.fresh & MARL_FRESH_GYRO) {
            off = fmax(off, away(r->sample.gyro, m.rate) / 2.7e-4);
        }
        if (r->sample.fresh & MARL_FRESH_ACCEL) {
            off = fmax(off, away(r->sample.accel, m.force) / 2.4e-3);
        }
        if (r->sample.fresh & MARL_FRESH_MAG) {
            off = fmax(off, away(r->sample.mag, m.field) / 3.7e-2);
        }
        min = fmin(min, off);
    }
    if (min > 2.5) { /* counts: half of one for rounding, the rest for the motion between the times tried */
        ck_abort_msg("%.4f s: %.1f counts off", stamp, min);
    }
}

START_TEST(readings_are_the_true_motion_as_the_chip_counts_it)
{
    sim_test t;
    sim_test_prepare(&t, MARL_SCENE_TUMBLE, 200);
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 20), MARL_OK);
    size_t n = sim_test_rows(&t, row, ROWS);
    ck_assert_int_ge((int)n, 200 * 20 - 10);
    for (size_t i = 0; i < n; i++) {
        check_truth(&t, &row[i], 0, 150e-6);
    }
    const marl_sim_counts *c = marl_sim_counted(t.sim);
    ck_assert_uint_eq(c->overwritten, 0);
    ck_assert_uint_lt(c->failed_transfers, 40); /* while the chip wakes up */
    sim_test_end(&t);
}
END_TEST

/* Mounting and a mirrored, left-aligned chip change nothing of what comes out. */
START_TEST(mounting_and_table_do_not_show_in_the_readings)
{
    sim_test t;
    marl_chip chip = shackle();
    sim_test_prepare(&t, MARL_SCENE_TUMBLE, 0);
    t.part[0] = marl_sim_part(&chip, (marl_place){1, 7}, &t.sheet, 400);
    memcpy(t.part[0].mount, (const int8_t[3]){-3, -1, 2}, 3);
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 5), MARL_OK);
    size_t n = sim_test_rows(&t, row, ROWS);
    ck_assert_int_ge((int)n, 1950);
    marl_scene scene = marl_scene_make(MARL_SCENE_TUMBLE, 3);
    for (size_t i = 0; i < n; i++) {
        marl_motion m = marl_scene_at(&scene, 1e-9 * (double)row[i].sample.t_ns);
        ck_assert_double_lt(away(row[i].sample.accel, m.force), 0.04);
        ck_assert_double_lt(away(row[i].sample.gyro, m.rate), 0.006);
    }
    sim_test_end(&t);
}
END_TEST

START_TEST(saturation_holds_at_full_scale)
{
    sim_test t;
    sim_test_prepare(&t, MARL_SCENE_TURNS, 100); /* turns of over 100 deg/s */
    t.part[0].range[MARL_GYRO] = 0;              /* 250 deg/s, and a bias that brings it beyond */
    t.sheet.gyro.bias[2] = 4.2;
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 12), MARL_OK);
    size_t n = sim_test_rows(&t, row, ROWS), clipped = 0;
    for (size_t i = 0; i < n; i++) {
        clipped +=
            row[i].sample.gyro.z == 32767.0f * t.part[0].chip->sensor[MARL_GYRO].range.choice[0].per_count;
        ck_assert_float_lt(row[i].sample.gyro.z, 4.3634f);
    }
    ck_assert_uint_gt(clipped, 50);
    sim_test_end(&t);
}
END_TEST

/* White noise of two-sided density N^2 behind the flattest second-order low-pass of corner f has the
 * deviation N sqrt(2 * 1.1107 f). 300 s at 10 Hz are some 6,000 independent values: 1 %. */
START_TEST(the_low_pass_set_in_the_chip_is_at_work)
{
    static const double corners[] = {0, 10, 41};
    for (int i = 0; i < 3; i++) {
        sim_test t;
        double sum = 0, square = 0, n = 0;
        sim_test_prepare(&t, MARL_SCENE_STILL, 200);
        t.sheet.gyro.white = 0.003;
        t.sheet.gyro.low_pass_hz = corners[i];
        t.part[0] = marl_sim_part(marl_chip_grommet(), (marl_place){0, 0x2a}, &t.sheet, 200);
        sim_test_start(&t);
        for (int part = 1; part <= 10; part++) {
            ck_assert_int_eq(sim_test_run(&t, 30 * part), MARL_OK);
            size_t rows = sim_test_rows(&t, row, ROWS);
            for (size_t k = 0; k < rows; k++) {
                sum += (double)row[k].sample.gyro.x;
                square += (double)row[k].sample.gyro.x * (double)row[k].sample.gyro.x;
                n++;
            }
        }
        double deviation = sqrt(square / n - sum / n * (sum / n));
        double wanted = 0.003 * sqrt(corners[i] > 0 ? 2 * 1.1107 * corners[i] : 200);
        ck_assert_double_eq_tol(deviation / wanted, 1, 0.04);
        sim_test_end(&t);
    }
}
END_TEST

/* The chip's own clock: 2,000 ppm fast over 30 s at 1 kHz are 60 more readings. */
START_TEST(the_chips_clock_is_its_own)
{
    sim_test t;
    sim_test_prepare(&t, MARL_SCENE_STILL, 1000);
    t.config.faults.clock_ppm = 2000;
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 30), MARL_OK);
    size_t n = sim_test_rows(&t, row, ROWS);
    double seconds = 1e-9 * (double)(row[n - 1].sample.t_ns - row[0].sample.t_ns);
    ck_assert_double_eq_tol((double)(n - 1) / seconds, 1002.0, 0.05);
    sim_test_end(&t);
}
END_TEST

/* Evenly spread over J, the time of a reading has the deviation J / sqrt(12); so have the polls. */
START_TEST(jitter_is_as_large_as_asked)
{
    sim_test t;
    sim_test_prepare(&t, MARL_SCENE_STILL, 100);
    t.config.faults.jitter_us = 800;
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 100), MARL_OK);
    size_t n = sim_test_rows(&t, row, ROWS);
    double sum = 0, square = 0;
    for (size_t i = 0; i < n; i++) {
        double phase = fmod(1e-9 * (double)row[i].sample.t_ns + 1e-5, 0.01);
        sum += phase;
        square += phase * phase;
    }
    double deviation = sqrt(square / (double)n - sum / (double)n * (sum / (double)n));
    /* the stamp is that of a poll, every 0.2 ms; 10,000 values tell the deviation to 1 % */
    ck_assert_double_eq_tol(deviation, sqrt((0.8e-3 * 0.8e-3 + 0.2e-3 * 0.2e-3) / 12), 0.02e-3);
    sim_test_end(&t);
}
END_TEST

START_TEST(dropped_readings_are_gaps)
{
    sim_test t;
    sim_test_prepare(&t, MARL_SCENE_STILL, 100);
    t.config.faults.drop = 0.05;
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 100), MARL_OK);
    size_t n = sim_test_rows(&t, row, ROWS), gyro = 0;
    for (size_t i = 0; i < n; i++) {
        gyro += (row[i].sample.fresh & MARL_FRESH_GYRO) != 0;
    }
    /* binomial: 9,500 with deviation 22 */
    ck_assert_double_eq_tol((double)gyro, 9500, 90);
    ck_assert_uint_gt(marl_sim_counted(t.sim)->dropped, 900);
    sim_test_end(&t);
}
END_TEST

START_TEST(a_stuck_axis_keeps_its_value)
{
    sim_test t;
    sim_test_prepare(&t, MARL_SCENE_TUMBLE, 100);
    t.config.faults.stuck_s = 5;
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 10), MARL_OK);
    size_t n = sim_test_rows(&t, row, ROWS), stuck = 0, moving = 0;
    for (size_t i = 1; i < n; i++) {
        int late = row[i].sample.t_ns > INT64_C(5100000000);
        stuck += late && row[i].sample.gyro.x == row[i - 1].sample.gyro.x;
        moving += late && row[i].sample.gyro.y != row[i - 1].sample.gyro.y;
        ck_assert(!late || row[i].sample.gyro.x == row[n - 1].sample.gyro.x);
    }
    ck_assert_uint_gt(stuck, 480);
    ck_assert_uint_gt(moving, 450);
    sim_test_end(&t);
}
END_TEST

START_TEST(a_clock_of_32_bits_wraps_and_is_unwrapped)
{
    sim_test t;
    sim_test_prepare(&t, MARL_SCENE_STILL, 100);
    t.config.faults.wrap_s = 5;
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 10), MARL_OK);
    size_t n = sim_test_rows(&t, row, ROWS);
    ck_assert_uint_gt(n, 990);
    ck_assert_uint_eq(marl_receiver_report(t.receiver)->rows.clock_wraps, 1);
    ck_assert_uint_eq(marl_receiver_report(t.receiver)->rows.restarts, 0);
    for (size_t i = 1; i < n; i++) {
        double step = 1e-9 * (double)(row[i].sample.t_ns - row[i - 1].sample.t_ns);
        ck_assert(step > 0.009 && step < 0.011);
    }
    sim_test_end(&t);
}
END_TEST

/* The chips forget their settings: the driver brings them back within some tenths of a second. */
START_TEST(a_power_dip_of_the_chips_is_a_gap)
{
    sim_test t;
    sim_test_prepare(&t, MARL_SCENE_STILL, 100);
    t.config.faults.dip_s = 5;
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 10), MARL_OK);
    size_t n = sim_test_rows(&t, row, ROWS), gaps = 0;
    double longest = 0;
    for (size_t i = 1; i < n; i++) {
        double step = 1e-9 * (double)(row[i].sample.t_ns - row[i - 1].sample.t_ns);
        gaps += step > 0.015;
        longest = fmax(longest, step);
    }
    ck_assert_uint_eq(gaps, 1);
    ck_assert_double_lt(longest, 0.3);
    ck_assert_uint_eq(marl_sim_app(t.sim)->board.state[0].counts.restarts, 1);
    sim_test_end(&t);
}
END_TEST

START_TEST(a_power_cut_starts_the_firmware_anew)
{
    sim_test t;
    sim_test_prepare(&t, MARL_SCENE_STILL, 100);
    t.config.faults.cut_s = 5;
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 10), MARL_OK);
    size_t n = sim_test_rows(&t, row, ROWS);
    ck_assert_uint_eq(marl_sim_counted(t.sim)->starts, 2);
    ck_assert_uint_eq(marl_receiver_report(t.receiver)->rows.restarts, 1);
    ck_assert_uint_gt(n, 930); /* it starts in half a second */
    ck_assert_uint_lt(n, 1000);
    for (size_t i = 1; i < n; i++) {
        int64_t step = row[i].sample.t_ns - row[i - 1].sample.t_ns;
        ck_assert(step > 0 && step <= INT64_C(2000000000));
    }
    sim_test_end(&t);
}
END_TEST

/* A log that is played comes out as it went in, to the rounding of the chip, at its own times. */
START_TEST(a_log_is_played_through_the_chip)
{
    enum { LOG = 500 };
    static marl_log_row played[LOG];
    sim_test t;
    marl_simulator simulator;
    marl_sheet noisy = marl_sheet_grommet();
    marl_log log = {.n = LOG, .row = played};
    ck_assert_int_eq(lab_simulator_init(&simulator, MARL_SCENE_LIFT, &noisy, 50, 8), MARL_OK);
    for (int i = 0; i < LOG; i++) {
        marl_simulator_next(&simulator, &played[i].sample, &played[i].q);
        played[i].sample.t_ns += INT64_C(77000000000) + (i > 250 ? 400000000 : 0); /* any origin, a gap */
    }
    sim_test_prepare(&t, MARL_SCENE_STILL, 0);
    t.config.log = &log;
    t.sheet = marl_sim_sheet_of_log(&log);
    t.part[0] = marl_sim_part(marl_chip_grommet(), (marl_place){0, 0x2a}, &t.sheet, 0);
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 100), MARL_END);
    size_t n = sim_test_rows(&t, row, ROWS);
    ck_assert_uint_eq(n, LOG);
    const marl_chip_sensor *s = t.part[0].chip->sensor;
    for (size_t i = 0; i < n; i++) {
        const marl_sample *in = &played[i].sample, *out = &row[i].sample;
        const double accel[] = {(double)in->accel.x, (double)in->accel.y, (double)in->accel.z};
        const double gyro[] = {(double)in->gyro.x, (double)in->gyro.y, (double)in->gyro.z};
        double passed = 1e-9 * (double)(in->t_ns - played[0].sample.t_ns);
        ck_assert_double_lt(away(out->accel, accel),
                            0.51 * (double)s[0].range.choice[t.part[0].range[0]].per_count);
        ck_assert_double_lt(away(out->gyro, gyro),
                            0.51 * (double)s[1].range.choice[t.part[0].range[1]].per_count);
        ck_assert_uint_eq(out->fresh, in->fresh);
        /* never early, late by a poll at most */
        double late = 1e-9 * (double)(out->t_ns - row[0].sample.t_ns) - passed;
        ck_assert(late > -0.0006 && late < 0.0006);
    }
    sim_test_end(&t);
}
END_TEST

START_TEST(same_seed_same_bytes)
{
    uint32_t crc[3] = {0, 0, 0};
    for (int k = 0; k < 3; k++) {
        sim_test t;
        marl_error error = {0};
        sim_test_prepare(&t, MARL_SCENE_LIFT, 100);
        t.sheet = marl_sheet_grommet();
        t.config.seed = k < 2 ? 5 : 6;
        t.config.faults.noise = t.config.faults.lose = t.config.faults.garbage = 0.01;
        sim_test_start(&t);
        for (int i = 0; i < 3000; i++) {
            uint8_t bytes[4096];
            ck_assert_int_eq(marl_sim_step(t.sim, &error), MARL_OK);
            crc[k] = marl_crc32(crc[k], bytes, marl_sim_receive(t.sim, bytes, sizeof bytes));
        }
        sim_test_end(&t);
    }
    ck_assert_uint_eq(crc[0], crc[1]);
    ck_assert_uint_ne(crc[0], crc[2]);
}
END_TEST

/* The power is cut at every erase and write of a save: the record before or the new one is there, whole. */
START_TEST(the_store_survives_a_cut_at_any_step)
{
    uint8_t first[300], second[300], loaded[512];
    int old = 0, new = 0;
    memset(first, 0x0f, sizeof first);
    memset(second, 0xa5, sizeof second);
    for (unsigned long step = 1; step < 60; step++) {
        sim_test t;
        marl_error error = {0};
        size_t n;
        sim_test_prepare(&t, MARL_SCENE_STILL, 100);
        t.config.seed = step;
        ck_assert_int_eq(marl_sim_create(&t.sim, &t.config, &error), MARL_OK);
        const marl_port *port = marl_sim_port(t.sim);
        for (int i = 0; i < 3; i++) { /* so that the half written to is not empty */
            ck_assert_int_eq(marl_store_save(port, first, sizeof first), MARL_OK);
        }
        marl_sim_cut_flash(t.sim, step);
        marl_status status = marl_store_save(port, second, sizeof second);
        marl_sim_cut_flash(t.sim, 0);
        marl_sim_power_on(t.sim);
        ck_assert_int_eq(marl_store_load(port, loaded, sizeof loaded, &n), MARL_OK);
        ck_assert_uint_eq(n, 300);
        int is_new = memcmp(loaded, second, n) == 0;
        ck_assert(is_new || memcmp(loaded, first, n) == 0);
        ck_assert(is_new || status != MARL_OK);
        old += !is_new;
        new += is_new;
        ck_assert_int_eq(marl_store_save(port, second, sizeof second),
                         MARL_OK); /* and it goes on from there */
        marl_sim_free(t.sim);
    }
    ck_assert_int_ge(old,
                     38); /* an erase and (16 + 300) / 8 writes, the last of which may be whole by chance */
    ck_assert_int_ge(new, 18);
}
END_TEST

START_TEST(flash_is_written_once_between_erases)
{
    sim_test t;
    marl_error error = {0};
    const uint8_t unit[8] = {1, 2, 3, 4, 5, 6, 7, 8};
    sim_test_prepare(&t, MARL_SCENE_STILL, 100);
    ck_assert_int_eq(marl_sim_create(&t.sim, &t.config, &error), MARL_OK);
    const marl_port *port = marl_sim_port(t.sim);
    ck_assert_int_eq(port->nv_write(port->context, 64, unit, 8), MARL_OK);
    ck_assert_int_eq(port->nv_write(port->context, 64, unit, 8), MARL_ERR_STORE);
    ck_assert_int_eq(port->nv_write(port->context, 4, unit, 8), MARL_ERR_STORE);
    ck_assert_int_eq(port->nv_write(port->context, 72, unit, 4), MARL_ERR_STORE);
    ck_assert_int_eq(port->nv_erase(port->context, 64), MARL_ERR_STORE);
    ck_assert_int_eq(port->nv_erase(port->context, 0), MARL_OK);
    ck_assert_int_eq(port->nv_write(port->context, 64, unit, 8), MARL_OK);
    ck_assert_int_eq(port->nv_write(port->context, MARL_SIM_FLASH_SIZE, unit, 8), MARL_ERR_STORE);
    marl_sim_free(t.sim);
}
END_TEST

START_TEST(faults_are_read_by_name)
{
    static const struct {
        const char *text, *wrong;
    } cases[] = {{"late=2", "late lies between 0 and 1"},
                 {"late=", "late lies between"},
                 {"late=0.1x", "late lies between"},
                 {"sleepy=1", "unknown fault 'sleepy'; known: late, silent"},
                 {"", "unknown fault ''"},
                 {"late=0.1,", "unknown fault ''"},
                 {"drop", "unknown fault 'drop'"},
                 {"wrap=5000", "between 0 and 4294 s"}};
    marl_sim_faults faults = marl_sim_faults_none();
    ck_assert_int_eq(marl_sim_faults_parse(&faults, "late=0.25,cut=3,ppm=-40", NULL), MARL_OK);
    ck_assert_double_eq(faults.late, 0.25);
    ck_assert_double_eq(faults.cut_s, 3);
    ck_assert_double_eq(faults.clock_ppm, -40);
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        marl_error error = {0};
        ck_assert_int_eq(marl_sim_faults_parse(&faults, cases[i].text, &error), MARL_ERR_USE);
        ck_assert_msg(strstr(error.text, cases[i].wrong) != NULL, "%s: %s", cases[i].text, error.text);
    }
}
END_TEST

START_TEST(two_chips_at_one_place_are_refused)
{
    sim_test t;
    marl_error error = {0};
    sim_test_prepare(&t, MARL_SCENE_STILL, 100);
    t.part[1] = t.part[0];
    t.config.parts = 2;
    ck_assert_int_eq(marl_sim_create(&t.sim, &t.config, &error), MARL_ERR_USE);
    ck_assert_str_eq(error.text, "two chips at address 0x2a of bus 0");
    ck_assert_ptr_null(t.sim);
}
END_TEST

MARL_SUITE("sim", readings_are_the_true_motion_as_the_chip_counts_it,
           mounting_and_table_do_not_show_in_the_readings, saturation_holds_at_full_scale,
           CAMPAIGN(the_low_pass_set_in_the_chip_is_at_work), the_chips_clock_is_its_own,
           jitter_is_as_large_as_asked, dropped_readings_are_gaps, a_stuck_axis_keeps_its_value,
           a_clock_of_32_bits_wraps_and_is_unwrapped, a_power_dip_of_the_chips_is_a_gap,
           a_power_cut_starts_the_firmware_anew, a_log_is_played_through_the_chip, same_seed_same_bytes,
           the_store_survives_a_cut_at_any_step, flash_is_written_once_between_erases,
           faults_are_read_by_name, two_chips_at_one_place_are_refused)
