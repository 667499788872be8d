/* SPDX-License-Identifier: MIT
 * The tool on the demo data and on good input, as a user drives it. */
#include "check_main.h"
#include "run_tool.h"
#include <math.h>
#include <sys/resource.h>

/* The noise of the sheet comes out of a recording at rest; what it cannot show is null. */
START_TEST(a_sheet_is_made_of_a_recording)
{
    temporary t = tool_folder();
    run_wants(0, "inspect still.csv --sheet-out pod.json --quiet");
    run_wants(0, "simulate --scene still --duration 60 --sheet pod.json -o again.csv --quiet");
    json_t *a = run_json(0, "inspect still.csv"), *b = run_json(0, "inspect again.csv");
    ck_assert_double_eq_tol(
        json_at(b, "sensors.gyro.noise.white.0") / json_at(a, "sensors.gyro.noise.white.0"), 1, 0.05);
    ck_assert_double_eq_tol(json_at(b, "sensors.mag.noise.white.1") / json_at(a, "sensors.mag.noise.white.1"),
                            1, 0.1);
    ck_assert_double_eq_tol(json_at(b, "sensors.gyro.mean.2"), json_at(a, "sensors.gyro.mean.2"), 1e-4);
    json_decref(a);
    json_decref(b);
    run_wants(0, "simulate --scene tumble --duration 20 --seed 3 -o moving.csv --quiet");
    ck_assert_int_eq(system("awk -F, -v OFS=, 'NR<=2||$1>4' moving.csv >never.csv"), 0);
    tool_run r = run("inspect never.csv --sheet-out none.json");
    ck_assert_int_eq(r.code, 4);
    ck_assert_ptr_nonnull(strstr(
        r.err, "never.csv: the longest still span without a gap lasts 0 s; noise needs at least 10.2 s"));
    ck_assert(access("none.json", F_OK) != 0);
    run_free(&r);
    temporary_remove(&t);
}
END_TEST

static int given(const json_t *root, const char *code, const char *text)
{
    const json_t *list = json_object_get(root, "warnings");
    for (size_t i = 0; i < json_array_size(list); i++) {
        const json_t *item = json_array_get(list, i);
        if (strcmp(json_string_value(json_object_get(item, "code")), code) == 0 &&
            strstr(json_string_value(json_object_get(item, "text")), text) != NULL) {
            return 1;
        }
    }
    return 0;
}

/* The gyroscope turned about z, in degrees that the header calls nothing; the accelerometer in g. */
START_TEST(inspect_suspects_units_and_axes)
{
    temporary t = tool_folder();
    run_wants(0, "simulate --scene tumble --seed 2 -o right.csv --quiet");
    ck_assert_int_eq(
        system("awk -F, -v OFS=, 'NR<=2{print;next}{g=$5;$5=-$6*57.29578;$6=g*57.29578;$7*=57.29578;"
               "$2/=9.80665;$3/=9.80665;$4/=9.80665;print}' right.csv >mixed.csv"),
        0);
    json_t *root = run_json(0, "inspect right.csv");
    ck_assert(!given(root, "axes-suspect", "") && !given(root, "units-suspect", ""));
    ck_assert_str_eq(
        json_string_value(json_object_get(json_object_get(json_object_get(root, "axes"), "gyro"), "verdict")),
        "decided");
    ck_assert_double_eq_tol(json_at(root, "axes.dip_deg"), 61.2, 2);
    json_decref(root);
    root = run_json(0, "inspect mixed.csv");
    ck_assert(given(root, "units-suspect", "reads 1.006 in length: probably g, not m/s^2"));
    ck_assert(given(root, "units-suspect", "probably deg/s labelled as rad/s"));
    ck_assert(given(root, "axes-suspect", "the gyroscope's stand so: x = +y, y = -x, z = +z"));
    ck_assert(!given(root, "axes-suspect", "magnetometer"));
    json_decref(root);
    root = run_json(0, "inspect still.csv");
    ck_assert_str_eq(
        json_string_value(json_object_get(json_object_get(json_object_get(root, "axes"), "gyro"), "verdict")),
        "undecided");
    ck_assert(!given(root, "axes-suspect", "") && !given(root, "units-suspect", ""));
    json_decref(root);
    tool_run r = run("inspect still.csv");
    ck_assert_ptr_nonnull(strstr(r.out, "axes against the accelerometer's: not shown by this motion"));
    run_free(&r);
    temporary_remove(&t);
}
END_TEST

