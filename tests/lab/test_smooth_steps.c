/* SPDX-License-Identifier: MIT
 * The smoother on readings in coarse steps: what they hide is in its standard deviations. */
#include "calibrated_log.h"
#include "check_main.h"
#include "lab/log/log_report.h"
#include "sensor_faults.h"

/* m/s^2, rad/s */
typedef struct coarse {
    marl_scene_kind scene;
    float accel, gyro;
} coarse;

static const coarse cases[] = {
    {MARL_SCENE_HANDLE, 0.5f, 0.05f}, {MARL_SCENE_LIFT, 0.5f, 0},   {MARL_SCENE_LIFT, 1, 0},
    {MARL_SCENE_LIFT, 0.25f, 0},      {MARL_SCENE_HANDLE, 1, 0},    {MARL_SCENE_SLEW, 0.5f, 0},
    {MARL_SCENE_HANDLE, 0, 0.05f},    {MARL_SCENE_CARRY, 0, 0.05f}, {MARL_SCENE_CARRY, 1, 0},
    {MARL_SCENE_TUMBLE, 0.5f, 0.03f}, {MARL_SCENE_TURNS, 0.25f, 0}, {MARL_SCENE_WHIRL, 0.5f, 0.03f},
};

/* As a reader fills the report. */
static void round_log(marl_log *log, const coarse *to)
{
    const float step[MARL_SENSOR_COUNT] = {to->accel, to->gyro, 0};
    lab_repeats repeats = {.begun = 0};
    lab_report_init(&log->report);
    for (size_t i = 0; i < log->n; i++) {
        marl_sample *s = &log->row[i].sample;
        round_readings(s, step);
        lab_report_readings(&repeats, s, &log->report);
    }
}

/* What a step hides stays hidden as long as the body hardly moves: a mean square is that of few independent stretches, and over
 * nine is beyond chance. */
START_TEST(stated_errors_hold)
{
    static const coarse fine = {.accel = 0};
    const coarse *to = &cases[_i];
    marl_log log = corrected_log(to->scene, 90, 400 + (uint64_t)_i);
    marl_smoothed s, as_read;
    double rms, tilt, heading;
    round_log(&log, &fine);
    ck_assert_int_eq(marl_smooth(&log, NULL, &as_read, NULL), MARL_OK);
    round_log(&log, to);
    ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
    errors_of(&log, &s, &rms, &tilt, &heading);
    ck_assert_ptr_null(marl_smoothed_distrust(&s));
    ck_assert_msg(tilt < 9 && heading < 9, "%g deg, %g %g", rms, tilt, heading);
    ck_assert_double_gt(s.sigma_tilt_rms, as_read.sigma_tilt_rms);
    marl_smoothed_free(&s);
    marl_smoothed_free(&as_read);
    marl_log_free(&log);
}
END_TEST

/* Steps as fine as those of any part count nothing. */
START_TEST(fine_steps_change_nothing)
{
    static const coarse fine = {.accel = 0};
    marl_log log = corrected_log(MARL_SCENE_HANDLE, 20, 3);
    marl_smoothed without, with;
    ck_assert_int_eq(marl_smooth(&log, NULL, &without, NULL), MARL_OK);
    round_log(&log, &fine);
    ck_assert_int_eq(marl_smooth(&log, NULL, &with, NULL), MARL_OK);
    for (size_t i = 0; i < log.n; i++) {
        ck_assert_mem_eq(&with.row[i].q, &without.row[i].q, sizeof with.row[i].q);
        ck_assert_float_eq(with.row[i].sigma_tilt, without.row[i].sigma_tilt);
    }
    marl_smoothed_free(&with);
    marl_smoothed_free(&without);
    marl_log_free(&log);
}
END_TEST

MARL_SUITE_OF_TRIALS("smooth steps", cases, stated_errors_hold, fine_steps_change_nothing)
