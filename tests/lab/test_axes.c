/* SPDX-License-Identifier: MIT
 * Axes mixed up on purpose, in simulated tumbles. */
#include "check_main.h"
#include "marlinspike/files.h"
#include "marlinspike/inspect.h"
#include "memory_log.h"
#include "random_values.h"

static marl_vec3 mixed(marl_vec3 v, const int axis[3])
{
    const float in[3] = {v.x, v.y, v.z};
    float out[3];
    for (int i = 0; i < 3; i++) {
        int k = axis[i] < 0 ? -axis[i] : axis[i];
        out[i] = axis[i] < 0 ? -in[k - 1] : in[k - 1];
    }
    return (marl_vec3){out[0], out[1], out[2]};
}

/* One of the 48, and the one that undoes it. */
static void make_mix(int number, int axis[3], int undo[3])
{
    static const int order[6][3] = {{1, 2, 3}, {1, 3, 2}, {2, 1, 3}, {2, 3, 1}, {3, 1, 2}, {3, 2, 1}};
    for (int i = 0; i < 3; i++) {
        axis[i] = order[number / 8][i] * ((number >> i) & 1 ? -1 : 1);
    }
    for (int i = 0; i < 3; i++) {
        int k = axis[i] < 0 ? -axis[i] : axis[i];
        undo[k - 1] = axis[i] < 0 ? -(i + 1) : i + 1;
    }
}

static marl_log tumble(uint64_t seed, double seconds)
{
    marl_sheet sheet = marl_sheet_grommet();
    return memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, seconds, seed);
}

static marl_axes find(const marl_log *log)
{
    marl_axes axes;
    marl_error error = {0};
    ck_assert_msg(marl_axes_find(log, &axes, &error) == MARL_OK, "%s", error.text);
    return axes;
}

START_TEST(a_hundred_tumbles_determine_the_axes)
{
    for (uint64_t seed = 1; seed <= 100; seed++) {
        int gyro[3], mag[3], undo_gyro[3], undo_mag[3];
        marl_log log = tumble(seed, 30);
        make_mix((int)(seed * 7 % 48), gyro, undo_gyro);
        make_mix((int)(seed * 11 % 48), mag, undo_mag);
        for (size_t i = 0; i < log.n; i++) {
            log.row[i].sample.gyro = mixed(log.row[i].sample.gyro, gyro);
            log.row[i].sample.mag = mixed(log.row[i].sample.mag, mag);
        }
        marl_axes axes = find(&log);
        ck_assert_msg(axes.gyro.verdict == MARL_AXES_DECIDED &&
                          memcmp(axes.gyro.best.axis, undo_gyro, sizeof gyro) == 0,
                      "seed %d: %g, next %g", (int)seed, axes.gyro.residual, axes.gyro.next);
        ck_assert_double_eq_tol(axes.gyro.scale, 1, 0.05);
        ck_assert_msg(axes.mag.verdict == MARL_AXES_DECIDED &&
                          memcmp(axes.mag.best.axis, undo_mag, sizeof mag) == 0,
                      "seed %d: mag %g, next %g", (int)seed, axes.mag.residual, axes.mag.next);
        ck_assert_int_eq(axes.mag.sign_decided, 1);
        ck_assert_double_eq_tol(axes.dip_deg, 61.2, 3);
        marl_log_free(&log);
    }
}
END_TEST

START_TEST(all_48_are_separated)
{
    for (int number = 0; number < 48; number++) {
        int gyro[3] = {0}, undo[3] = {0};
        marl_log log = tumble(5, 30);
        make_mix(number, gyro, undo);
        for (size_t i = 0; i < log.n; i++) {
            log.row[i].sample.gyro = mixed(log.row[i].sample.gyro, gyro);
        }
        marl_axes axes = find(&log);
        ck_assert_int_eq(axes.gyro.verdict, MARL_AXES_DECIDED);
        ck_assert_mem_eq(axes.gyro.best.axis, undo, sizeof undo);
        ck_assert_int_eq(marl_arrangement_is_plain(&axes.gyro.best), number == 0);
        marl_log_free(&log);
    }
}
END_TEST

START_TEST(what_is_not_determined_is_not_reported)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log still = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 60, 1);
    ck_assert_int_eq(find(&still).gyro.verdict, MARL_AXES_UNDECIDED);
    ck_assert_int_eq(find(&still).mag.verdict, MARL_AXES_UNDECIDED);
    marl_log_free(&still);
    marl_log turn =
        memory_log_simulated(MARL_SCENE_TURNS, &sheet, 100, 20, 1); /* about the vertical, to and fro */
    ck_assert_int_eq(find(&turn).gyro.verdict, MARL_AXES_UNDECIDED);
    turn.info.columns &= ~MARL_COLUMNS_GYRO;
    ck_assert_int_eq(find(&turn).gyro.verdict, MARL_AXES_ABSENT);
    marl_log_free(&turn);
}
END_TEST