START_TEST(inspect_reports_the_noise)
{
    temporary t = tool_folder();
    json_t *root = run_json(0, "inspect still.csv --figure still.png");
    const double deg = 0.017453292519943295;
    ck_assert_double_eq_tol(json_at(root, "sensors.gyro.noise.white.1") / (0.006 * deg), 1, 0.03);
    ck_assert_double_eq_tol(json_at(root, "sensors.accel.noise.white.0") / (0.12e-3 * 9.80665), 1, 0.03);
    ck_assert_double_eq_tol(json_at(root, "sensors.mag.noise.white.2") / 0.08, 1, 0.06);
    json_t *walk = json_object_get(
        json_object_get(json_object_get(json_object_get(root, "sensors"), "gyro"), "noise"), "walk");
    ck_assert(json_is_null(json_array_get(walk, 0)));
    ck_assert_double_gt(json_at(root, "sensors.gyro.noise.walk_max.0"), 1e-4 * deg); /* which is there */
    ck_assert_double_eq(json_at(root, "sensors.gyro.clipped.0"), 0);
    ck_assert_double_eq(json_at(root, "sensors.gyro.stuck.2"), 0);
    json_decref(root);
    char *figure = temporary_read("still.png");
    ck_assert_ptr_nonnull(figure);
    ck_assert_int_eq(memcmp(figure + 1, "PNG", 3), 0);
    free(figure);
    tool_run r = run("inspect still.csv");
    ck_assert_ptr_nonnull(strstr(r.out, "white, unit/sqrt(Hz)"));
    run_free(&r);
    run_wants(0, "simulate --scene tumble --duration 10 --seed 3 -o moving.csv --quiet");
    r = run("inspect moving.csv --figure moving.png --quiet"); /* some rest at its begin */
    ck_assert_int_eq(r.code, 0);
    run_free(&r);
    run_wants(2, "inspect still.csv --figure still.pdf");
    temporary_remove(&t);
}
END_TEST

START_TEST(help_is_there_for_all)
{
    temporary dir = tool_folder();
    tool_run all = run("--help");
    ck_assert_int_eq(all.code, 0);
    int commands = 0;
    for (char *line = strtok(all.out, "\n"); line != NULL; line = strtok(NULL, "\n")) {
        char command[32];
        if (strncmp(line, "  ", 2) != 0 || sscanf(line, " %31s", command) != 1) {
            continue;
        }
        commands++;
        tool_run r = run("%s --help", command);
        ck_assert_int_eq(r.code, 0);
        ck_assert_ptr_nonnull(strstr(r.out, "Example: marlinspike "));
        ck_assert_str_eq(r.err, "");
        run_free(&r);
    }
    ck_assert_int_ge(commands, 12);
    run_free(&all);
    run_wants(0, "--version");
    temporary_remove(&dir);
}
END_TEST

START_TEST(simulate_makes_log_and_truth)
{
    temporary dir = tool_folder();
    json_t *made =
        run_json(0, "simulate --scene lift --duration 5 --rate 200 --seed 3 -o a.csv --truth t.csv");
    ck_assert_double_eq(json_at(made, "rows"), 1000);
    json_decref(made);
    json_t *log = run_json(0, "inspect a.csv");
    ck_assert_double_eq_tol(json_at(log, "sensors.gyro.rate_hz"), 200, 1e-6);
    ck_assert_double_eq_tol(json_at(log, "sensors.mag.rate_hz"), 25, 1e-6);
    ck_assert_str_eq(json_string_value(json_object_get(log, "device")), "pod-07");
    json_decref(log);
    run_wants(0, "simulate --scene lift --duration 5 --rate 200 --seed 3 -o b.csv --quiet");
    ck_assert_int_eq(system("cmp -s a.csv b.csv"), 0);
    run_wants(0, "simulate --scene lift --duration 5 --rate 200 --seed 4 -o b.csv --quiet");
    ck_assert_int_ne(system("cmp -s a.csv b.csv"), 0);
    char *truth = temporary_read("t.csv");
    ck_assert_int_eq(strncmp(truth, "t[s],q_w,q_x,q_y,q_z\n0.000000000,", 33), 0);
    free(truth);
    temporary_remove(&dir);
}
END_TEST

