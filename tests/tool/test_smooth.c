/* SPDX-License-Identifier: MIT
 * The tool's smoothed reference: files, verdicts, messages. */
#include "check_main.h"
#include "run_tool.h"
#include <math.h>

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

/* The gyroscope's matrix is shown when it is asked for, and added to a calibration only then. */
START_TEST(gyro_matrix_on_request)
{
    temporary dir = tool_folder();
    json_t *without = run_json(0, "smooth handle.csv --into a.json"), *with;
    with = run_json(0, "smooth handle.csv --gyro-matrix --into b.json");
    ck_assert_ptr_null(json_object_get(without, "gyro_matrix"));
    const json_t *matrix = json_object_get(with, "gyro_matrix");
    int added = 0;
    for (size_t i = 0; i < 9; i++) {
        const json_t *row = json_array_get(json_object_get(matrix, "added"), i / 3);
        added += json_is_true(json_array_get(row, i % 3));
        row = json_array_get(json_object_get(matrix, "remainder_sigma"), i / 3);
        ck_assert_double_gt(json_number_value(json_array_get(row, i % 3)), 0);
    }
    json_t *a = json_load_file("a.json", 0, NULL), *b = json_load_file("b.json", 0, NULL);
    ck_assert_ptr_null(json_object_get(a, "gyro"));
    ck_assert_int_eq(json_object_get(b, "gyro") != NULL, added > 0);
    ck_assert_int_gt(added, 0);
    json_decref(a);
    json_decref(b);
    json_decref(without);
    json_decref(with);
    tool_run r = run("smooth handle.csv --gyro-matrix");
    ck_assert_ptr_nonnull(strstr(r.out, "gyro matrix x"));
    run_free(&r);
    temporary_remove(&dir);
}
END_TEST

START_TEST(what_it_needs_and_what_it_adds)
{
    temporary dir = tool_folder();
    tool_run r = run("smooth handle.csv --into cal.json --window 0:38");
    ck_assert_int_eq(r.code, 0);
    ck_assert_ptr_nonnull(strstr(r.out, "what is left"));
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

MARL_SUITE("tool smooth", CAMPAIGN(it_stands_in_for_the_rig), gyro_matrix_on_request,
           what_it_needs_and_what_it_adds)
