/* SPDX-License-Identifier: MIT
 * Each guide on the recording it is for, and on the others. */
#include "check_main.h"
#include "lab/simulate/simulator.h"
#include "marlinspike/record.h"
#include "marlinspike/simulate.h"
#include <math.h>
#include <string.h>

static const struct {
    marl_guide_kind kind;
    marl_scene_kind scene;
} recordings[] = {{MARL_GUIDE_STILL, MARL_SCENE_STILL},
                  {MARL_GUIDE_TURNS, MARL_SCENE_TURNS},
                  {MARL_GUIDE_POSES, MARL_SCENE_POSES},
                  {MARL_GUIDE_TUMBLE, MARL_SCENE_TUMBLE},
                  {MARL_GUIDE_SOAK, MARL_SCENE_SOAK}};

/* As a split board sends it: the magnetometer in rows of its own, a millisecond behind. */
static void read_split(marl_guide *guide, const marl_sample *sample)
{
    marl_sample inertial = *sample, mag = *sample;
    inertial.fresh &= (uint8_t)~MARL_FRESH_MAG;
    mag.fresh = MARL_FRESH_MAG;
    mag.t_ns += 1000000;
    marl_guide_feed(guide, &inertial);
    if (sample->fresh & MARL_FRESH_MAG) {
        marl_guide_feed(guide, &mag);
    }
}

/* Runs a scene until the guide has enough or the time is over; returns that time. */
static double run(marl_guide *guide, marl_scene_kind scene, double rate_hz, uint64_t seed, double seconds)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_simulator simulator;
    double last = 0;
    ck_assert_int_eq(lab_simulator_init(&simulator, scene, &sheet, rate_hz, seed), MARL_OK);
    while (marl_guide_seconds(guide) < seconds && !marl_guide_done(guide)) {
        marl_sample sample;
        marl_quat truth;
        marl_simulator_next(&simulator, &sample, &truth);
        if (seed % 2) {
            marl_guide_feed(guide, &sample);
        } else {
            read_split(guide, &sample);
        }
        last = marl_guide_progress(guide);
        ck_assert(last >= 0 && last <= 1);
    }
    return marl_guide_seconds(guide);
}

static marl_guide *make(marl_guide_kind kind)
{
    marl_guide *guide;
    ck_assert_int_eq(marl_guide_create(&guide, kind, kind == MARL_GUIDE_TURNS ? 360 : INFINITY, NULL),
                     MARL_OK);
    return guide;
}

/* At two rates and for some seeds, within the scene's own length. */
START_TEST(a_guide_ends_with_its_scene)
{
    for (uint64_t seed = 1; seed <= 4; seed++) {
        for (int k = 0; k < 2; k++) {
            marl_guide_view view;
            marl_guide *guide = make(recordings[_i].kind);
            double max = marl_scene_seconds(recordings[_i].scene) + 40;
            double took = run(guide, recordings[_i].scene, k ? 50 : 200, seed, max);
            marl_guide_show(guide, &view);
            ck_assert_msg(marl_guide_done(guide), "seed %d: %.1f s: %s", (int)seed, took, view.line[1]);
            ck_assert_double_eq(marl_guide_progress(guide), 1);
            marl_guide_free(guide);
        }
    }
}
END_TEST

/* What the others lack: rest, turns, faces, directions, warmth. */
START_TEST(a_guide_does_not_end_with_another_scene)
{
    static const marl_scene_kind others[] = {MARL_SCENE_STILL, MARL_SCENE_LIFT, MARL_SCENE_SHAKE};
    for (int i = 0; i < 5; i++) {
        for (int k = 0; k < 3; k++) {
            marl_guide *guide = make(recordings[i].kind);
            run(guide, others[k], 100, 1, others[k] == MARL_SCENE_STILL ? 60 : 25);
            int enough = recordings[i].kind == MARL_GUIDE_STILL && others[k] == MARL_SCENE_STILL;
            ck_assert_msg(marl_guide_done(guide) == enough, "%s on %s", marl_guide_name(recordings[i].kind),
                          marl_scene_name(others[k]));
            marl_guide_free(guide);
        }
    }
}
END_TEST