START_TEST(inspect_lists_what_is_there)
{
    temporary dir = tool_folder();
    json_t *r = run_json(0, "inspect lift.csv");
    ck_assert_double_eq(json_at(r, "rows"), 12000);
    ck_assert_double_eq(json_at(r, "rows_dropped"), 0);
    ck_assert_double_eq_tol(json_at(r, "duration_s"), 119.99, 1e-6);
    ck_assert_double_eq_tol(json_at(r, "sensors.accel.rate_hz"), 100, 1e-6);
    ck_assert_double_eq(json_at(r, "sensors.accel.gaps"), 0);
    ck_assert_double_eq_tol(json_at(r, "sensors.accel.mean.2"), 9.85, 0.1);
    ck_assert_double_gt(json_at(r, "sensors.gyro.deviation.0"), 0.01);
    ck_assert_uint_eq(json_array_size(json_object_get(r, "still_spans")), 2);
    ck_assert_double_eq_tol(json_at(r, "still_spans.0.1"), 10, 1.01);
    ck_assert_uint_eq(json_array_size(json_object_get(r, "warnings")), 0);
    json_decref(r);
    tool_run table = run("inspect lift.csv");
    ck_assert(table.code == 0 && strstr(table.out, "100.00") && strstr(table.out, "still: ") &&
              table.err[0] == '\0');
    run_free(&table);
    table = run("inspect lift.csv --quiet");
    ck_assert(table.code == 0 && table.out[0] == '\0');
    run_free(&table);
    temporary_remove(&dir);
}
END_TEST

START_TEST(calibrate_merges_and_keeps_the_rest)
{
    temporary dir = tool_folder();
    json_t *r = run_json(0, "calibrate still still.csv --into c.json");
    ck_assert_double_eq(json_at(r, "accepted"), 1);
    ck_assert_uint_eq(json_array_size(json_object_get(r, "next")), 0);
    double bias = json_at(r, "gyro.bias.0"), sigma = json_at(r, "gyro.bias_sigma.0");
    ck_assert(fabs(bias) > 1e-3 && fabs(bias) < 0.03 && sigma > 1e-6 && sigma < 1e-4);
    ck_assert_double_eq_tol(json_at(r, "gyro.fit.temperature_degC"), 24, 1e-6);
    json_decref(r);
    temporary_text(&dir, "c.json",
                   "{\"marlinspike\": \"calibration/1\", \"device\": \"pod-07\", \"mag\": {\"bias\": "
                   "[1,2,3], \"field\": 48}}");
    run_wants(0, "calibrate still still.csv --into c.json");
    json_t *file = json_load_file("c.json", 0, NULL);
    ck_assert_double_eq(json_at(file, "mag.bias.1"), 2);
    ck_assert_double_eq_tol(json_at(file, "gyro.bias.0"), bias, 1e-9 + 1e-8 * fabs(bias));
    ck_assert_str_eq(json_string_value(json_object_get(file, "device")), "pod-07");
    json_decref(file);
    tool_run only = run("calibrate still still.csv"); /* shown, not kept */
    ck_assert(only.code == 0 && strstr(only.out, "not written") != NULL);
    run_free(&only);
    temporary_remove(&dir);
}
END_TEST

START_TEST(a_board_that_moved_is_refused)
{
    temporary dir = tool_folder();
    temporary_text(&dir, "c.json", "{\"marlinspike\": \"calibration/1\"}\n");
    json_t *r = run_json(4, "calibrate still lift.csv --into c.json");
    ck_assert_double_eq(json_at(r, "accepted"), 0);
    ck_assert_ptr_nonnull(json_object_get(json_object_get(r, "calibration"), "gyro"));
    ck_assert_uint_eq(json_array_size(json_object_get(r, "next")), 1);
    json_decref(r);
    temporary_text(&dir, "header.csv", "t,gyro_x,gyro_y,gyro_z\n");
    json_t *none = run_json(4, "calibrate still header.csv");
    ck_assert_double_eq(json_at(none, "accepted"), 0);
    json_decref(none);
    tool_run reported = run("calibrate still lift.csv -o new.json");
    ck_assert(reported.code == 4 && strstr(reported.err, "the board moved for") &&
              strstr(reported.err, "next: lay the pod down"));
    ck_assert_int_ne(access("new.json", F_OK), 0);
    run_free(&reported);
    char *old = temporary_read("c.json");
    ck_assert_str_eq(old, "{\"marlinspike\": \"calibration/1\"}\n");
    free(old);
    temporary_remove(&dir);
}
END_TEST

