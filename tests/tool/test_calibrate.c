/* SPDX-License-Identifier: MIT
 * Calibrating as a user does: recordings into one file, and what is refused. */
#include "check_main.h"
#include "run_tool.h"
#include <math.h>
#include <string.h>
#include <unistd.h>

/* A zero says by what it turns, and what it replaces. */
START_TEST(a_zero_says_what_it_turns)
{
    temporary dir = tool_folder();
    run_wants(0, "zero still.csv -o first.json --quiet");
    tool_run r = run("zero still.csv --into first.json");
    ck_assert_int_eq(r.code, 0);
    ck_assert_ptr_nonnull(strstr(r.out, "the mount turns readings by "));
    ck_assert_ptr_nonnull(strstr(r.out, "it replaces one that turned them by "));
    run_free(&r);
    json_t *j = run_json(0, "zero still.csv -o second.json");
    ck_assert(json_is_null(json_object_get(j, "before")));
    json_decref(j);
    temporary_remove(&dir);
}
END_TEST

static void record_all(int seed)
{
    static const char *const scenes[] = {"poses", "tumble", "turns", "soak", "still"};
    for (size_t i = 0; i < sizeof scenes / sizeof scenes[0]; i++) {
        run_wants(0, "simulate --scene %s --seed %d -o %s.csv --quiet", scenes[i], seed, scenes[i]);
    }
}

/* Sensor after sensor goes into one file, each keeping what the others found; then it holds on another day's
 * recording of the same sensor, and not on another sensor's. */
START_TEST(one_calibration_from_many_recordings)
{
    temporary dir = tool_folder();
    static const char *const steps[] = {"poses", "tumble", "turns", "soak", "axes", "still", "moves"};
    record_all(7);
    for (size_t i = 0; i < sizeof steps / sizeof steps[0]; i++) {
        const char *from = strcmp(steps[i], "axes") == 0    ? "tumble"
                           : strcmp(steps[i], "moves") == 0 ? "poses"
                                                            : steps[i];
        json_t *root = run_json(0, "calibrate %s %s.csv --into pod.json", steps[i], from);
        ck_assert_double_eq(json_at(root, "accepted"), 1);
        ck_assert_uint_eq(json_array_size(json_object_get(root, "next")), 0);
        json_t *list = json_object_get(root, steps[i]);
        for (size_t k = 0; k < json_array_size(list); k++) {
            ck_assert(json_is_boolean(json_object_get(json_array_get(list, k), "used")));
        }
        json_decref(root);
    }
    char *text = temporary_read("pod.json");
    json_t *cal = json_loads(text, 0, NULL);
    free(text);
    /* the sheet's own errors: bias in mg, scale in shares, slope in deg/s per degC */
    ck_assert_double_eq_tol(json_at(cal, "gyro.matrix.0.0"), 1 / 1.006, 1e-3);
    ck_assert_double_eq_tol(json_at(cal, "gyro.temperature.bias_per_degC.1") / 0.0174532925, -0.02, 4e-4);
    ck_assert_double_eq_tol(json_at(cal, "accel.matrix.2.2"), 1 - 0.0015, 1e-3);
    ck_assert_double_eq_tol(json_at(cal, "accel.temperature.bias_per_degC.0"), 0.15e-3 * 9.80665, 1e-4);
    ck_assert_double_eq_tol(json_at(cal, "mag.bias.0"), 0.3, 0.25);
    ck_assert_double_eq_tol(json_at(cal, "mag.dip_deg"), 61, 1);
    ck_assert_double_gt(json_at(cal, "mag.fit.coverage"), 0.8);
    json_decref(cal);
    run_wants(0, "zero still.csv --into pod.json --declination 3");
    /* hotter than the soak was: said by both */
    ck_assert_int_eq(
        system("awk -F, 'BEGIN { OFS = \",\" } /^[0-9]/ { $11 = 60 } { print }' still.csv > hot.csv"), 0);
    tool_run hot = run("inspect hot.csv --calibration pod.json");
    ck_assert(hot.code == 0 && strstr(hot.err, "beyond the temperatures of pod.json") != NULL);
    run_free(&hot);
    hot = run("inspect still.csv --calibration pod.json");
    ck_assert(hot.code == 0 && strstr(hot.err, "beyond the temperatures") == NULL);
    run_free(&hot);
    hot = run("verify pod.json hot.csv");
    ck_assert(strstr(hot.err, "its curve holds its end value") != NULL);
    run_free(&hot);
    run_wants(0, "simulate --scene lift --seed 7 -o lift7.csv --quiet");
    json_t *root = run_json(0, "verify pod.json lift7.csv");
    ck_assert_double_eq(json_at(root, "holds"), 1);
    ck_assert_double_eq(json_at(root, "accel.holds"), 1);
    ck_assert_double_gt(json_at(root, "mag.limit"), json_at(root, "mag.expected_rms"));
    json_decref(root);
    /* rest shows no direction of the field: whatever its bias, nothing would show */
    root = run_json(0, "verify pod.json still.csv");
    ck_assert(json_is_null(json_object_get(json_object_get(root, "mag"), "would_show")));
    json_decref(root);
    run_wants(0, "simulate --scene lift --seed 8 -o lift8.csv --quiet");
    root = run_json(1, "verify pod.json lift8.csv");
    ck_assert_double_eq(json_at(root, "gyro.holds"), 0);
    json_decref(root);
    tool_run r = run("verify pod.json lift8.csv");
    ck_assert(r.code == 1 && strstr(r.out, "  FAILS\n") != NULL && strstr(r.out, "nan") == NULL);
    run_free(&r);
    temporary_remove(&dir);
}
END_TEST

