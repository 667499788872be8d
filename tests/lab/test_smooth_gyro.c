/* SPDX-License-Identifier: MIT
 * The smoother on gyroscopes that are read rarely, have a hole, warm up, read forces, or are noisy. */
#include "calibrated_log.h"
#include "check_main.h"
#include "random_values.h"
#include "sensor_faults.h"
#include <math.h>

/* A mean square is that of some twenty independent stretches of a log: over 4 is far beyond chance. Scenes whose vibration is
 * faster than half the rate are left out: sampled so, it is a slow acceleration. */
START_TEST(rows_that_come_rarely)
{
    static const struct {
        double rate;
        marl_scene_kind scene;
    } cases[] = {{5, MARL_SCENE_TUMBLE}, {5, MARL_SCENE_DRIVE},  {10, MARL_SCENE_TUMBLE},
                 {10, MARL_SCENE_CARRY}, {10, MARL_SCENE_WHIRL}, {20, MARL_SCENE_CARRY},
                 {20, MARL_SCENE_WHIRL}};
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        marl_sheet sheet = calibrated_sheet();
        marl_log log = memory_log_simulated(cases[i].scene, &sheet, cases[i].rate, 90, 61 + i);
        const char *scene = marl_scene_name(cases[i].scene);
        marl_smoothed s;
        double rms, tilt, heading;
        log.info.corrected = 1;
        ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
        errors_of(&log, &s, &rms, &tilt, &heading);
        ck_assert_msg(rms < 0.5 && tilt < 4 && heading < 4, "%g Hz, %s: %g deg, %g %g", cases[i].rate, scene,
                      rms, tilt, heading);
        ck_assert_msg(marl_smoothed_distrust(&s) == NULL, "%g Hz, %s", cases[i].rate, scene);
        ck_assert_double_eq(s.longest_gap_s, 0);
        marl_smoothed_free(&s);
        marl_log_free(&log);
    }
}
END_TEST

/* Steps of 0.11 s are the rate of the log; three seconds without a row are a gap in it. */
START_TEST(a_hole_is_longer_than_a_step)
{
    marl_sheet sheet = calibrated_sheet();
    marl_log log = memory_log_simulated(MARL_SCENE_HANDLE, &sheet, 9, 60, 67);
    marl_smoothed s;
    log.info.corrected = 1;
    ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
    ck_assert_double_eq(s.longest_gap_s, 0);
    marl_smoothed_free(&s);
    memmove(log.row + 300, log.row + 327, (log.n - 327) * sizeof *log.row);
    log.n -= 27;
    ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
    ck_assert_double_eq_tol(s.longest_gap_s, 28 / 9.0, 0.01);
    marl_smoothed_free(&s);
    marl_log_free(&log);
}
END_TEST

/* The bias goes to half a degree a second more within a minute or two: found, and no error of the attitude. Of a part that
 * is warm nothing is seen to move. */
START_TEST(a_part_that_warms_up)
{
    static const marl_scene_kind scene[] = {MARL_SCENE_HANDLE, MARL_SCENE_LIFT, MARL_SCENE_CARRY};
    for (int warms = 0; warms < 2; warms++) {
        for (size_t k = 0; k < 3; k++) {
            const double end[3] = {0.5 * MARL_DEGREE * warms, -0.3 * MARL_DEGREE * warms,
                                   0.4 * MARL_DEGREE * warms};
            marl_log log = corrected_log(scene[k], 120, 71 + k);
            marl_smoothed s;
            double rms, tilt, heading, moved[3], sigma[3];
            for (size_t i = 0; i < log.n; i++) {
                double share = 1 - exp(-0.01 * (double)i / 50);
                log.row[i].sample.gyro.x += (float)(share * end[0]);
                log.row[i].sample.gyro.y += (float)(share * end[1]);
                log.row[i].sample.gyro.z += (float)(share * end[2]);
            }
            ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
            errors_of(&log, &s, &rms, &tilt, &heading);
            ck_assert_msg(rms < 0.5 && tilt < 4 && heading < 4, "%s: %g deg, %g %g",
                          marl_scene_name(scene[k]), rms, tilt, heading);
            ck_assert(marl_smoothed_distrust(&s) == NULL);
            ck_assert_int_eq(marl_smoothed_bias_moved(&s, moved, sigma), warms);
            for (int axis = 0; axis < 3; axis++) {
                double truth = (1 - exp(-(double)(log.n - 1) * 0.01 / 50)) * fabs(end[axis]);
                ck_assert_double_eq_tol(moved[axis], truth, 5 * sigma[axis]);
                ck_assert_double_lt(sigma[axis], 0.1 * MARL_DEGREE);
            }
            marl_smoothed_free(&s);
            marl_log_free(&log);
        }
    }
}
END_TEST