/* Correcting a log and replaying it is the same as replaying with the calibration, to the bit. */
START_TEST(corrected_log_gives_the_same_attitudes)
{
    temporary dir = tool_folder();
    run_wants(0, "calibrate still still.csv --into c.json");
    run_wants(0, "correct lift.csv --calibration c.json -o k.csv");
    json_t *a = run_json(0, "replay lift.csv --calibration c.json -o a.csv"),
           *b = run_json(0, "replay k.csv -o b.csv");
    ck_assert_str_eq(json_string_value(json_object_get(a, "digest")),
                     json_string_value(json_object_get(b, "digest")));
    ck_assert_double_eq(json_at(a, "attitudes"), 12000);
    /* kalman, too, which assumes other errors of what this calibration leaves as it is */
    json_t *c = run_json(0, "replay lift.csv --calibration c.json --tuning kalman"),
           *d = run_json(0, "replay k.csv --tuning kalman");
    ck_assert_str_eq(json_string_value(json_object_get(c, "digest")),
                     json_string_value(json_object_get(d, "digest")));
    json_decref(c);
    json_decref(d);
    tool_run part = run("replay k.csv"), stated = run("replay k.csv --calibrated");
    ck_assert_ptr_nonnull(strstr(part.err, "k.csv: not calibrated: accelerometer, magnetometer."));
    ck_assert_ptr_null(strstr(stated.err, "not calibrated"));
    run_free(&part);
    run_free(&stated);
    ck_assert_str_eq(json_string_value(json_object_get(a, "heading")), "magnetic");
    json_decref(a);
    json_decref(b);
    ck_assert_int_eq(system("cmp -s a.csv b.csv"), 0);
    tool_run digest = run("replay k.csv --digest");
    ck_assert_ptr_nonnull(strstr(digest.out, "digest: "));
    run_free(&digest);
    /* the attitudes are themselves a reference: no error against themselves but the writing to 9 digits */
    json_t *self = run_json(0, "compare k.csv --reference a.csv --tuning complementary");
    ck_assert_double_lt(json_at(self, "runs.0.error_deg.max"), 1e-4);
    json_decref(self);
    temporary_remove(&dir);
}
END_TEST

/* One start for all: said or taken from the reference, it is where the first attitude lies. */
START_TEST(a_replay_starts_at_the_given_attitude)
{
    temporary dir = tool_folder();
    json_t *r = run_json(0, "compare lift.csv --reference lift.reference.csv --start reference");
    for (size_t i = 0; i < 5; i++) {
        const json_t *one = json_array_get(json_object_get(r, "runs"), i);
        ck_assert_msg(i != 4 || json_at(one, "settle_s") == 0, "run %zu", i); /* kalman */
        ck_assert(json_is_number(json_object_get(json_object_get(one, "invalid"), "accel")));
    }
    json_decref(r);
    run_wants(0, "replay lift.csv --tuning kalman --start 0.5,0.5,-0.5,0.5 -o a.csv --figure a.svg");
    char *text = temporary_read("a.csv"), *svg = temporary_read("a.svg");
    ck_assert_ptr_nonnull(
        strstr(text, "t[s],q_w,q_x,q_y,q_z,weight_accel,weight_mag\n0.000000000,0.5,0.5,-0.5,0.5,"));
    ck_assert_ptr_nonnull(strstr(svg, "weight in the estimate"));
    free(text);
    free(svg);
    /* what a replay wrote is a log with an attitude of its own, and a reference */
    run_wants(4, "replay lift.csv --start reference");
    run_wants(2, "replay lift.csv --start 1,2,3");
    run_wants(2, "compare lift.csv --reference a.csv --start north");
    json_t *sheet = run_json(0, "replay lift.csv --tuning kalman --sheet %s/../sheets/grommet.json", DEMO);
    json_t *plain = run_json(0, "replay lift.csv --tuning kalman");
    ck_assert_str_ne(json_string_value(json_object_get(sheet, "digest")),
                     json_string_value(json_object_get(plain, "digest")));
    json_decref(sheet);
    json_decref(plain);
    temporary_remove(&dir);
}
END_TEST

/* A gap of ten seconds takes its rows, and restarts the filter once; the page of a replay holds its digest. */
START_TEST(a_gap_and_a_page_of_a_replay)
{
    temporary dir = tool_folder();
    json_t *whole = run_json(0, "replay lift.csv --tuning kalman");
    json_t *torn = run_json(0, "replay lift.csv --tuning kalman --gap 50:60 --report torn.html");
    ck_assert_double_eq(json_at(torn, "attitudes"), json_at(whole, "attitudes") - 1000);
    ck_assert_double_eq(json_at(torn, "restarts"), json_at(whole, "restarts") + 1);
    char *page = temporary_read("torn.html"), wanted[40];
    snprintf(wanted, sizeof wanted, "\"digest\":\"%s\"", json_string_value(json_object_get(torn, "digest")));
    ck_assert_ptr_nonnull(strstr(page, wanted));
    ck_assert_ptr_nonnull(strstr(page, "\"gap\":[50.0,60.0]"));
    free(page);
    json_decref(torn);
    json_decref(whole);
    temporary_remove(&dir);
}
END_TEST