/* With one sensor missing no guide is content, and it says which. */
START_TEST(a_missing_sensor_is_named)
{
    static const struct {
        marl_guide_kind kind;
        const char *given;
    } lacks[] = {{MARL_GUIDE_TUMBLE, "no magnetometer yet"},
                 {MARL_GUIDE_SOAK, "no temperature yet"},
                 {MARL_GUIDE_POSES, "no accelerometer yet"},
                 {MARL_GUIDE_TURNS, "no gyroscope yet"}};
    for (int i = 0; i < 4; i++) {
        marl_guide *guide = make(lacks[i].kind);
        marl_guide_view view;
        for (int k = 0; k < 500; k++) {
            marl_sample s = {.t_ns = k * INT64_C(10000000), .accel = {0, 0, 9.8f}};
            s.fresh = lacks[i].kind == MARL_GUIDE_POSES ? MARL_FRESH_GYRO : MARL_FRESH_ACCEL;
            marl_guide_feed(guide, &s);
        }
        marl_guide_show(guide, &view);
        ck_assert_str_eq(view.line[1], lacks[i].given);
        ck_assert_int_eq(marl_guide_done(guide), 0);
        marl_guide_free(guide);
    }
}
END_TEST

/* The scene turns through 360 deg; the gyroscope's scale is off by 0.6 % at most. */
START_TEST(turns_are_measured_from_rest_to_rest)
{
    marl_guide *guide = make(MARL_GUIDE_TURNS);
    marl_guide_view view;
    run(guide, MARL_SCENE_TURNS, 100, 2, 12);
    marl_guide_show(guide, &view);
    const char *last = strstr(view.line[1], "the last: ");
    ck_assert_ptr_nonnull(last);
    ck_assert_double_eq_tol(fabs(strtod(last + 10, NULL)), 360, 4);
    marl_guide_free(guide);
}
END_TEST

START_TEST(gaps_and_rates_are_counted)
{
    marl_guide *guide = make(MARL_GUIDE_SECONDS);
    for (int k = 0; k < 1000; k++) {
        marl_sample s = {.t_ns = k * INT64_C(5000000), .fresh = MARL_FRESH_GYRO};
        if (k % 100 != 50) {
            marl_guide_feed(guide, &s);
        }
    }
    ck_assert_uint_eq(marl_guide_gaps(guide), 10);
    ck_assert_double_eq_tol(marl_guide_rate(guide, MARL_GYRO), 198, 0.1);
    ck_assert(isnan(marl_guide_rate(guide, MARL_MAG)));
    ck_assert_double_eq_tol(marl_guide_seconds(guide), 4.995, 1e-9);
    marl_guide_free(guide);
}
END_TEST

START_TEST(names_are_those_of_the_recordings)
{
    static const char *const names[] = {"still", "turns", "poses", "tumble", "soak"};
    marl_guide_kind kind;
    for (int i = 0; i < 5; i++) {
        ck_assert_int_eq(marl_guide_from_name(names[i], &kind), MARL_OK);
        ck_assert_str_eq(marl_guide_name(kind), names[i]);
    }
    ck_assert_int_eq(marl_guide_from_name("seconds", &kind), MARL_ERR_ARGUMENT);
    ck_assert_int_eq(marl_guide_from_name("", &kind), MARL_ERR_ARGUMENT);
}
END_TEST

MARL_SUITE_OF_CASES("guide", recordings, a_guide_ends_with_its_scene, a_guide_does_not_end_with_another_scene,
                    a_missing_sensor_is_named, turns_are_measured_from_rest_to_rest,
                    gaps_and_rates_are_counted, names_are_those_of_the_recordings)
