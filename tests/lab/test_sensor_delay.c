/* SPDX-License-Identifier: MIT
 * Readings that are late against the gyroscope's: found, where there are any, and moved back. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "memory_log.h"
#include "random_values.h"
#include "sensor_faults.h"
#include <math.h>

/* In a hand: the late sensor alone is named, within five standard errors; where none is late, none is. */
START_TEST(a_late_sensor_is_named)
{
    static const struct {
        int sensor;
        size_t rows;
    } cases[] = {{MARL_MAG, 0}, {MARL_MAG, 6}, {MARL_ACCEL, 6}, {MARL_GYRO, 3}};
    for (size_t k = 0; k < sizeof cases / sizeof cases[0]; k++) {
        marl_sheet sheet = marl_sheet_grommet();
        marl_log log = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 60, 51 + k);
        marl_sensor_delays found;
        late_log(&log, cases[k].sensor, cases[k].rows);
        ck_assert_int_eq(marl_sensor_delays_find(&log, &found, NULL), MARL_OK);
        const marl_sensor_delays named = marl_sensor_delays_named(&found);
        for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
            int is_it = i == cases[k].sensor && cases[k].rows > 0;
            ck_assert_msg(named.of[i].found == is_it, "case %zu: %d %g", k, i, named.of[i].delay_s);
            ck_assert(!is_it ||
                      fabs(named.of[i].delay_s - 0.01 * (double)cases[k].rows) < 5 * named.of[i].sigma_s);
        }
        marl_warnings warnings = {0};
        marl_sensor_delays_warn(&warnings, &log, &found);
        ck_assert_uint_eq(warnings.n, cases[k].rows > 0);
        marl_log_free(&log);
    }
}
END_TEST

/* Without a gyroscope, without turning, and of one row nothing is found. */
START_TEST(where_nothing_turns_nothing_is_found)
{
    marl_sheet sheet = marl_sheet_grommet();
    for (int k = 0; k < 3; k++) {
        marl_log log =
            memory_log_simulated(k == 0 ? MARL_SCENE_TUMBLE : MARL_SCENE_STILL, &sheet, 100, 30, 57);
        marl_sensor_delays found;
        log.info.columns &= k == 0 ? ~MARL_COLUMNS_GYRO : ~0u;
        log.n = k == 2 ? 1 : log.n;
        ck_assert_int_eq(marl_sensor_delays_find(&log, &found, NULL), MARL_OK);
        for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
            ck_assert(!found.of[i].found && isnan(found.of[i].delay_s));
        }
        marl_log_free(&log);
    }
}
END_TEST

/* Random delays of whole rows, early or late: what is moved back is what was there, but at the ends. By half a row more, the
 * nearest row has it, and of two that would share a row one is left. */
START_TEST(what_is_moved_back_is_what_was_there)
{
    dice d = {58};
    for (int k = 0; k < 20; k++) {
        marl_sheet sheet = marl_sheet_grommet();
        marl_log was = memory_log_simulated(MARL_SCENE_HANDLE, &sheet, 50, 10, 60 + (uint64_t)k),
                 log = memory_log_simulated(MARL_SCENE_HANDLE, &sheet, 50, 10, 60 + (uint64_t)k);
        size_t rows = dice_below(&d, 20);
        int sensor = k % 3;
        late_log(&log, sensor, rows);
        ck_assert_int_eq(marl_sensor_delay_remove(&log, (marl_sensor)sensor, 0.02 * (double)rows, NULL),
                         MARL_OK);
        for (size_t i = 0; i < log.n; i++) {
            const marl_sample *a = &was.row[i].sample, *b = &log.row[i].sample;
            int is_there = i + rows < log.n;
            ck_assert_int_eq(b->t_ns, a->t_ns);
            ck_assert_msg(!is_there || memcmp(&a->accel, &b->accel, sizeof a->accel) == 0 ||
                              sensor != MARL_ACCEL,
                          "row %zu", i);
            ck_assert_msg(!is_there || a->fresh == b->fresh, "row %zu: %x %x", i, a->fresh, b->fresh);
            ck_assert(!is_there || sensor != MARL_MAG || !(a->fresh & MARL_FRESH_MAG) ||
                      memcmp(&a->mag, &b->mag, sizeof a->mag) == 0);
        }
        ck_assert_int_eq(marl_sensor_delay_remove(&log, (marl_sensor)sensor, -0.013, NULL), MARL_OK);
        ck_assert_int_eq(marl_sensor_delay_remove(&log, (marl_sensor)sensor, 1000, NULL), MARL_OK);
        for (size_t i = 0; i < log.n; i++) {
            ck_assert(!(log.row[i].sample.fresh & (1u << sensor)));
        }
        marl_log_free(&was);
        marl_log_free(&log);
    }
}
END_TEST

MARL_SUITE("sensor delay", a_late_sensor_is_named, where_nothing_turns_nothing_is_found,
           what_is_moved_back_is_what_was_there)
