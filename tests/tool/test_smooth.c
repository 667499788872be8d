/* SPDX-License-Identifier: MIT
 * The tool's smoothed reference: files, verdicts, messages. */
#include "check_main.h"
#include "run_tool.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <unistd.h>

/* Smoothed reference and rig name the same order, and the smoothed one says what it decides. */
START_TEST(it_stands_in_for_the_rig)
{
    temporary dir = tool_folder();
    run_wants(0, "calibrate still still.csv --into cal.json --quiet");
    json_t *made = run_json(0, "smooth lift.csv --calibration cal.json -o s.csv --figure s.svg");
    ck_assert_double_eq(json_at(made, "rows"), 12000);
    ck_assert_double_lt(json_at(made, "sigma_tilt_deg"), 1);
    json_decref(made);
    json_t *by_rig = run_json(0, "compare lift.csv --reference lift.reference.csv --calibration cal.json");
    json_t *by_smooth = run_json(0, "compare lift.csv --reference smooth --calibration cal.json");
    json_t *by_file = run_json(0, "compare lift.csv --reference s.csv --calibration cal.json");
    for (size_t i = 0; i < 5; i++) {
        const json_t *a = json_array_get(json_object_get(by_rig, "ranking"), i);
        const json_t *b = json_array_get(json_object_get(by_smooth, "ranking"), i);
        const json_t *c = json_array_get(json_object_get(by_file, "ranking"), i);
        ck_assert_str_eq(json_string_value(json_object_get(a, "name")),
                         json_string_value(json_object_get(b, "name")));
        ck_assert(json_is_null(json_object_get(a, "decided")));
        ck_assert(i == 0 || json_is_boolean(json_object_get(b, "decided")));
        ck_assert_double_eq_tol(json_number_value(json_object_get(b, "rms_deg")),
                                json_number_value(json_object_get(c, "rms_deg")), 1e-3);
    }
    json_decref(by_rig);
    json_decref(by_smooth);
    json_decref(by_file);
    tool_run r = run("compare lift.csv --reference s.csv --calibration cal.json");
    ck_assert_ptr_nonnull(strstr(r.out, "decided"));
    ck_assert_ptr_nonnull(strstr(r.out, "shares the sensors"));
    run_free(&r);
    temporary_remove(&dir);
}
END_TEST

/* From a log in the hand --into makes a calibration: what it says is added is in the file, with its standard error, and
 * what is not is named. The gyroscope's matrix is shown when it is asked for. */
START_TEST(a_calibration_comes_of_any_motion)
{
    temporary dir = tool_folder();
    json_t *made = run_json(0, "smooth handle.csv --into a.json"), *file = json_load_file("a.json", 0, NULL);
    ck_assert_str_eq(json_string_value(json_object_get(made, "sensors")), "raw");
    for (size_t i = 0; i < 3; i++) {
        const json_t *gyro = json_object_get(made, "gyro");
        const json_t *outcome = json_array_get(json_object_get(gyro, "bias_refined"), i);
        const json_t *written = json_object_get(file, "gyro");
        int added = strcmp(json_string_value(outcome), "added") == 0;
        double found = json_number_value(json_array_get(json_object_get(gyro, "bias"), i));
        ck_assert_double_eq_tol(json_number_value(json_array_get(json_object_get(written, "bias"), i)),
                                added ? found : 0, 1e-9);
        ck_assert_double_gt(json_number_value(json_array_get(json_object_get(written, "bias_sigma"), i)), 0);
    }
    ck_assert_str_eq(
        json_string_value(json_array_get(json_object_get(json_object_get(made, "gyro"), "bias_refined"), 0)),
        "added");
    json_decref(made);
    json_decref(file);
    tool_run r = run("smooth handle.csv --into b.json");
    ck_assert_ptr_nonnull(strstr(r.out, "left out, within three standard errors: accelerometer"));
    ck_assert_ptr_nonnull(strstr(r.out, "* added, with standard errors: b.json"));
    run_free(&r);
    r = run("smooth handle.csv --gyro-matrix");
    ck_assert_ptr_nonnull(strstr(r.out, "gyro matrix x"));
    run_free(&r);
    temporary_remove(&dir);
}
END_TEST

/* Sensors that no model of ours covers: an axis that reads nothing, a wrong scale, a magnetometer in counts. */
static const struct {
    const char *spoil, *reason;
    int dead; /* named by every command that reads the log */
} spoilt[] = {
    {"$2=0", "always reads the same", 1},
    {"if($8!=\"\")$8=0", "always reads the same", 1},
    {"$5*=1.3", "the gyroscope's scale or axes are worse", 0},
    {"$2*=1.3;$3*=1.3;$4*=1.3", "the accelerometer's scale or axes are worse", 0},
    {"if($8!=\"\"){$8*=15;$9*=15;$10*=15}", "unit is wrong", 0},
};

