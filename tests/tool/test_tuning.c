/* SPDX-License-Identifier: MIT
 * The tool's tunings: the command that lists them, changes on the command line, what a replay reports, and
 * texts in figures. */
#include "check_main.h"
#include "run_tool.h"
#include <math.h>

static const char *const filters[] = {"gyro", "vectors", "complementary", "gradient-descent", "kalman"};

/* Every parameter with value, unit, range and meaning; written, read again and replayed it is the same
 * filter. */
START_TEST(a_written_tuning_is_complete)
{
    temporary dir = tool_folder();
    for (int f = 0; f < 5; f++) {
        json_t *t = run_json(0, "tuning %s -o %s.json", filters[f], filters[f]);
        const json_t *all = json_object_get(t, "parameters"), *one;
        size_t i;
        ck_assert_str_eq(json_string_value(json_object_get(t, "filter")), filters[f]);
        ck_assert_uint_ge(json_array_size(all), 2);
        json_array_foreach(all, i, one)
        {
            ck_assert(json_equal(json_object_get(one, "value"), json_object_get(one, "default")));
            ck_assert(strlen(json_string_value(json_object_get(one, "meaning"))) > 5);
            ck_assert(json_is_boolean(json_object_get(one, "value")) ||
                      json_array_size(json_object_get(one, "range")) == 2);
        }
        json_decref(t);
        json_t *by_name = run_json(0, "replay still.csv --tuning %s", filters[f]);
        json_t *by_file = run_json(0, "replay still.csv --tuning %s.json", filters[f]);
        ck_assert(json_equal(json_object_get(by_name, "digest"), json_object_get(by_file, "digest")));
        json_decref(by_name);
        json_decref(by_file);
    }
    temporary_remove(&dir);
}
END_TEST

START_TEST(the_table_marks_what_is_changed)
{
    temporary dir = tool_folder();
    tool_run r = run("tuning complementary:tilt_time=0.49,weighting=off");
    ck_assert_int_eq(r.code, 0);
    ck_assert_ptr_nonnull(
        strstr(r.out, "* tilt_time            0.49        1  time constant of the tilt correction"));
    ck_assert_ptr_nonnull(strstr(r.out, "* weighting             off       on"));
    ck_assert_ptr_nonnull(strstr(r.out, "  damping              0.91     0.91"));
    ck_assert_ptr_nonnull(strstr(r.out, "0.98000 at 100 Hz"));
    run_free(&r);
    run_wants(2, "tuning complementary:tilt_time=0");
    run_wants(2, "tuning");
    run_wants(2, "tuning nothing");
    run_wants(3, "tuning nothing.json");
    run_wants(3, "tuning kalman --sheet nothing.json");
    run_wants(5, "tuning kalman -o nowhere/a.json");
    temporary_remove(&dir);
}
END_TEST

/* Every parameter of every filter changes the attitudes of a log that brings it to bear, or it is none. */
START_TEST(tunings_that_differ_give_attitudes_that_differ)
{
    temporary dir = tool_folder();
    const char *const texts[] = {"complementary",
                                 "gradient-descent",
                                 "kalman",
                                 "complementary:weighting=off",
                                 "gradient-descent:weighting=off",
                                 "kalman:weighting=off",
                                 "complementary:tilt_time=0.5",
                                 "complementary:heading_time=5",
                                 "complementary:damping=2",
                                 "complementary:run_down=off",
                                 "gradient-descent:beta=0.1",
                                 "gradient-descent:zeta=0.001",
                                 "kalman:gyro_white=0.001",
                                 "kalman:speed_floor=3",
                                 "kalman:disturbance_time=2",
                                 "kalman:bias_limit=0"};
    enum { N = sizeof texts / sizeof texts[0] };
    char digest[N][16];
    for (int i = 0; i < N; i++) {
        json_t *r = run_json(0, "replay handle.csv --tuning %s", texts[i]);
        snprintf(digest[i], sizeof digest[i], "%s", json_string_value(json_object_get(r, "digest")));
        ck_assert_str_eq(json_string_value(json_object_get(r, "name")), texts[i]);
        json_decref(r);
        for (int k = 0; k < i; k++) {
            ck_assert_msg(strcmp(digest[i], digest[k]) != 0, "%s and %s", texts[i], texts[k]);
        }
    }
    temporary_remove(&dir);
}
END_TEST