/* What a force adds is found within its standard errors where the board is turned over, and no error of the attitude; where
 * forces add nothing, none is seen. */
START_TEST(forces_that_it_reads)
{
    static const marl_scene_kind scene[] = {MARL_SCENE_TURNS, MARL_SCENE_POSES, MARL_SCENE_TUMBLE};
    const double unit = MARL_DEGREE / MARL_STANDARD_GRAVITY;
    for (int reads = 0; reads < 2; reads++) {
        for (size_t k = 0; k < 3; k++) {
            dice d = {75 + k};
            double by_force[9], rms, tilt, heading;
            marl_log log = corrected_log(scene[k], 70, 75 + k);
            marl_smoothed s;
            for (int i = 0; i < 9; i++) {
                by_force[i] = reads * dice_between(&d, 0.1, 0.2) * unit * (i % 2 == 0 ? 1 : -1);
            }
            for (size_t i = 0; i < log.n; i++) {
                read_force(&log.row[i].sample, by_force);
            }
            ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
            errors_of(&log, &s, &rms, &tilt, &heading);
            ck_assert_msg(rms < 0.4 && tilt < 4 && heading < 4, "%s: %g deg, %g %g",
                          marl_scene_name(scene[k]), rms, tilt, heading);
            ck_assert(marl_smoothed_distrust(&s) == NULL);
            ck_assert_int_eq(marl_smoothed_shows_force(&s), reads);
            for (int i = 0; i < 9; i++) {
                ck_assert_double_eq_tol(s.gyro_by_force[i], by_force[i], 4.5 * s.gyro_by_force_sigma[i]);
                ck_assert_double_lt(s.gyro_by_force_sigma[i], 0.045 * unit);
            }
            marl_smoothed_free(&s);
            marl_log_free(&log);
        }
    }
}
END_TEST

/* Ten times the noise of a usual one, 0.06 deg/s/sqrt(Hz): larger errors, and honest. */
START_TEST(a_noisy_one)
{
    static const marl_scene_kind scene[] = {MARL_SCENE_TURNS, MARL_SCENE_CARRY, MARL_SCENE_SPIN};
    for (size_t k = 0; k < 3; k++) {
        double rms, tilt, heading;
        marl_sheet sheet = calibrated_sheet();
        sheet.gyro.white *= 10;
        marl_log log = memory_log_simulated(scene[k], &sheet, 100, 90, 78 + k);
        marl_smoothed s;
        log.info.corrected = 1;
        ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
        errors_of(&log, &s, &rms, &tilt, &heading);
        ck_assert_msg(rms < 1 && tilt < 4 && heading < 4, "%s: %g deg, %g %g", marl_scene_name(scene[k]), rms,
                      tilt, heading);
        ck_assert(marl_smoothed_distrust(&s) == NULL);
        marl_smoothed_free(&s);
        marl_log_free(&log);
    }
}
END_TEST

MARL_SUITE("smooth gyro", rows_that_come_rarely, a_hole_is_longer_than_a_step, a_part_that_warms_up,
           forces_that_it_reads, a_noisy_one)
