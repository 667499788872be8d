/* SPDX-License-Identifier: MIT
 * Chips of many kinds on the simulated board: whatever a table says of bits, registers, zeros, lines and frames, the
 * readings are the true motion at their stamps. */
#include "check_main.h"
#include "lab/simulate/simulator.h"
#include "marlinspike/files.h"
#include "port_test.h"
#include "random_values.h"

enum { ROWS = 20000 };
static marl_log_row row[ROWS];
static marl_chip_file file;

static void read_chip(const char *path)
{
    marl_error error = {0};
    ck_assert_msg(marl_chip_read_file(&file, path, &error) == MARL_OK, "%s", error.text);
}

static double off(marl_vec3 v, const double truth[3])
{
    return fmax(fabs((double)v.x - truth[0]),
                fmax(fabs((double)v.y - truth[1]), fabs((double)v.z - truth[2])));
}

/* Worst error of accelerometer and gyroscope against the truth `delay` s before the stamps. */
static void worst_error(const sim_test *t, size_t n, double delay, double *accel, double *gyro)
{
    marl_scene scene = marl_scene_make(t->config.scene, t->config.seed);
    *accel = *gyro = 0;
    for (size_t i = 0; i < n; i++) {
        marl_motion m = marl_scene_at(&scene, 1e-9 * (double)row[i].sample.t_ns - delay);
        *accel =
            row[i].sample.fresh & MARL_FRESH_ACCEL ? fmax(*accel, off(row[i].sample.accel, m.force)) : *accel;
        *gyro = row[i].sample.fresh & MARL_FRESH_GYRO ? fmax(*gyro, off(row[i].sample.gyro, m.rate)) : *gyro;
    }
}

static const char *const shipped[] = {CHIPS "/grommet.json", CHIPS "/thimble.json", CHIPS "/clevis.json",
                                      CHIPS "/swivel.json"};

/* 8 g and 450 deg/s hold the tumble; half a count of the coarsest is 0.0024 m/s^2 and 0.0005 rad/s; the rest is the
 * motion between taking and stamp. */
START_TEST(every_shipped_chip_reads_the_true_motion)
{
    double accel, gyro;
    sim_test t;
    read_chip(shipped[_i]);
    sim_test_prepare(&t, MARL_SCENE_TUMBLE, 0);
    t.part[0] = marl_sim_part(&file.chip, (marl_place){1, 7}, &t.sheet, 400);
    memcpy(t.part[0].mount, (const int8_t[3]){-3, -1, 2}, 3);
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 10), MARL_OK);
    size_t n = sim_test_rows(&t, row, ROWS);
    ck_assert_uint_ge(n, 3800);
    worst_error(&t, n, 0, &accel, &gyro);
    ck_assert_double_lt(accel, 0.04);
    ck_assert_double_lt(gyro,
                        file.chip.fifo.present ? 0.02 : 0.006); /* a frame's time is known to a period */
    sim_test_end(&t);
}
END_TEST

/* The Swivel, with any coding, zero, width and order that its readings fit into. */
static void vary(dice *d)
{
    static const uint8_t bits[] = {12, 14, 16};
    file.chip.registers = (uint8_t)(1 + dice_below(d, 2));
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        marl_chip_sensor *s = &file.chip.sensor[i];
        marl_chip_choice *range = file.choice[i][0];
        float full_scale = i == MARL_ACCEL ? 80.0f : i == MARL_GYRO ? 8.0f : 1000.0f;
        s->word.bits = bits[dice_below(d, 3)];
        s->word.coding = (uint8_t)dice_below(d, 4);
        s->word.little_endian = (uint8_t)dice_below(d, 2);
        s->word.left_aligned = (uint8_t)dice_below(d, 2);
        s->zero =
            s->word.coding == MARL_UNSIGNED ? 1 << (s->word.bits - 1) : (int32_t)dice_below(d, 100) - 50;
        for (int k = 0; k < s->range.n; k++) {
            range[k].value = full_scale;
            range[k].per_count = full_scale * 2.1f / (float)(1 << s->word.bits);
        }
    }
}

START_TEST(any_coding_reads_the_true_motion)
{
    dice d = {17};
    for (int i = 0; i < 60; i++) {
        double accel, gyro;
        sim_test t;
        const char *what = "";
        read_chip(CHIPS "/swivel.json");
        vary(&d);
        ck_assert_msg(marl_chip_check(&file.chip, &what) == MARL_OK, "%s", what);
        sim_test_prepare(&t, MARL_SCENE_TUMBLE, 0);
        t.part[0] = marl_sim_part(&file.chip, (marl_place){1, 7}, &t.sheet, 400);
        sim_test_start(&t);
        ck_assert_int_eq(sim_test_run(&t, 2), MARL_OK);
        size_t n = sim_test_rows(&t, row, ROWS);
        ck_assert_uint_ge(n, 700);
        worst_error(&t, n, 0, &accel, &gyro);
        ck_assert_double_lt(accel, 0.04 + 0.51 * (double)file.choice[MARL_ACCEL][0][0].per_count);
        ck_assert_double_lt(gyro, 0.006 + 0.51 * (double)file.choice[MARL_GYRO][0][0].per_count);
        sim_test_end(&t);
    }
}
END_TEST