START_TEST(what_is_not_trusted_is_not_written_and_decides_nothing)
{
    temporary dir = tool_folder();
    char command[300];
    snprintf(command, sizeof command, "awk -F, -v OFS=, 'NR<=2{print;next} {%s; print}' handle.csv > bad.csv",
             spoilt[_i].spoil);
    ck_assert_int_eq(system(command), 0);
    tool_run r = run("smooth bad.csv -o bad.att.csv --into bad.json");
    ck_assert_int_eq(r.code, 4);
    ck_assert_msg(strstr(r.err, spoilt[_i].reason) != NULL, "%s", r.err);
    ck_assert_ptr_nonnull(strstr(r.err, "pass --calibration"));
    ck_assert(access("bad.att.csv", F_OK) != 0 && access("bad.json", F_OK) != 0);
    run_free(&r);
    json_t *made = run_json(4, "smooth bad.csv");
    ck_assert(json_is_false(json_object_get(made, "trusted")));
    json_decref(made);
    r = run("compare bad.csv --reference smooth --tuning kalman --tuning complementary --tuning vectors");
    ck_assert_ptr_nonnull(strstr(r.err, "not to be trusted"));
    ck_assert_ptr_null(strstr(r.out, ", decided"));
    run_free(&r);
    r = run("replay bad.csv --tuning kalman -o r.csv");
    ck_assert_int_eq(strstr(r.err, "not connected, or broken") != NULL, spoilt[_i].dead);
    run_free(&r);
    temporary_remove(&dir);
}
END_TEST

/* A log from elsewhere whose readings are calibrated says so by an option. */
START_TEST(an_option_says_that_a_log_is_calibrated)
{
    temporary dir = tool_folder();
    run_wants(0, "calibrate still still.csv --into cal.json --quiet");
    run_wants(0, "correct handle.csv --calibration cal.json -o corrected.csv --quiet");
    ck_assert_int_eq(system("sed 's/corrected=yes/corrected=no/' corrected.csv > foreign.csv"), 0);
    json_t *stated = run_json(0, "smooth corrected.csv"),
           *said = run_json(0, "smooth foreign.csv --calibrated");
    json_t *raw = run_json(0, "smooth foreign.csv");
    ck_assert_double_eq(json_at(stated, "sigma_tilt_deg"), json_at(said, "sigma_tilt_deg"));
    ck_assert_str_eq(json_string_value(json_object_get(raw, "sensors")), "raw");
    json_decref(stated);
    json_decref(said);
    json_decref(raw);
    run_wants(3, "smooth foreign.csv --calibrated --calibration cal.json");
    temporary_remove(&dir);
}
END_TEST

START_TEST(what_it_needs_and_what_it_adds)
{
    temporary dir = tool_folder();
    tool_run r = run("smooth handle.csv --into cal.json --window 0:38");
    ck_assert_int_eq(r.code, 0);
    ck_assert_ptr_nonnull(strstr(r.out, "errors, raw"));
    run_free(&r);
    r = run("smooth still.csv --window 0:5");
    ck_assert_int_eq(r.code, 4);
    ck_assert_ptr_nonnull(strstr(r.err, "10 s are needed"));
    run_free(&r);
    r = run("smooth lift.reference.csv");
    ck_assert_int_eq(r.code, 4);
    ck_assert_ptr_nonnull(strstr(r.err, "accel_x"));
    run_free(&r);
    run_wants(2, "smooth still.csv --figure s.pdf");
    run_wants(2, "smooth still.csv --window 5");
    run_wants(4, "smooth still.csv --window 5000:");
    temporary_remove(&dir);
}
END_TEST

/* A pod on a rope: the tuning that the text names is better than the default on the rest of the log; what is turned by hand
 * has no arm worth a tuning. */
START_TEST(a_pendulum_names_its_lever_arm)
{
    temporary dir = tool_folder();
    char tuning[200] = "";
    run_wants(
        0, "simulate --scene swing --seed 4 --duration 120 --rate 50 -o swing.csv --truth truth.csv --quiet");
    tool_run r = run("smooth swing.csv --window :60");
    ck_assert_int_eq(r.code, 0);
    ck_assert_ptr_nonnull(strstr(r.out, "lever arm"));
    const char *named = strstr(r.out, "--tuning ");
    ck_assert_ptr_nonnull(named);
    ck_assert_int_eq(sscanf(named, "--tuning %199s", tuning), 1);
    run_free(&r);
    json_t *compared = run_json(
        0, "compare swing.csv --reference truth.csv --window 60: --tuning kalman --tuning %s", tuning);
    const json_t *best = json_array_get(json_object_get(compared, "ranking"), 0);
    ck_assert_str_eq(json_string_value(json_object_get(best, "name")), tuning);
    json_decref(compared);
    r = run("compare swing.csv --reference smooth --tuning kalman");
    ck_assert_ptr_nonnull(strstr(r.err, "turns about a point"));
    run_free(&r);
    r = run("compare swing.csv --reference smooth --tuning kalman --tuning %s", tuning);
    ck_assert_ptr_null(strstr(r.err, "turns about a point"));
    run_free(&r);
    r = run("smooth handle.csv");
    ck_assert_ptr_null(strstr(r.out, "--tuning"));
    run_free(&r);
    temporary_remove(&dir);
}
END_TEST

