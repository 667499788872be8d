/* SPDX-License-Identifier: MIT
 * The tool's search: what is written is what is printed, and wrong use leaves nothing behind. */
#include "check_main.h"
#include "run_tool.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <unistd.h>

#define LIFT "search lift.csv --reference lift.reference.csv --calibrated "

/* The tuning in the file has, by compare, the score that search states, and the default the other. */
START_TEST(compare_confirms_what_search_states)
{
    temporary dir = tool_folder();
    json_t *made = run_json(
        0, LIFT "--filter complementary:tilt_time=0.2 --vary tilt_time -o best.json --sweep-out trials.csv "
                "--figure curve.svg");
    json_t *compared =
        run_json(0, "compare lift.csv --reference lift.reference.csv --calibrated --tuning best.json "
                    "--tuning complementary:tilt_time=0.2");
    json_t *file = json_load_file("best.json", 0, NULL);
    const json_t *runs = json_object_get(compared, "runs");
    double found =
        json_number_value(json_object_get(json_object_get(json_array_get(runs, 0), "error_deg"), "rms"));
    double standard =
        json_number_value(json_object_get(json_object_get(json_array_get(runs, 1), "error_deg"), "rms"));
    ck_assert(!json_is_true(json_object_get(made, "default_kept")));
    ck_assert_double_eq_tol(json_at(made, "score"), found, 1e-5);
    ck_assert_double_eq_tol(json_at(made, "default_score"), standard, 1e-5);
    ck_assert_double_lt(found, standard);
    const json_t *evidence = json_object_get(file, "evidence");
    ck_assert_double_eq_tol(json_number_value(json_object_get(evidence, "score")), found, 1e-5);
    ck_assert_str_eq(json_string_value(json_object_get(evidence, "goal")), "total.rms");
    ck_assert_int_eq(access("trials.csv", R_OK), 0);
    ck_assert_int_eq(access("curve.svg", R_OK), 0);
    json_decref(made);
    json_decref(compared);
    json_decref(file);
    temporary_remove(&dir);
}
END_TEST

START_TEST(the_answer_comes_first)
{
    temporary dir = tool_folder();
    tool_run r =
        run(LIFT "--filter complementary:tilt_time=0.2 --vary tilt_time --vary heading_time=5:50 --limit 60 "
                 "--trade tilt_time --figure trade.png");
    ck_assert_int_eq(r.code, 0);
    ck_assert_msg(strncmp(r.out, "Better than the default", 23) == 0, "%s", r.out);
    ck_assert_ptr_nonnull(strstr(r.out, "chosen  complementary:tilt_time="));
    ck_assert_ptr_nonnull(strstr(r.out, "second halves"));
    ck_assert_ptr_nonnull(strstr(r.out, "5 to 50"));
    ck_assert_ptr_nonnull(strstr(r.out, "jitter, deg"));
    run_free(&r);
    r = run(LIFT "--vary reset_speed --quiet -o kept.json");
    ck_assert(r.code == 0 && r.out[0] == '\0');
    run_free(&r);
    json_t *kept = run_json(0, "tuning kept.json"), *standard = run_json(0, "tuning kalman");
    ck_assert(json_equal(json_object_get(kept, "parameters"), json_object_get(standard, "parameters")));
    json_decref(kept);
    json_decref(standard);
    /* switches, filters that compete, a weighted goal, the smoothed log, held-out logs */
    json_t *made =
        run_json(0, LIFT "--filter complementary --filter gradient-descent --vary weighting "
                         "--goal tilt.rms+0.01*lag --limit 20 --hold-out handle.csv=handle.reference.csv");
    ck_assert_str_eq(json_string_value(json_object_get(json_object_get(made, "hold_out"), "by")),
                     "held-out logs");
    ck_assert_str_eq(json_string_value(json_object_get(made, "goal")), "tilt.rms+0.01*lag");
    json_decref(made);
    run_wants(0,
              "search handle.csv --reference smooth --calibrated --filter complementary --vary tilt_time "
              "--limit 20 "
              "--worst --from-sheet %s/grommet.json",
              CHIPS "/../sheets");
    temporary_remove(&dir);
}
END_TEST

START_TEST(wrong_use_is_refused)
{
    static const struct {
        int code;
        const char *words, *message;
    } bad[] = {
        {2, "--filter complementary --vary beta", "no parameter of complementary"},
        {2, "--filter complementary --vary tilt_tim", "(tilt_time?)"},
        {2, "--filter complementary --vary tilt_time=2:1", "upside down"},
        {2, "--filter complementary --vary tilt_time=1:1e7", "may be from"},
        {2, "--filter nothing", "neither a file nor a filter"},
        {2, "--filter gyro", "nothing that is worth varying"},
        {2, "--limit 0", "above 0"},
        {2, "--limit 5m", "seconds (20s)"},
        {2, "--limit 0s", "above 0"},
        {2, "--goal total", "no measure"},
        {2, "--hold-out lift.csv", "LOG=REFERENCE"},
        {2, "--hold-out copy.csv=lift.reference.csv", "proves nothing"},
        {2, "--threads 1000", "1 to 64"},
        {2, "--figure a.pdf", ".png"},
        {2, "-o lift.csv", "lift.csv"},
        {2, "--vary mag_noise --limit 5 --trade beta", "--trade"},
        {3, "--from-sheet nothing.json", "nothing.json"},
        {4, "--goal drift --window 0:40", "drift"},
        {4, "--window 0:25", "too short"},
        {5, "--vary mag_noise --limit 5 -o nowhere/best.json", "nowhere"},
    };
    temporary dir = tool_folder();
    ck_assert_int_eq(system("cp lift.csv copy.csv"), 0);
    for (size_t i = 0; i < sizeof bad / sizeof bad[0]; i++) {
        tool_run r = run(LIFT "%s", bad[i].words);
        ck_assert_msg(r.code == bad[i].code, "%s: exit %d: %s", bad[i].words, r.code, r.err);
        ck_assert_msg(strstr(r.err, bad[i].message) != NULL, "%s: %s", bad[i].words, r.err);
        run_free(&r);
    }
    run_wants(2, "search lift.csv");
    run_wants(2, "search --case lift.csv");
    ck_assert_int_ne(access("best.json", F_OK), 0);
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE("tool: search", compare_confirms_what_search_states, the_answer_comes_first, wrong_use_is_refused)