static void start_clevis(sim_test *t, double rate_hz, uint8_t batch)
{
    read_chip(CHIPS "/clevis.json");
    sim_test_prepare(t, MARL_SCENE_TUMBLE, 0);
    t->part[0] = marl_sim_part(&file.chip, (marl_place){1, 7}, &t->sheet, rate_hz);
    t->part[0].batch = batch;
}

/* When the k-th reading behind the first row was taken; the first is the nearest to its stamp. */
static double taken(const sim_test *t, double rate_hz, size_t k)
{
    double period = 1 / (rate_hz * (1 + 1e-6 * t->config.faults.clock_ppm));
    double first = period * floor(1e-9 * (double)row[0].sample.t_ns / period + 0.5);
    return first + period * (double)k;
}

static void check_stamps(double ppm, uint8_t batch)
{
    double known = batch > 1 ? 0.005 : 0.0004;
    sim_test t;
    start_clevis(&t, 200, batch);
    t.config.faults.clock_ppm = ppm;
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 20), MARL_OK);
    size_t n = sim_test_rows(&t, row, ROWS);
    ck_assert_uint_ge(n, (size_t)(19.5 * 200 * (1 + 1e-6 * ppm)));
    ck_assert_uint_eq(marl_sim_counted(t.sim)->overwritten, 0);
    for (size_t i = 1; i < n; i++) {
        double stamp = 1e-9 * (double)row[i].sample.t_ns,
               step = stamp - 1e-9 * (double)row[i - 1].sample.t_ns;
        ck_assert(row[i].sample.fresh == (MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_TEMP));
        ck_assert_double_gt(step, 0);
        ck_assert_double_lt(step, 0.01);
        if (i > 2000) { /* it has found its period by then */
            ck_assert_msg(fabs(stamp - taken(&t, 200, i)) < known, "row %zu: %.6f s, taken %.6f s", i, stamp,
                          taken(&t, 200, i));
            ck_assert_double_eq_tol(step, 0.005 / (1 + 1e-6 * ppm), 0.0005);
        }
    }
    sim_test_end(&t);
}

/* Frames gather while the board sleeps; each gets its own time, within a period of the truth (where none gather, within
 * what asking and transfers take), whatever the chip's oscillator does, and none is lost. */
START_TEST(each_frame_has_its_own_stamp)
{
    static const double ppm[] = {0, 20000, -20000};
    static const uint8_t batch[] = {0, 5, 32};
    for (int i = 0; i < 9; i++) {
        check_stamps(ppm[i / 3], batch[i % 3]);
    }
}
END_TEST

/* A bus transfer now and then fails, and some read other bytes: a frame may be lost, time goes on. */
START_TEST(a_disturbed_bus_costs_frames_but_no_order)
{
    sim_test t;
    start_clevis(&t, 200, 10);
    t.config.faults.silent = 0.01;
    t.config.faults.garbage = 0.002;
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 20), MARL_OK);
    size_t n = sim_test_rows(&t, row, ROWS);
    ck_assert_uint_ge(n, 3500);
    for (size_t i = 1; i < n; i++) {
        ck_assert_int_gt(row[i].sample.t_ns, row[i - 1].sample.t_ns);
    }
    sim_test_end(&t);
}
END_TEST

/* The firmware sleeps for a second: 85 of 200 frames are kept, and their times are those of the last 85. */
START_TEST(a_fifo_that_ran_over_is_reported_and_time_goes_on_right)
{
    sim_test t;
    start_clevis(&t, 200, 8);
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 5), MARL_OK);
    const marl_port *port = marl_sim_port(t.sim);
    ck_assert_int_eq(port->sleep(port->context, 1000000), MARL_OK);
    double woke = marl_sim_seconds(t.sim);
    ck_assert_int_eq(sim_test_run(&t, 10), MARL_OK);
    const marl_stream_report *report = marl_receiver_report(t.receiver);
    ck_assert_msg(strstr(report->first_event, "its FIFO ran over") != NULL, "%s", report->first_event);
    ck_assert_uint_eq(marl_sim_app(t.sim)->board.state[0].counts.overflows, 1);
    size_t n = sim_test_rows(&t, row, ROWS), gaps = 0;
    double accel, gyro;
    for (size_t i = 1; i < n; i++) {
        double step = 1e-9 * (double)(row[i].sample.t_ns - row[i - 1].sample.t_ns);
        if (step > 0.05) {
            gaps++;
            ck_assert_double_eq_tol(1e-9 * (double)row[i].sample.t_ns, woke - 84 * 0.005, 0.012);
        }
    }
    ck_assert_uint_eq(gaps, 1);
    worst_error(&t, n, 0.0025, &accel, &gyro); /* half a period of 5 ms either way at 12 rad/s^2 */
    ck_assert_double_lt(gyro, 0.06);
    sim_test_end(&t);
}
END_TEST