/* A board that keeps its attitude does not show what its magnetometer adds; one that is turned does. */
START_TEST(a_hard_iron_that_no_turn_shows_is_named)
{
    temporary dir = tool_folder();
    run_wants(0, "simulate --scene shake --seed 4 -o shaken.csv --quiet");
    for (int i = 0; i < 2; i++) {
        tool_run r = run("%s", i == 0 ? "smooth shaken.csv" : "compare shaken.csv --reference smooth");
        ck_assert_ptr_nonnull(strstr(r.err, "turns do not show the magnetometer's hard iron"));
        run_free(&r);
    }
    json_t *turned = run_json(0, "smooth handle.csv");
    ck_assert_uint_eq(json_array_size(json_object_get(turned, "warnings")), 0);
    json_decref(turned);
    temporary_remove(&dir);
}
END_TEST

/* 200 s in an oven move the gyroscope's bias by a tenth of a degree a second; a minute in a hand does not. */
START_TEST(a_bias_that_moves_is_printed)
{
    temporary dir = tool_folder();
    run_wants(0, "simulate --scene soak --duration 200 -o oven.csv --quiet");
    tool_run r = run("smooth oven.csv"), steady = run("smooth handle.csv");
    ck_assert_ptr_nonnull(strstr(r.out, "\n  it moved by  "));
    ck_assert_ptr_nonnull(strstr(r.out, "deg/s, in the log\n"));
    ck_assert_ptr_null(strstr(steady.out, "moved"));
    run_free(&r);
    run_free(&steady);
    json_t *oven = run_json(0, "smooth oven.csv"), *gyro = json_object_get(oven, "gyro");
    json_t *moved = json_object_get(gyro, "bias_moved"), *sigma = json_object_get(gyro, "bias_moved_sigma");
    ck_assert_double_gt(fabs(json_number_value(json_array_get(moved, 1))),
                        5 * json_number_value(json_array_get(sigma, 1)));
    json_decref(oven);
    temporary_remove(&dir);
}
END_TEST

/* The magnetometer 40 ms late, and a gyroscope that reads 0.0002 rad/s for each m/s^2 along z, 0.11 deg/s per g. */
START_TEST(a_delay_and_forces_are_printed)
{
    temporary dir = tool_folder();
    run_wants(0, "simulate --scene poses --seed 6 -o poses.csv --quiet");
    ck_assert_int_eq(
        system("awk -F, 'BEGIN { OFS = \",\" } /^[0-9]/ { for (k = 8; k <= 10; k++) { a[NR, k] = $k; "
               "$k = a[NR - 4, k] } $5 += 0.0002 * $4 } { print }' poses.csv > late.csv"),
        0);
    tool_run r = run("smooth late.csv -o late.smooth.csv"), fine = run("smooth poses.csv");
    ck_assert_int_eq(r.code, 0);
    ck_assert_ptr_nonnull(strstr(r.out, "\nmagnetometer: "));
    ck_assert_ptr_nonnull(strstr(r.out, " later than the gyroscope; taken into account\n"));
    ck_assert_ptr_nonnull(strstr(r.out, "--tuning kalman:mag_delay=0.0"));
    ck_assert_ptr_nonnull(strstr(r.out, "\n  by force, x "));
    ck_assert_ptr_nonnull(strstr(r.out, "deg/s per g\n"));
    ck_assert_ptr_nonnull(strstr(r.err, "the magnetometer's readings are "));
    ck_assert_ptr_null(strstr(fine.out, "later than"));
    ck_assert_ptr_null(strstr(fine.out, "by force"));
    run_free(&r);
    run_free(&fine);
    r = run("compare late.csv --reference smooth --tuning kalman");
    ck_assert_ptr_nonnull(strstr(r.err, "compare with --tuning kalman:mag_delay=0.0"));
    run_free(&r);
    r = run("compare late.csv --reference smooth --tuning kalman:mag_delay=0.04");
    ck_assert_ptr_null(strstr(r.err, "mag_delay"));
    run_free(&r);
    json_t *late = run_json(0, "smooth late.csv");
    json_t *row = json_array_get(json_object_get(json_object_get(late, "gyro"), "by_force"), 0);
    ck_assert_double_eq_tol(json_at(late, "mag.delay_s"), 0.04, 5 * json_at(late, "mag.delay_sigma_s"));
    ck_assert_double_eq_tol(json_number_value(json_array_get(row, 2)), 0.0002, 1e-4);
    json_decref(late);
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE_OF_TRIALS("tool smooth", spoilt, what_is_not_trusted_is_not_written_and_decides_nothing,
                     CAMPAIGN(it_stands_in_for_the_rig), a_calibration_comes_of_any_motion,
                     an_option_says_that_a_log_is_calibrated, a_pendulum_names_its_lever_arm,
                     a_hard_iron_that_no_turn_shows_is_named, a_bias_that_moves_is_printed,
                     a_delay_and_forces_are_printed, what_it_needs_and_what_it_adds)
