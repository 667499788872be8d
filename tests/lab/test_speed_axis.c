/* SPDX-License-Identifier: MIT
 * Along which axis of the board a recorded speed is. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "memory_log.h"
#include "random_values.h"
#include <math.h>

enum { SECONDS = 240 };
static const marl_quat straight = {1, 0, 0, 0};

/* A vehicle's log with its speed along body x, ten times a second, of sensors that are not calibrated; all vectors turned by
 * `mount` into the axes of a board that stands otherwise. */
static marl_log driven(marl_scene_kind scene, uint64_t seed, marl_quat mount)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_simulator simulator;
    marl_log log = {.path = strdup("driven.csv"), .n = SECONDS * 100};
    log.row = calloc(log.n, sizeof *log.row);
    log.info.columns = MEMORY_LOG_ALL | (1u << MARL_COLUMN_SPEED);
    ck_assert_int_eq(lab_simulator_init(&simulator, scene, &sheet, 100, seed), MARL_OK);
    ck_assert_int_eq(marl_simulator_set(&simulator, 0, 1), MARL_OK);
    for (size_t i = 0; i < log.n; i++) {
        marl_sample *s = &log.row[i].sample;
        marl_simulator_next(&simulator, s, &log.row[i].q);
        s->accel = marl_quat_rotate(mount, s->accel);
        s->gyro = marl_quat_rotate(mount, s->gyro);
        s->mag = marl_quat_rotate(mount, s->mag);
    }
    return log;
}

/* Whatever way the board stands, and with biases and scales of raw sensors: within four standard errors; the verdict is that
 * of the angle, but between 30 and 50 degrees, where the standard errors count. */
START_TEST(forward_is_found)
{
    static const marl_scene_kind scenes[] = {MARL_SCENE_DRIVE, MARL_SCENE_ROAD};
    const marl_vec3 x = {1, 0, 0};
    dice d = {4};
    for (int trial = 0; trial < 8; trial++) {
        marl_quat mount = trial < 2 ? straight : dice_attitude(&d);
        marl_log log = driven(scenes[trial % 2], 9601 + (uint64_t)trial, mount);
        marl_vec3 truth = marl_quat_rotate(mount, x);
        const double wanted[3] = {(double)truth.x, (double)truth.y, (double)truth.z};
        marl_speed_axis s = marl_speed_axis_find(&log, straight);
        double angle = acos(wanted[0]) / MARL_DEGREE;
        ck_assert(angle >= 30 || s.verdict == MARL_SPEED_PLAIN);
        ck_assert(angle <= 50 || s.verdict == MARL_SPEED_OTHER_AXIS);
        for (int k = 0; k < 3; k++) {
            ck_assert_msg(fabs(s.axis[k] - wanted[k]) < 4 * s.sigma[k], "trial %d, %d: %.3f +- %.3f for %.3f",
                          trial, k, s.axis[k], s.sigma[k], wanted[k]);
        }
        /* the mount of a calibration brings it back */
        s = marl_speed_axis_find(&log, marl_quat_conjugate(mount));
        ck_assert_int_eq(s.verdict, MARL_SPEED_PLAIN);
        ck_assert_double_gt(s.force[2], 0.95);
        marl_log_free(&log);
    }
}
END_TEST

static marl_speed_axis with_speeds_times(double factor)
{
    marl_log log = driven(MARL_SCENE_DRIVE, 9621, straight);
    for (size_t i = 0; i < log.n; i++) {
        log.row[i].sample.speed *= (float)factor;
    }
    marl_speed_axis s = marl_speed_axis_find(&log, straight);
    marl_log_free(&log);
    return s;
}

START_TEST(a_wrong_unit_shows_in_the_length)
{
    const double factors[] = {3.6, 1 / 3.6, -1, 1};
    const marl_speed_verdict wanted[] = {MARL_SPEED_OTHER_UNIT, MARL_SPEED_OTHER_UNIT, MARL_SPEED_OTHER_AXIS,
                                         MARL_SPEED_PLAIN};
    for (int k = 0; k < 4; k++) {
        marl_speed_axis s = with_speeds_times(factors[k]);
        ck_assert_int_eq(s.verdict, wanted[k]);
        ck_assert_double_eq_tol(s.axis[0] * factors[k], 1, 0.05);
    }
}
END_TEST

/* The speeds of the log played backwards belong to no axis; without motion, or without a speed, nothing is said. */
START_TEST(what_is_no_speed)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = driven(MARL_SCENE_DRIVE, 9631, straight);
    for (size_t i = 0; i < log.n / 2; i++) {
        marl_sample *a = &log.row[i].sample, *b = &log.row[log.n - 1 - i].sample;
        float speed = a->speed;
        uint8_t fresh = a->fresh;
        a->speed = b->speed;
        b->speed = speed;
        a->fresh = (uint8_t)((a->fresh & ~MARL_FRESH_SPEED) | (b->fresh & MARL_FRESH_SPEED));
        b->fresh = (uint8_t)((b->fresh & ~MARL_FRESH_SPEED) | (fresh & MARL_FRESH_SPEED));
    }
    marl_speed_verdict verdict = marl_speed_axis_find(&log, straight).verdict;
    ck_assert(verdict == MARL_SPEED_UNSEEN || verdict == MARL_SPEED_UNDECIDED);
    marl_log_free(&log);
    marl_log rest = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 60, 9632);
    ck_assert_int_eq(marl_speed_axis_find(&rest, straight).verdict, MARL_SPEED_ABSENT);
    rest.info.columns |= 1u << MARL_COLUMN_SPEED;
    for (size_t i = 0; i < rest.n; i += 10) {
        rest.row[i].sample.fresh |= MARL_FRESH_SPEED;
        rest.row[i].sample.speed = 0;
    }
    ck_assert_int_eq(marl_speed_axis_find(&rest, straight).verdict, MARL_SPEED_UNDECIDED);
    marl_log_free(&rest);
}
END_TEST

/* Which axes to take: those that make the found one x, and what points up z. */
START_TEST(the_warning_names_the_axes)
{
    static const struct {
        double axis[3], force[3];
        const char *text;
    } boards[] = {
        {{0, 0.99, 0.05}, {0.05, 0, 1}, "x = +y, y = -x, z = +z"},
        {{-1, 0, 0}, {0, 0.1, 0.99}, "x = -x, y = -y, z = +z"},
        {{0.02, 0, -1.02}, {0.98, 0.1, 0}, "x = -z, y = +y, z = +x"},
        {{0, 0.7, 0.7}, {1, 0, 0}, "leave the speed out, or turn the board"},
    };
    for (size_t k = 0; k < sizeof boards / sizeof boards[0]; k++) {
        marl_warnings warnings = {0};
        marl_speed_axis s = {.verdict = MARL_SPEED_OTHER_AXIS};
        memcpy(s.axis, boards[k].axis, sizeof s.axis);
        memcpy(s.force, boards[k].force, sizeof s.force);
        marl_speed_axis_warn(&warnings, "a.csv", &s);
        ck_assert_uint_eq(warnings.n, 1);
        ck_assert_str_eq(warnings.item[0].code, "speed-axis");
        ck_assert_msg(strstr(warnings.item[0].text, boards[k].text) != NULL, "%s", warnings.item[0].text);
    }
}
END_TEST

MARL_SUITE("speed_axis", forward_is_found, a_wrong_unit_shows_in_the_length, what_is_no_speed,
           the_warning_names_the_axes)