/* A Grommet with a FIFO for two of its sensors; the magnetometer and the temperature stay with the burst. */
static marl_chip grommet_with_fifo(void)
{
    marl_chip chip = *marl_chip_grommet();
    chip.fifo = (marl_chip_fifo){.present = 1,
                                 .data = 0x3e,
                                 .bytes = 12,
                                 .holds = MARL_FRESH_ACCEL | MARL_FRESH_GYRO,
                                 .at = {6, 0},
                                 .depth = 64,
                                 .count_reg = 0x3f,
                                 .count = {.bytes = 1, .bits = 8, .coding = MARL_UNSIGNED},
                                 .count_unit = 12};
    return chip;
}

/* 25 readings a second of the magnetometer want as many fetchings of eight frames. */
START_TEST(what_would_be_lost_between_two_fetchings_is_refused)
{
    const marl_chip chip = grommet_with_fifo();
    const char *what = "";
    marl_part part = {.chip = &chip, .batch = 8};
    part.rate[MARL_ACCEL] = part.rate[MARL_GYRO] = 3; /* 200 Hz */
    part.rate[MARL_MAG] = 1;
    ck_assert_int_eq(marl_part_check(&part, &what), MARL_OK);
    part.rate[MARL_MAG] = 2; /* 50 Hz */
    ck_assert_int_eq(marl_part_check(&part, &what), MARL_ERR_ARGUMENT);
    ck_assert_str_eq(what, "rate");
    part.use = MARL_FRESH_ACCEL | MARL_FRESH_GYRO; /* nobody reads it */
    ck_assert_int_eq(marl_part_check(&part, &what), MARL_OK);
    part.use = 0;
    part.batch = 4;
    ck_assert_int_eq(marl_part_check(&part, &what), MARL_OK);
}
END_TEST

START_TEST(what_is_in_no_frame_is_read_between)
{
    for (int batch = 1; batch <= 8; batch += 7) {
        sim_test t;
        marl_chip chip = grommet_with_fifo();
        size_t fields = 0;
        double accel, gyro;
        sim_test_prepare(&t, MARL_SCENE_TUMBLE, 0);
        t.part[0] = marl_sim_part(&chip, (marl_place){1, 7}, &t.sheet, 200);
        t.part[0].batch = (uint8_t)batch;
        sim_test_start(&t);
        ck_assert_int_eq(sim_test_run(&t, 10), MARL_OK);
        size_t n = sim_test_rows(&t, row, ROWS);
        marl_scene scene = marl_scene_make(t.config.scene, t.config.seed);
        for (size_t i = 0; i < n; i++) {
            const marl_sample *r = &row[i].sample;
            ck_assert(i == 0 || r->t_ns > row[i - 1].sample.t_ns);
            if (r->fresh & MARL_FRESH_MAG) { /* read up to a batch late: so far may the field have turned */
                marl_motion m = marl_scene_at(&scene, 1e-9 * (double)r->t_ns);
                ck_assert_double_lt(off(r->mag, m.field), 0.1 + 50 * 4 * 0.005 * batch);
                fields++;
            }
        }
        ck_assert_uint_ge(fields, 200);
        worst_error(&t, n, 0, &accel, &gyro);
        ck_assert_double_lt(gyro, batch > 1 ? 0.06 : 0.006);
        sim_test_end(&t);
    }
}
END_TEST

