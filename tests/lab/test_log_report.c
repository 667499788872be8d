/* SPDX-License-Identifier: MIT
 * Readings that are held between those of a slow sensor, and those that only look so. */
#include "check_main.h"
#include "marlinspike/log.h"
#include "random_values.h"
#include "temporary.h"
#include <stdio.h>

static char text[400000];

/* How a magnetometer is written, in rows. */
typedef struct writing {
    double period; /* between its readings */
    double step;   /* of its counts, uT */
    double noise;  /* standard deviation, uT */
    double turn;   /* of the field, radians */
    int rest;      /* all but every fourth thousand rows the field stands still */
} writing;

/* What the reader finds. */
typedef struct finding {
    int held;
    double step;
} finding;

static finding find(const writing *w, uint64_t seed)
{
    dice d = {seed};
    double reading[3] = {0}, next = 0, angle = dice_between(&d, 0, 6);
    size_t at = (size_t)snprintf(text, sizeof text, "t[s],mag_x[uT],mag_y[uT],mag_z[uT]\n");
    for (int i = 0; i < 4000; i++) {
        angle += w->rest && i % 1000 < 750 ? 0 : w->turn;
        if (i >= next) {
            const double field[3] = {50 * cos(angle), 50 * sin(angle), 20 * cos(0.7 * angle)};
            for (int k = 0; k < 3; k++) {
                reading[k] = w->step * round((field[k] + w->noise * dice_normal(&d)) / w->step);
            }
            next += w->period;
        }
        at += (size_t)snprintf(text + at, sizeof text - at, "%.2f,%.3f,%.3f,%.3f\n", 0.01 * i, reading[0],
                               reading[1], reading[2]);
    }
    temporary dir = temporary_make();
    marl_log log;
    ck_assert_int_eq(marl_log_load(&log, temporary_text(&dir, "a.csv", text), NULL, NULL), MARL_OK);
    finding found = {marl_log_is_held(&log.report, MARL_MAG), marl_log_coarse_step(&log.report, MARL_MAG)};
    ck_assert(!marl_log_is_held(&log.report, MARL_GYRO) && !marl_log_is_held(&log.report, MARL_ACCEL));
    ck_assert_uint_eq(log.report.repeats[MARL_MAG].readings, 3999 / 64 * 64);
    marl_log_free(&log);
    temporary_remove(&dir);
    return found;
}

START_TEST(held_readings_are_told_from_coarse_ones)
{
    static const writing held[] = {
        {2, 0.15, 0.3, 0.01, 0},  {1.4, 0.15, 0.3, 0.02, 0}, {8, 0.15, 0.3, 0.01, 1},  {2, 0.3, 0.3, 0.02, 1},
        {20, 0.15, 0.3, 0.01, 0}, {4, 0.01, 0, 0.003, 0},    {4, 0.15, 0.3, 0.0001, 0}};
    static const writing fresh[] = {{1, 0.15, 0.3, 0.01, 0}, {1, 2, 0.3, 0.01, 0}, {1, 2, 0.3, 0.01, 1},
                                    {1, 5, 0.3, 0.003, 0},   {1, 1, 0, 0.0005, 0}, {1, 0.6, 0.3, 0.02, 1},
                                    {1, 10, 0.5, 0.002, 1},  {1, 2, 0.3, 0, 0},    {1, 0.15, 0.01, 0, 0}};
    for (uint64_t seed = 1; seed <= 8; seed++) {
        for (size_t i = 0; i < sizeof held / sizeof held[0]; i++) {
            ck_assert_msg(find(&held[i], seed).held, "held %zu, seed %d", i, (int)seed);
        }
        for (size_t i = 0; i < sizeof fresh / sizeof fresh[0]; i++) {
            ck_assert_msg(!find(&fresh[i], seed).held, "fresh %zu, seed %d", i, (int)seed);
        }
    }
}
END_TEST

START_TEST(coarse_steps_are_found)
{
    static const writing coarse[] = {{1, 2, 0.3, 0.01, 0},
                                     {1, 5, 0.3, 0.003, 0},
                                     {4, 2.5, 2, 0.02, 0},
                                     {1, 10, 5, 0.01, 1},
                                     {1, 10, 0.02, 0.0004, 0}};
    static const writing fine[] = {{1, 1.5, 0.3, 0.01, 0},
                                   {1, 0.15, 30, 2, 0},
                                   {4, 0.01, 30, 3, 0},
                                   {20, 0.01, 50, 2, 0},
                                   {8, 0.01, 0, 0.003, 1}};
    for (uint64_t seed = 11; seed <= 18; seed++) {
        for (size_t i = 0; i < sizeof coarse / sizeof coarse[0]; i++) {
            ck_assert_double_eq_tol(find(&coarse[i], seed).step, coarse[i].step, 1e-3);
        }
        for (size_t i = 0; i < sizeof fine / sizeof fine[0]; i++) {
            ck_assert_double_eq(find(&fine[i], seed).step, 0);
        }
    }
}
END_TEST

MARL_SUITE("log report", held_readings_are_told_from_coarse_ones, coarse_steps_are_found)
