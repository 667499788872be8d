/* SPDX-License-Identifier: MIT
 * A simulated board with a Grommet, for tests: quiet sensors unless a test wants others. */
#ifndef PORT_TEST_H
#define PORT_TEST_H

#include "marlinspike/record.h"
#include "marlinspike/sim.h"
#include <check.h>
#include <math.h>
#include <string.h>

typedef struct sim_test {
    marl_sheet sheet;
    marl_part part[2];
    marl_sim_config config;
    marl_app_config app;
    marl_sim *sim;
    marl_receiver *receiver;
} sim_test;

/* Without noise and errors: what comes out is the truth, rounded. */
static inline marl_sheet sheet_without_errors(void)
{
    const marl_sensor_sheet perfect = {.present = 1, .rate_hz = 100, .bits = 16, .reference_degC = 24};
    marl_sheet sheet = {.name = "perfect", .accel = perfect, .gyro = perfect, .mag = perfect};
    sheet.accel.full_scale = 70;
    sheet.gyro.full_scale = 8;
    sheet.mag.full_scale = 1000;
    sheet.mag.rate_hz = 25;
    return sheet;
}

/* Everything set up but the sim itself, so that a test may change it. */
static inline void sim_test_prepare(sim_test *t, marl_scene_kind scene, double rate_hz)
{
    t->sheet = sheet_without_errors();
    t->part[0] = marl_sim_part(marl_chip_grommet(), (marl_place){0, 0x2a}, &t->sheet, rate_hz);
    t->config = (marl_sim_config){.scene = scene,
                                  .sheet = &t->sheet,
                                  .seed = 3,
                                  .part = t->part,
                                  .parts = 1,
                                  .faults = marl_sim_faults_none()};
    t->app = (marl_app_config){.device = "pod-07", .firmware = "test", .choice = marl_choose_any};
    t->sim = NULL;
    t->receiver = NULL;
}

static inline void sim_test_start(sim_test *t)
{
    marl_error error = {0};
    ck_assert_msg(marl_sim_create(&t->sim, &t->config, &error) == MARL_OK, "%s", error.text);
    ck_assert_msg(marl_sim_start(t->sim, &t->app, &error) == MARL_OK, "%s", error.text);
    ck_assert_int_eq(marl_receiver_create(&t->receiver, "test", NULL, &error), MARL_OK);
}

/* Runs until this time or an end; what comes goes to the receiver. */
static inline marl_status sim_test_run(sim_test *t, double until_s)
{
    marl_error error = {0};
    marl_status status = MARL_OK;
    while (status == MARL_OK && marl_sim_seconds(t->sim) < until_s) {
        uint8_t bytes[4096];
        status = marl_sim_step(t->sim, &error);
        size_t n = marl_sim_receive(t->sim, bytes, sizeof bytes);
        if (marl_receiver_feed(t->receiver, bytes, n, &error) !=
            MARL_OK) { /* no assertion each step: they cost more */
            ck_abort_msg("%s", error.text);
        }
    }
    return status;
}

static inline void sim_test_end(sim_test *t)
{
    marl_receiver_free(t->receiver);
    marl_sim_free(t->sim);
}

/* The rows that came, at most `most`. */
static inline size_t sim_test_rows(sim_test *t, marl_log_row *row, size_t max)
{
    size_t n = 0;
    while (n < max && marl_receiver_next(t->receiver, &row[n]) == MARL_OK) {
        n++;
    }
    return n;
}

static inline int same_bits(marl_quat a, marl_quat b)
{
    return memcmp(&a, &b, sizeof a) == 0;
}

#endif