/* Readings of two chips, of which one has a FIFO and the other a data-ready line, come in the order of their times. */
START_TEST(chips_of_every_kind_keep_the_order_of_time)
{
    static marl_chip_file other;
    marl_error error = {0};
    double accel, gyro;
    sim_test t;
    start_clevis(&t, 400, 0);
    ck_assert_int_eq(marl_chip_read_file(&other, CHIPS "/thimble.json", &error), MARL_OK);
    t.part[1] = marl_sim_part(&other.chip, (marl_place){0, 5}, &t.sheet, 416);
    t.part[1].ready_line = 1;
    t.config.parts = 2;
    t.config.faults.jitter_us = 300;
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 10), MARL_OK);
    size_t n = sim_test_rows(&t, row, ROWS);
    ck_assert_uint_ge(n, 7900);
    ck_assert_uint_eq(marl_receiver_report(t.receiver)->rows.rows_dropped, 0);
    for (size_t i = 1; i < n; i++) {
        ck_assert_int_gt(row[i].sample.t_ns, row[i - 1].sample.t_ns);
    }
    worst_error(&t, n, 0, &accel, &gyro);
    ck_assert_double_lt(gyro, 0.02);
    sim_test_end(&t);
}
END_TEST

/* A clock that starts again at zero: the frames behind that are timed anew, and none is lost. */
START_TEST(frames_go_on_behind_a_clock_that_went_back)
{
    sim_test t;
    start_clevis(&t, 200, 8);
    t.config.faults.wrap_s = 5;
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 10), MARL_OK);
    size_t n = sim_test_rows(&t, row, ROWS);
    size_t jumps = 0;
    ck_assert_uint_ge(n, 1980);
    for (size_t i = 1; i < n; i++) {
        double step = 1e-9 * (double)(row[i].sample.t_ns - row[i - 1].sample.t_ns);
        ck_assert_double_gt(step, 0);
        jumps += step > 0.01;
    }
    ck_assert_uint_le(jumps, 1);
    sim_test_end(&t);
}
END_TEST

/* A line to the processor: the stamps are those of its edges although the board asks late. */
START_TEST(the_data_ready_line_gives_the_stamps)
{
    sim_test t;
    read_chip(CHIPS "/thimble.json");
    sim_test_prepare(&t, MARL_SCENE_TUMBLE, 0);
    t.part[0] = marl_sim_part(&file.chip, (marl_place){1, 7}, &t.sheet, 208);
    t.part[0].ready_line = 1;
    sim_test_start(&t);
    const marl_port *port = marl_sim_port(t.sim);
    for (int i = 0; i < 3000; i++) { /* up to 3 ms late each time */
        ck_assert_int_eq(sim_test_run(&t, marl_sim_seconds(t.sim) + 0.001), MARL_OK);
        ck_assert_int_eq(port->sleep(port->context, (uint32_t)(1000 * (i % 4))), MARL_OK);
    }
    size_t n = sim_test_rows(&t, row, ROWS);
    ck_assert_uint_ge(n, 1400);
    for (size_t i = 2; i < n; i++) {
        double periods = 1e-9 * (double)row[i].sample.t_ns * 208;
        ck_assert_msg(fabs(periods - floor(periods + 0.5)) < 1e-3, "row %zu: %.4f periods", i, periods);
    }
    sim_test_end(&t);
}
END_TEST

/* A line that was active already, or whose edge got lost, does not stop the board. */
START_TEST(a_lost_edge_costs_two_periods)
{
    int64_t t_ns;
    sim_test t;
    read_chip(CHIPS "/thimble.json");
    sim_test_prepare(&t, MARL_SCENE_TUMBLE, 0);
    t.part[0] = marl_sim_part(&file.chip, (marl_place){1, 7}, &t.sheet, 208);
    t.part[0].ready_line = 1;
    sim_test_start(&t);
    const marl_port *port = marl_sim_port(t.sim);
    for (int i = 0; i < 20; i++) {
        ck_assert_int_eq(sim_test_run(&t, marl_sim_seconds(t.sim) + 0.1), MARL_OK);
        ck_assert_int_eq(port->sleep(port->context, 4800), MARL_OK);
        ck_assert_int_eq(port->data_ready(port->context, t.part[0].at, &t_ns),
                         MARL_OK); /* somebody took it */
    }
    size_t n = sim_test_rows(&t, row, ROWS);
    ck_assert_uint_ge(n, 350);
    ck_assert_uint_eq(marl_sim_app(t.sim)->board.state[0].counts.restarts, 0);
    sim_test_end(&t);
}
END_TEST

MARL_SUITE_OF_CASES("chips", shipped, every_shipped_chip_reads_the_true_motion,
                    any_coding_reads_the_true_motion, each_frame_has_its_own_stamp,
                    a_disturbed_bus_costs_frames_but_no_order,
                    a_fifo_that_ran_over_is_reported_and_time_goes_on_right,
                    the_data_ready_line_gives_the_stamps, a_lost_edge_costs_two_periods,
                    what_would_be_lost_between_two_fetchings_is_refused, what_is_in_no_frame_is_read_between,
                    chips_of_every_kind_keep_the_order_of_time, frames_go_on_behind_a_clock_that_went_back)