START_TEST(a_replay_reports_weights_and_invalid_readings)
{
    temporary dir = tool_folder();
    tool_run r = run("replay handle.csv --tuning complementary --figure a.svg");
    ck_assert_ptr_nonnull(strstr(r.out, "invalid readings: accel 0, gyro 0, mag 0; restarts: 0"));
    ck_assert_ptr_nonnull(strstr(r.out, "down-weighted (weight < 0.5): accelerometer in "));
    ck_assert_ptr_nonnull(strstr(r.out, "beyond accel_threshold = 0.12 m/s^2"));
    run_free(&r);
    char *svg = temporary_read("a.svg");
    ck_assert(strstr(svg, "complementary on handle.csv: accelerometer down-weighted") &&
              strstr(svg, "bias estimate +- 1 sigma, deg/s"));
    free(svg);
    json_t *j = run_json(0, "replay lift.csv --tuning kalman");
    ck_assert_double_eq(json_at(j, "invalid.gyro"), 0);
    ck_assert_double_gt(json_at(j, "downweighted.accel"), 1000);
    ck_assert_double_gt(json_at(j, "sigma_tilt_deg"), 0);
    ck_assert_double_gt(json_at(j, "sigma_heading_deg"), 5); /* 3 uT of 26 that nobody has calibrated */
    ck_assert_double_lt(json_at(j, "sigma_heading_deg"), 10);
    ck_assert_double_eq_tol(json_at(j, "gyro_bias.0"), 0.8 * 0.01745, 0.005); /* the Grommet's, at power-on */
    json_decref(j);
    for (int f = 0; f < 2; f++) { /* neither weights nor bias to draw */
        run_wants(0, "replay lift.csv --tuning %s --figure b.svg", filters[f]);
    }
    temporary_remove(&dir);
}
END_TEST

/* A log that starts in the middle of a scene, and one with a speed. */
START_TEST(scenes_start_late_and_give_a_speed)
{
    temporary dir = tool_folder();
    run_wants(0, "simulate --scene drive --duration 60 --speed -o drive.csv --truth truth.csv");
    run_wants(0, "simulate --scene drive --duration 60 -o blind.csv");
    json_t *with = run_json(0, "compare drive.csv --reference truth.csv --tuning complementary");
    json_t *without = run_json(0, "compare blind.csv --reference truth.csv --tuning complementary");
    ck_assert_double_lt(json_at(with, "runs.0.tilt_deg.rms"), 0.5 * json_at(without, "runs.0.tilt_deg.rms"));
    json_decref(with);
    json_decref(without);
    run_wants(0, "simulate --scene swing --duration 5 --skip 3 -o late.csv --truth late.truth.csv");
    run_wants(0, "simulate --scene swing --duration 8 -o all.csv --truth all.truth.csv");
    ck_assert_int_eq(
        system("head -2 late.csv | tail -1 | grep -q ^t && sed -n 3p late.csv | grep -q '^0.000000000,'"), 0);
    ck_assert_int_eq(system("test \"$(sed -n 2p late.truth.csv | cut -d, -f2-)\" = "
                            "\"$(grep '^3.000000000,' all.truth.csv | cut -d, -f2-)\""),
                     0);
    run_wants(2, "simulate --scene swing --skip -1 -o x.csv");
    run_wants(2, "simulate --scene swing --skip nan -o x.csv");
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE("tool tunings", a_written_tuning_is_complete, the_table_marks_what_is_changed,
           tunings_that_differ_give_attitudes_that_differ, a_replay_reports_weights_and_invalid_readings,
           scenes_start_late_and_give_a_speed)