/* A bias that is off at another temperature: the temperature is named, but not where it is the same, nor where there is
 * no thermometer. */
START_TEST(a_temperature_that_may_explain_it_is_named)
{
    static const struct {
        const char *edit;
        int named;
        double warmer; /* NAN: not known */
    } row[] = {{"$5 = $5 + 0.01; $11 = $11 + 20", 1, 20},
               {"$5 = $5 + 0.01", 0, 0},
               {"$5 = $5 + 0.01; $11 = \"\"", 0, NAN}};
    temporary t = tool_folder();
    run_wants(0, "calibrate still still.csv -o cal.json --quiet");
    for (size_t i = 0; i < sizeof row / sizeof row[0]; i++) {
        char command[300];
        snprintf(command, sizeof command,
                 "awk -F, 'BEGIN { OFS = \",\" } /^[0-9]/ { %s } { print }' still.csv >other.csv",
                 row[i].edit);
        ck_assert_int_eq(system(command), 0);
        tool_run r = run("verify cal.json other.csv");
        int named = strstr(r.out, "that alone may be the reason; 'calibrate soak' finds the curve") != NULL;
        ck_assert_msg(r.code == 1 && named == row[i].named, "%s: exit %d: %s", row[i].edit, r.code, r.out);
        run_free(&r);
        json_t *root = run_json(1, "verify cal.json other.csv");
        const json_t *warmer = json_object_get(json_object_get(root, "gyro"), "warmer_degC");
        ck_assert(isnan(row[i].warmer) ? json_is_null(warmer)
                                       : fabs(json_number_value(warmer) - row[i].warmer) < 0.5);
        json_decref(root);
    }
    temporary_remove(&t);
}
END_TEST

/* Refused with its word, its exit code, and the calibration there was as it was. */
static const struct {
    const char *command;
    int code;
    const char *message;
} refusals[] = {
    {"calibrate nonsense still.csv", 2, "known: still, turns, poses, tumble, soak, axes"},
    {"calibrate poses", 2, "missing: still|turns|poses|tumble|soak|axes|moves LOG..."},
    {"calibrate poses still.csv --gravity -9", 2, "gravity in m/s^2"},
    {"calibrate tumble tumble.csv --hemisphere east", 2, "--hemisphere is north or south"},
    {"calibrate axes tumble.csv --figure a.png", 2, "--figure is of all but axes"},
    {"calibrate axes tumble.csv --up w", 2, "--up is one of x y z"},
    {"calibrate still still.csv --latitude 95", 2, "--latitude is from -90 to 90"},
    {"zero still.csv --declination 200", 2, "--declination is from -180 to 180"},
    {"calibrate poses still.csv", 4, "next: no pose with"},
    {"calibrate poses tumble.csv", 4, "six are the least"},
    {"calibrate tumble still.csv", 4, "it was not turned, or there is no field"},
    {"calibrate tumble flat.csv", 4, "next: "},
    {"calibrate turns still.csv", 4, "next: turn the pod about its x axis by 360 degrees"},
    {"calibrate turns turns.csv --turn-angle 200", 4, "two are the least"},
    {"calibrate soak poses.csv", 4, "the board moved"},
    {"calibrate soak still.csv", 4, "next: cool the pod down"},
    {"calibrate axes still.csv", 4, "this motion does not determine the arrangement of the axes"},
    {"calibrate tumble one.csv", 4, "needs mag_x, mag_y, mag_z"},
    {"calibrate tumble stuck.csv", 4, "mag_y is stuck"},
    {"calibrate tumble clipped.csv", 4, "is clipped in"},
    {"calibrate poses corrected.csv", 3, "corrected.csv:1: is corrected already"},
    {"calibrate tumble corrected.csv", 3, "corrected.csv:1: is corrected already"},
    {"calibrate turns corrected.csv", 3, "corrected.csv:1: is corrected already"},
    {"calibrate axes corrected.csv", 3, "corrected.csv:1: is corrected already"},
    {"zero corrected.csv", 3, "corrected.csv:1: is corrected already"},
    {"zero tumbling.csv", 4, "never at rest"},
    {"calibrate poses other.csv", 3, "is of device"},
    {"calibrate poses grams.csv", 3, "grams.csv:1: at rest the accelerometer reads"},
    {"calibrate moves still.csv", 4, "moves from rest to rest; 8 are the least"},
    {"calibrate moves rates.csv", 4, "rates.csv: needs accel_x, accel_y, accel_z"},
    {"calibrate poses single.csv", 4, "single.csv: "},
    {"calibrate moves corrected.csv", 3, "corrected.csv:1: is corrected already"},
};