/* A start by the attitude that the log itself holds is that of its page, too. */
START_TEST(a_page_starts_where_its_replay_does)
{
    temporary dir = tool_folder();
    char rows[4000] = "t[s],accel_x,accel_y,accel_z,gyro_x,gyro_y,gyro_z,q_w,q_x,q_y,q_z\n", wanted[40];
    for (int i = 0; i < 40; i++) {
        char row[80];
        snprintf(row, sizeof row, "%.2f,0.1,0.2,9.8,0.01,0.02,0.3,0.5,0.5,-0.5,0.5\n", 0.01 * i);
        strcat(rows, row);
    }
    temporary_text(&dir, "own.csv", rows);
    json_t *r = run_json(0, "replay own.csv --tuning complementary --start reference --report own.html");
    json_t *plain = run_json(0, "replay own.csv --tuning complementary");
    ck_assert(!json_equal(json_object_get(r, "digest"), json_object_get(plain, "digest")));
    char *page = temporary_read("own.html");
    snprintf(wanted, sizeof wanted, "\"digest\":\"%s\"", json_string_value(json_object_get(r, "digest")));
    ck_assert_ptr_nonnull(strstr(page, wanted));
    free(page);
    json_decref(plain);
    json_decref(r);
    temporary_remove(&dir);
}
END_TEST

/* Largest resident size of all children so far, KiB. */
static long peak_kib(void)
{
    struct rusage usage;
    ck_assert_int_eq(getrusage(RUSAGE_CHILDREN, &usage), 0);
    return usage.ru_maxrss;
}

START_TEST(memory_stays_flat_from_file_to_file)
{
    temporary dir = tool_folder();
    run_wants(0, "simulate --scene lift --duration 60 -o short.csv --quiet");
    run_wants(0, "simulate --scene lift --duration 600 -o long.csv --quiet");
    run_wants(0, "replay short.csv -o a.csv --quiet");
    long before = peak_kib();
    run_wants(0, "replay long.csv -o a.csv --quiet");
    long after = peak_kib();
    ck_assert_msg((double)after < 1.2 * (double)before, "%ld and %ld KiB", before, after);
    temporary_remove(&dir);
}
END_TEST

START_TEST(demo_does_the_whole_job)
{
    temporary dir = tool_folder();
    tool_run r = run("demo made");
    ck_assert_msg(r.code == 0, "%s", r.err);
    const char *const given[] = {"$ cd made\n",
                                 "$ marlinspike calibrate poses poses.csv",
                                 "bias, scale and misalignment of the accelerometer",
                                 "the calibration holds",
                                 "$ marlinspike calibrate still still.csv --into pod-07.json",
                                 "$ marlinspike replay lift.csv",
                                 "at the end, 119.99",
                                 "$ marlinspike compare lift.csv",
                                 "kalman follows the reference best: 0.4",
                                 "--time-offset auto --match world+body",
                                 "kalman follows the reference best: 0.4",
                                 "12000 attitudes, standard deviation",
                                 "$ marlinspike search lift.csv",
                                 "the default",
                                 "$ marlinspike live",
                                 "All files are in made"};
    const char *at = r.out;
    for (size_t i = 0; i < sizeof given / sizeof given[0]; i++) { /* in this order */
        at = strstr(at, given[i]);
        ck_assert_msg(at != NULL, "%s", given[i]);
    }
    run_free(&r);
    tool_run spaced = run("demo 'made too'");
    ck_assert(spaced.code == 0 && strncmp(spaced.out, "$ cd 'made too'\n", 16) == 0);
    run_free(&spaced);
    ck_assert_int_eq(system("rm -r 'made too'"), 0);
    const char *const files[] = {
        "made/pod-07.json",      "made/pod_07.h",  "made/lift.attitude.csv",   "made/lift.error.png",
        "made/lift.report.html", "made/best.json", "made/output/01-record.txt"};
    for (size_t i = 0; i < sizeof files / sizeof files[0]; i++) {
        ck_assert_int_eq(access(files[i], R_OK), 0);
    }
    ck_assert_int_eq(system("rm -r made"), 0);
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE("tool", inspect_reports_the_noise, a_sheet_is_made_of_a_recording, inspect_suspects_units_and_axes,
           help_is_there_for_all, simulate_makes_log_and_truth, inspect_lists_what_is_there,
           calibrate_merges_and_keeps_the_rest, a_board_that_moved_is_refused,
           corrected_log_gives_the_same_attitudes, a_replay_starts_at_the_given_attitude,
           a_gap_and_a_page_of_a_replay, a_page_starts_where_its_replay_does,
           memory_stays_flat_from_file_to_file, CAMPAIGN(demo_does_the_whole_job))