/* About one axis that is not the vertical: gravity turns, but what the other two axes do cannot be seen. */
START_TEST(a_turn_about_one_level_axis_is_undecided)
{
    dice d = {3};
    marl_log log = tumble(1, 30);
    for (size_t i = 0; i < log.n; i++) {
        double angle = 0.8 * (double)i * 0.01;
        marl_sample *s = &log.row[i].sample;
        s->accel =
            (marl_vec3){(float)(0.02 * dice_normal(&d)), (float)(9.8 * sin(angle) + 0.02 * dice_normal(&d)),
                        (float)(9.8 * cos(angle) + 0.02 * dice_normal(&d))};
        s->gyro = (marl_vec3){(float)(0.8 + 0.003 * dice_normal(&d)), (float)(0.003 * dice_normal(&d)),
                              (float)(0.003 * dice_normal(&d))};
    }
    ck_assert_int_eq(find(&log).gyro.verdict, MARL_AXES_UNDECIDED);
    marl_log_free(&log);
}
END_TEST

/* A hand that turns the board for a minute and accelerates it by 1.5 m/s^2 rms an axis, for half a second each. */
START_TEST(a_hand_that_accelerates_hides_nothing)
{
    for (uint64_t seed = 1; seed <= 10; seed++) {
        int gyro[3], undo[3];
        dice d = {seed};
        double hand[3] = {0, 0, 0};
        marl_log log = tumble(seed, 60);
        make_mix((int)(seed * 7 % 48), gyro, undo);
        for (size_t i = 0; i < log.n; i++) {
            for (int k = 0; k < 3; k++) {
                hand[k] += -0.02 * hand[k] + 0.3 * dice_normal(&d);
            }
            log.row[i].sample.gyro = mixed(log.row[i].sample.gyro, gyro);
            log.row[i].sample.accel = marl_vec3_add(
                log.row[i].sample.accel, (marl_vec3){(float)hand[0], (float)hand[1], (float)hand[2]});
        }
        marl_axes axes = find(&log);
        ck_assert_int_eq(axes.gyro.verdict, MARL_AXES_DECIDED);
        ck_assert_int_eq(memcmp(axes.gyro.best.axis, undo, sizeof undo), 0);
        marl_log_free(&log);
    }
}
END_TEST

/* Degrees taken for radians show in the scale, and do not disturb the axes. */
START_TEST(a_wrong_unit_shows_in_the_scale)
{
    marl_log log = tumble(9, 30);
    for (size_t i = 0; i < log.n; i++) {
        log.row[i].sample.gyro = marl_vec3_scale(log.row[i].sample.gyro, 57.29578f);
    }
    marl_axes axes = find(&log);
    ck_assert_int_eq(axes.gyro.verdict, MARL_AXES_DECIDED);
    ck_assert(marl_arrangement_is_plain(&axes.gyro.best) && marl_arrangement_is_plain(&axes.mag.best));
    ck_assert_double_eq_tol(axes.gyro.scale, 0.017453, 0.0007);
    char text[32];
    marl_arrangement_text(&(marl_arrangement){{-2, 1, 3}}, text);
    ck_assert_str_eq(text, "x = -y, y = +x, z = +z");
    marl_log_free(&log);
}
END_TEST

/* A multirotor's accelerometer reads its own thrust, along z whatever the tilt, and shows nothing of how it turns: the
 * magnetometer is found against the gyroscope, also with hard iron and a gyroscope's bias, and never otherwise than it
 * stands. */
START_TEST(in_flight_the_magnetometer_stands_against_the_gyroscope)
{
    int decided = 0;
    marl_sheet sheet = marl_sheet_grommet();
    for (uint64_t seed = 1; seed <= 24; seed++) {
        int mag[3], undo[3];
        marl_log log = memory_log_simulated(MARL_SCENE_HANDLE, &sheet, 100, 60, 60 + seed);
        dice d = {seed};
        make_mix((int)(seed * 11 % 48), mag, undo);
        for (size_t i = 0; i < log.n; i++) {
            marl_sample *s = &log.row[i].sample;
            s->accel = (marl_vec3){0.05f * (float)dice_normal(&d), 0.05f * (float)dice_normal(&d), 9.8f};
            s->gyro.x += 0.05f;
            s->mag.z += 25;
            s->mag = mixed(s->mag, mag);
        }
        marl_axes axes = find(&log);
        ck_assert_int_ne(axes.gyro.verdict, MARL_AXES_DECIDED);
        ck_assert_int_ne(axes.mag.verdict, MARL_AXES_DECIDED);
        if (axes.mag_by_gyro.verdict == MARL_AXES_DECIDED) {
            int sign =
                axes.mag_by_gyro.best.axis[0] == undo[0] ? 1 : -1; /* such a z is no vertical for the dip */
            for (int k = 0; k < 3; k++) {
                ck_assert_int_eq(axes.mag_by_gyro.best.axis[k], sign * undo[k]);
            }
            decided++;
        }
        marl_log_free(&log);
    }
    ck_assert_int_ge(decided, 16);
}
END_TEST

MARL_SUITE("axes", CAMPAIGN(a_hundred_tumbles_determine_the_axes), all_48_are_separated,
           what_is_not_determined_is_not_reported, a_turn_about_one_level_axis_is_undecided,
           a_hand_that_accelerates_hides_nothing, in_flight_the_magnetometer_stands_against_the_gyroscope,
           a_wrong_unit_shows_in_the_scale)