START_TEST(each_refusal)
{
    temporary dir = tool_folder();
    record_all(7);
    run_wants(0, "calibrate poses poses.csv -o pod.json --quiet");
    run_wants(0, "correct poses.csv --calibration pod.json -o corrected.csv");
    run_wants(0, "simulate --scene poses --device pod-08 -o other.csv --quiet");
    ck_assert_int_eq(
        system("cut -d, -f1-7 still.csv > one.csv;"
               "awk -F, 'BEGIN { OFS = \",\" } /^[0-9]/ && $9 != \"\" { $9 = 3 } { print }' tumble.csv > "
               "stuck.csv;"
               "awk -F, 'BEGIN { OFS = \",\" } /^[0-9]/ && $8 != \"\" { if ($8 > 20) $8 = 20 } { print }' "
               "tumble.csv > clipped.csv;"
               "awk -F, 'BEGIN { OFS = \",\" } /^[0-9]/ && $8 != \"\" { $8 = 20 * cos($1) + 0.01 * $8; "
               "$9 = 20 * sin($1) + 0.01 * $9; $10 = -40 + 0.01 * $10 } { print }' tumble.csv > flat.csv;"
               "awk -F, 'BEGIN { OFS = \",\" } /^[0-9]/ { $2 /= 9.80665; $3 /= 9.80665; $4 /= 9.80665 } "
               "{ print }' poses.csv > grams.csv;"
               "awk -F, 'BEGIN { OFS = \",\" } /^#/ { print; next } { print $1, $5, $6, $7 }' poses.csv > "
               "rates.csv;"
               "printf 't[s],accel_x[m/s^2],accel_y[m/s^2],accel_z[m/s^2]\\n0,1,2,3\\n' > single.csv;"
               "awk -F, '!/^[0-9]/ || $1 > 6' tumble.csv > tumbling.csv"),
        0);
    for (size_t i = 0; i < sizeof refusals / sizeof refusals[0]; i++) {
        char *before = temporary_read("pod.json");
        int figure = strstr(refusals[i].command, "--figure") != NULL;
        tool_run r = run("%s%s", refusals[i].command, figure ? "" : " --into pod.json");
        char *after = temporary_read("pod.json");
        ck_assert_msg(r.code == refusals[i].code && strstr(r.err, refusals[i].message) != NULL,
                      "%s: exit %d: %s", refusals[i].command, r.code, r.err);
        ck_assert_str_eq(before, after);
        run_free(&r);
        if (refusals[i].code == 4 && strncmp(refusals[i].command, "zero", 4) != 0) {
            json_t *root = run_json(4, "%s", refusals[i].command);
            ck_assert_double_eq(json_at(root, "accepted"), 0);
            ck_assert(json_is_object(json_object_get(root, "calibration")));
            ck_assert_uint_ge(json_array_size(json_object_get(root, "next")), 1);
            json_decref(root);
        }
        free(before);
        free(after);
    }
    temporary_remove(&dir);
}
END_TEST

/* Runs that change one file at the same time wait for each other: nothing of any of them is lost. */
START_TEST(runs_at_the_same_time_lose_nothing)
{
    temporary dir = tool_folder();
    run_wants(0, "simulate --scene poses -o poses.csv --quiet");
    char command[1000];
    snprintf(command, sizeof command,
             "'%s' calibrate still still.csv --into pod.json --quiet & a=$!; '%s' calibrate poses poses.csv "
             "--into pod.json --quiet & b=$!; '%s' zero still.csv --into ./pod.json --quiet & c=$!; "
             "wait $a && wait $b && wait $c",
             TOOL, TOOL, TOOL);
    for (int i = 0; i < 12; i++) {
        unlink("pod.json");
        ck_assert_int_eq(system(command), 0);
        json_t *pod = json_load_file("pod.json", 0, NULL);
        ck_assert(json_is_object(json_object_get(pod, "gyro")) &&
                  json_is_object(json_object_get(pod, "accel")));
        ck_assert(json_is_object(json_object_get(pod, "mount")));
        json_decref(pod);
    }
    temporary_remove(&dir);
}
END_TEST

/* Figures of all that have one, options that change the result, cells that are no numbers. */
START_TEST(options_and_figures)
{
    temporary dir = tool_folder();
    record_all(3);
    static const char *const drawn[] = {"poses", "tumble", "turns", "soak", "still", "moves"};
    for (size_t i = 0; i < sizeof drawn / sizeof drawn[0]; i++) {
        const char *from = strcmp(drawn[i], "moves") == 0 ? "poses" : drawn[i];
        run_wants(0, "calibrate %s %s.csv --into all.json --figure %s.svg --report %s.html --quiet", drawn[i],
                  from, drawn[i], drawn[i]);
        char name[40];
        snprintf(name, sizeof name, "%s.svg", drawn[i]);
        char *figure = temporary_read(name);
        ck_assert_ptr_nonnull(strstr(figure, "<svg"));
        free(figure);
    }
    run_wants(0, "verify all.json poses.csv --figure verify.svg --report verify.html --quiet");
    char *page = temporary_read("verify.html");
    ck_assert(strstr(page, "<!DOCTYPE html>") == page && strstr(page, "default-src 'none'") != NULL);
    free(page);
    json_t *root = run_json(0, "calibrate tumble tumble.csv --field 51.5");
    ck_assert_double_eq_tol(json_at(root, "mag.field"), 51.5, 1e-9);
    json_decref(root);
    root = run_json(0, "calibrate tumble tumble.csv --quick");
    ck_assert_ptr_nonnull(strstr(json_string_value(json_object_get(root, "model")), "rough first result"));
    ck_assert(json_is_null(json_array_get(json_object_get(json_object_get(root, "mag"), "bias_sigma"), 0)));
    json_decref(root);
    /* two halves of a recording are as good as the whole */
    ck_assert_int_eq(system("awk -F, '!/^[0-9]/ || $1 < 60' poses.csv > a.csv; awk -F, '!/^[0-9]/ || $1 >= "
                            "60' poses.csv > b.csv"),
                     0);
    json_t *halves = run_json(0, "calibrate poses a.csv b.csv"),
           *whole = run_json(0, "calibrate poses poses.csv");
    ck_assert_double_eq(json_at(halves, "accel.fit.points"), json_at(whole, "accel.fit.points"));
    ck_assert_double_eq_tol(json_at(halves, "accel.bias.2"), json_at(whole, "accel.bias.2"), 1e-3);
    json_decref(halves);
    json_decref(whole);
    run_wants(0, "simulate --scene poses --device pod-08 -o other.csv --quiet");
    run_wants(3, "calibrate poses a.csv other.csv");
    json_t *plain = run_json(0, "calibrate poses poses.csv");
    root = run_json(0, "calibrate poses poses.csv --gravity 9.78");
    ck_assert_double_eq_tol(json_at(root, "accel.matrix.1.1") / json_at(plain, "accel.matrix.1.1"),
                            9.78 / 9.80665, 1e-7);
    json_decref(root);
    json_decref(plain);
    ck_assert_int_eq(
        system(
            "awk -F, 'BEGIN { OFS = \",\" } /^[0-9]/ && NR % 50 == 7 { $2 = \"nan\" } { print }' poses.csv > "
            "holes.csv"),
        0);
    tool_run r = run("calibrate poses holes.csv");
    ck_assert(r.code == 0 && strstr(r.err, "no usable number; 240 such cells") != NULL);
    run_free(&r);
    run_wants(5, "calibrate poses poses.csv -o no/such/folder.json");
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE("calibrate", a_temperature_that_may_explain_it_is_named, each_refusal,
           one_calibration_from_many_recordings, CAMPAIGN(runs_at_the_same_time_lose_nothing),
           a_zero_says_what_it_turns, options_and_figures)
