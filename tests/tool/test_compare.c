/* SPDX-License-Identifier: MIT
 * compare as a user drives it. */
#include "check_main.h"
#include "run_tool.h"
#include <math.h>
#include <sys/stat.h>
#include <time.h>

/* Angle between an array w, x, y, z and a rotation by `deg` about one axis, degrees. */
static double off_by(const json_t *q, int axis, double deg)
{
    const double half = deg * 0.5 * 0.017453292519943295;
    double dot = json_number_value(json_array_get(q, 0)) * cos(half) +
                 json_number_value(json_array_get(q, (size_t)axis + 1)) * sin(half);
    return 2 * acos(fmin(1, fabs(dot))) / 0.017453292519943295;
}

/* The rig's file as it comes: half the rate, 17.25 s and 35 ppm off, ned, angles in degrees, its heading 20
 * degrees off and its markers rolled by 2. The estimate's own errors, a degree at most, are in the frames. */
START_TEST(a_reference_as_the_rig_writes_it)
{
    temporary dir = tool_folder();
    run_wants(0, "calibrate still still.csv --into c.json");
    json_t *r =
        run_json(0, "compare lift.csv --reference lift.rig.csv --calibration c.json --time-offset auto "
                    "--match world+body --tuning complementary --tuning kalman");
    double sigma = json_at(r, "time_offset_sigma_s");
    ck_assert_double_eq_tol(json_at(r, "time_offset_s"), 17.25, fmin(0.001, 4 * sigma));
    ck_assert_double_eq_tol(json_at(r, "clock_ppm"), 35, 4 * json_at(r, "clock_ppm_sigma"));
    ck_assert_double_lt(off_by(json_object_get(json_object_get(r, "match"), "world_q"), 2, 20), 1.5);
    ck_assert_double_lt(off_by(json_object_get(json_object_get(r, "match"), "body_q"), 0, -2), 1.5);
    ck_assert_double_lt(json_at(r, "match.sigma_deg"), 1);
    ck_assert_double_lt(json_at(r, "runs.0.error_deg.rms"), 2.5);
    ck_assert_double_lt(json_at(r, "runs.1.error_deg.rms"), 1.5);
    ck_assert_double_eq(json_at(r, "cases.0.time_offset_s"), json_at(r, "time_offset_s"));
    json_decref(r);
    /* the offset said by hand does as well, to the drift of the clocks */
    r = run_json(0, "compare lift.csv --reference lift.rig.csv --calibration c.json --time-offset 17.25 "
                    "--match world+body --tuning kalman");
    ck_assert_double_eq(json_at(r, "time_offset_s"), 17.25);
    ck_assert(json_is_null(json_object_get(r, "time_offset_sigma_s")));
    ck_assert_double_lt(json_at(r, "runs.0.error_deg.rms"), 1.5);
    json_decref(r);
    /* unmatched, the frames' difference is an error like any other */
    r = run_json(0, "compare lift.csv --reference lift.rig.csv --calibration c.json --time-offset 17.25 "
                    "--tuning kalman");
    ck_assert_double_eq_tol(json_at(r, "runs.0.heading_deg.mean"), 20, 2);
    ck_assert(json_is_null(json_object_get(r, "match")));
    json_decref(r);
    temporary_remove(&dir);
}
END_TEST

/* About one axis the mount cannot be separated from the world; the world still can. */
START_TEST(what_a_slew_does_not_determine_is_null)
{
    temporary dir = tool_folder();
    run_wants(0, "simulate --scene slew --seed 3 -o slew.csv --truth slew.ref.csv --quiet");
    json_t *r = run_json(0, "compare slew.csv --reference slew.ref.csv --match world+body --tuning kalman");
    ck_assert(json_is_null(json_object_get(json_object_get(r, "match"), "body_q")));
    ck_assert_uint_eq(json_array_size(json_object_get(json_object_get(r, "match"), "world_q")), 4);
    ck_assert_uint_eq(json_array_size(json_object_get(json_object_get(r, "match"), "body_part_q")), 4);
    ck_assert_double_gt(fabs(json_at(r, "match.mixed_axis.2")), 0.99);
    ck_assert_double_gt(json_at(r, "match.condition"), 20);
    json_decref(r);
    tool_run table = run("compare slew.csv --reference slew.ref.csv --match world+body --tuning kalman");
    ck_assert_ptr_nonnull(strstr(table.out, "which this motion mixes up"));
    run_free(&table);
    temporary_remove(&dir);
}
END_TEST

/* A reference from elsewhere, by its names or by a map, with its quaternions in another order, is the reference that it was. */
START_TEST(a_reference_of_another_program)
{
    temporary dir = tool_folder();
    ck_assert_int_eq(
        system("awk -F, 'BEGIN { print \"millis;qx;qy;qz;qw\" } /^[0-9]/ { printf \"%.3f;%s;%s;%s;%s\\n\", "
               "$1 * 1000, $3, $4, $5, $2 }' lift.reference.csv > rig.txt"),
        0);
    json_t *was = run_json(0, "compare lift.csv --reference lift.reference.csv --tuning kalman");
    const char *const ways[] = {"compare lift.csv --reference rig.txt",
                                "compare lift.csv --reference 'rig.txt:t=1[ms]; q=5,2,3,4'",
                                "compare --case 'lift.csv=rig.txt:t=millis[ms]; q=qw,qx,qy,qz'"};
    for (size_t i = 0; i < sizeof ways / sizeof ways[0]; i++) {
        json_t *is = run_json(0, "%s --tuning kalman", ways[i]);
        ck_assert_double_eq_tol(json_at(is, "runs.0.error_deg.rms"), json_at(was, "runs.0.error_deg.rms"),
                                1e-3);
        json_decref(is);
    }
    json_decref(was);
    run_wants(2, "compare lift.csv --reference 'rig.txt:t=1[ms]; q=5,2,3' --tuning kalman");
    ck_assert_int_eq(system("tail -n +2 rig.txt > bare.txt"), 0); /* without names nothing is sure */
    run_wants(3, "compare lift.csv --reference bare.txt --tuning kalman");
    temporary_remove(&dir);
}
END_TEST

/* The attitude that a board computed itself is a row, as good as the filter that it came from. */
START_TEST(the_boards_own_attitude_is_a_row)
{
    temporary dir = tool_folder();
    run_wants(0, "replay handle.csv --tuning complementary -o own.att.csv --quiet");
    run_wants(0, "inspect handle.csv own.att.csv -o own.csv --quiet");
    json_t *r =
        run_json(0, "compare own.csv --reference handle.reference.csv --tuning complementary --figure e.svg "
                    "--report e.html");
    json_t *own = json_array_get(json_object_get(r, "runs"), 1);
    ck_assert_str_eq(json_string_value(json_object_get(own, "name")), "the log's own");
    ck_assert_str_eq(json_string_value(json_object_get(own, "filter")), "recorded");
    ck_assert_double_eq_tol(json_at(r, "runs.1.error_deg.rms"), json_at(r, "runs.0.error_deg.rms"), 1e-4);
    json_decref(r);
    temporary_remove(&dir);
}
END_TEST

/* Two logs: a table each, an order over both, a figure each. */
START_TEST(several_logs)
{
    temporary dir = tool_folder();
    run_wants(0, "simulate --scene steel --seed 4 -o steel.csv --truth steel.ref.csv --quiet");
    json_t *r = run_json(0, "compare lift.csv --reference lift.reference.csv --case steel.csv=steel.ref.csv "
                            "--tuning vectors --tuning kalman --figure e.svg");
    ck_assert_uint_eq(json_array_size(json_object_get(r, "runs")), 4);
    ck_assert_uint_eq(json_array_size(json_object_get(r, "cases")), 2);
    ck_assert_str_eq(
        json_string_value(json_object_get(json_array_get(json_object_get(r, "runs"), 3), "case")),
        "steel.csv");
    double a = json_at(r, "runs.2.error_deg.rms"), b = json_at(r, "runs.3.error_deg.rms");
    ck_assert_double_eq_tol(json_at(r, "ranking.0.rms_deg"), sqrt(a * b), 1e-6);
    ck_assert_double_gt(json_at(r, "ranking.1.interval_deg.0"), 0); /* vectors are worse for sure */
    ck_assert_double_gt(json_at(r, "runs.3.by_condition.disturbed.share"), 0.02);
    ck_assert_double_gt(json_at(r, "runs.3.downweighted.mag"), 0);
    ck_assert_double_lt(json_at(r, "runs.3.downweighted_share.mag"), 1);
    json_decref(r);
    char *second = temporary_read("e-2.svg");
    ck_assert(strstr(second, "steel.csv") && strstr(second, "disturbed") &&
              strstr(second, "compass heading"));
    free(second);
    temporary_remove(&dir);
}
END_TEST

/* Slower and lossier: fewer updates, larger errors, and the best rate is the log's own or near it. */
START_TEST(rates_and_losses)
{
    temporary dir = tool_folder();
    run_wants(0, "calibrate still still.csv --into c.json");
    json_t *r = run_json(0, "compare lift.csv --reference lift.reference.csv --calibration c.json --rates "
                            "100,50,5 --tuning complementary");
    ck_assert_uint_eq(json_array_size(json_object_get(r, "runs")), 3);
    for (int i = 0; i < 3; i++) {
        const double rates[] = {100, 50, 5};
        char path[40];
        snprintf(path, sizeof path, "runs.%d.rate_hz", i);
        ck_assert_double_eq(json_at(r, path), rates[i]);
        snprintf(path, sizeof path, "runs.%d.updates", i);
        ck_assert_double_eq_tol(json_at(r, path), 120 * rates[i], 2);
    }
    ck_assert_double_gt(json_at(r, "runs.2.error_deg.rms"), 1.2 * json_at(r, "runs.1.error_deg.rms"));
    json_decref(r);
    tool_run table =
        run("compare lift.csv --reference lift.reference.csv --rates 100,50 --calibration c.json");
    ck_assert_ptr_nonnull(strstr(table.out, "total error, rms, at        100      50 Hz\n"));
    run_free(&table);
    json_t *all = run_json(0, "compare lift.csv --reference lift.reference.csv --tuning kalman");
    json_t *some = run_json(0, "compare lift.csv --reference lift.reference.csv --tuning kalman --every 2 "
                               "--drop 0.2 --jitter 0.001");
    double updates = json_at(some, "runs.0.updates") / json_at(all, "runs.0.updates");
    ck_assert_double_eq_tol(updates, 0.4, 4 * sqrt(0.2 * 0.8 / 6000));
    json_decref(all);
    json_decref(some);
    json_t *thin = run_json(0, "replay lift.csv --every 3");
    ck_assert_double_eq(json_at(thin, "attitudes"), 4000);
    json_decref(thin);
    struct timespec before, after; /* 120 s at sixty times their speed cannot take under two */
    clock_gettime(CLOCK_MONOTONIC, &before);
    json_t *paced = run_json(0, "replay lift.csv --every 3 --pace 60");
    clock_gettime(CLOCK_MONOTONIC, &after);
    ck_assert_double_eq(json_at(paced, "attitudes"), 4000);
    ck_assert_int_ge((after.tv_sec - before.tv_sec) * 10 + (after.tv_nsec - before.tv_nsec) / 100000000, 19);
    json_decref(paced);
    temporary_remove(&dir);
}
END_TEST

/* The board's own attitude in the log is a reference like any other, with a warning. */
START_TEST(the_boards_own_attitude)
{
    temporary dir = tool_folder();
    ck_assert_int_eq(system("cut -d, -f2- lift.reference.csv | sed '1i #' | tr -d '#' >q; "
                            "sed -n '2,$p' lift.csv >l; sed -n '2,$p' q | paste -d, l - >own.csv"),
                     0);
    tool_run r = run("compare own.csv --reference own.csv --tuning kalman --tuning gyro");
    ck_assert_msg(r.code == 0, "%s", r.err);
    ck_assert_ptr_nonnull(strstr(r.err, "shares their errors"));
    run_free(&r);
    temporary_remove(&dir);
}
END_TEST

/* A filter that loses its way is shown, with where; the others go on. */
START_TEST(a_filter_that_diverges)
{
    temporary dir = tool_folder();
    /* from 40 s on the gyroscope is stuck at 0.2 rad/s, and the time constant is long */
    ck_assert_int_eq(system("awk -F, -v OFS=, 'NR>2&&$1>40{$5=0.2}{print}' lift.csv >broken.csv"), 0);
    temporary_text(&dir, "stiff.json",
                   "{\"marlinspike\": \"tuning/2\", \"name\": \"stiff\", \"filter\": \"complementary\", "
                   "\"weighting\": \"off\", "
                   "\"parameters\": {\"tilt_time\": 1000, \"bias_limit\": 0}}");
    tool_run r =
        run("compare broken.csv --reference lift.reference.csv --tuning stiff.json --tuning vectors");
    ck_assert_int_eq(r.code, 1);
    const char *where = strstr(r.err, "stiff: diverged: ");
    ck_assert(where != NULL && strtod(where + 17, NULL) > 40 && strtod(where + 17, NULL) < 110);
    ck_assert_ptr_nonnull(strstr(r.out, "stiff"));
    ck_assert_ptr_nonnull(strstr(r.out, "failed on 1 of 1"));
    run_free(&r);
    json_t *j = run_json(1, "compare broken.csv --reference lift.reference.csv --tuning stiff.json --tuning "
                            "vectors");
    const json_t *stiff = json_array_get(json_object_get(j, "runs"), 0);
    ck_assert_str_eq(json_string_value(json_object_get(stiff, "status")), "failed");
    ck_assert_double_gt(json_at(stiff, "tilt_deg.max"), 45);
    json_decref(j);
    temporary_remove(&dir);
}
END_TEST

START_TEST(compare_splits_and_measures)
{
    temporary dir = tool_folder();
    run_wants(0, "calibrate still still.csv --into c.json");
    json_t *r =
        run_json(0, "compare lift.csv --reference lift.reference.csv --calibration c.json --figure e.png");
    const char *const names[] = {"gyro", "vectors", "complementary", "gradient-descent", "kalman"};
    ck_assert_uint_eq(json_array_size(json_object_get(r, "runs")), 5);
    for (size_t i = 0; i < 5; i++) {
        const json_t *run_made = json_array_get(json_object_get(r, "runs"), i);
        ck_assert_str_eq(json_string_value(json_object_get(run_made, "filter")), names[i]);
        ck_assert_str_eq(json_string_value(json_object_get(run_made, "status")), "ok");
        ck_assert_double_eq(json_at(run_made, "updates"), 12000);
        ck_assert_double_le(json_at(run_made, "tilt_deg.rms"), json_at(run_made, "error_deg.rms"));
        ck_assert_double_le(json_at(run_made, "tilt_deg.p95"), json_at(run_made, "tilt_deg.max"));
        ck_assert_double_le(json_at(run_made, "tilt_deg.mean"), json_at(run_made, "tilt_deg.rms"));
    }
    ck_assert_double_gt(json_at(r, "runs.1.tilt_deg.rms"), 3 * json_at(r, "runs.2.tilt_deg.rms"));
    ck_assert_double_gt(json_at(r, "runs.0.tilt_deg.rms"), 3 * json_at(r, "runs.2.tilt_deg.rms"));
    ck_assert_double_lt(json_at(r, "runs.2.jitter_deg"), 0.1 * json_at(r, "runs.1.jitter_deg"));
    json_decref(r);
    char *png = temporary_read("e.png");
    ck_assert_int_eq(strncmp(png + 1, "PNG", 3), 0);
    free(png);
    tool_run table = run("compare lift.csv --reference lift.reference.csv --calibration c.json");
    ck_assert_ptr_nonnull(strstr(table.out, "In order of the total error, rms in degrees; "));
    ck_assert_ptr_nonnull(strstr(table.out, "share of the time, %            22         56"));
    run_free(&table);
    temporary_remove(&dir);
}
END_TEST

START_TEST(figures_in_all_three_forms)
{
    temporary dir = tool_folder();
    run_wants(0, "compare lift.csv --reference lift.reference.csv --figure e.svg --quiet");
    char *svg = temporary_read("e.svg");
    ck_assert(strstr(svg, "<svg") && strstr(svg, "tilt error, deg") && strstr(svg, "complementary"));
    free(svg);
    run_wants(0, "compare lift.csv --reference lift.reference.csv --figure e.gp --quiet");
    /* gyro and vectors are off by many times more: all are drawn, on a logarithmic axis */
    ck_assert_int_eq(system("grep -q 'set ylabel .heading error, size, deg.' e.gp"), 0);
    ck_assert_int_eq(system("grep -q 'set logscale y$' e.gp"), 0);
    ck_assert_int_ne(system("grep -q 'off scale' e.gp"), 0);
    ck_assert_int_eq(system("gnuplot e.gp > from_script.png"), 0);
    /* the title holds the best ones, as many as it has room for */
    ck_assert_int_eq(system("grep -Eq '^set .*title .lift.csv: [0-9.]+ deg rms with kalman, .{20,80}$' e.gp"),
                     0);
    run_wants(
        0, "compare lift.csv --reference lift.reference.csv --tuning complementary:tilt_time=1,damping=0.9 "
           "--tuning complementary:tilt_time=2,damping=0.9 --figure n.gp --quiet");
    ck_assert_int_eq(
        system("grep -q 'set ylabel .heading error, deg.' n.gp && ! grep -q 'set logscale y$' n.gp"), 0);
    tool_run named =
        run("compare lift.csv --reference lift.reference.csv --tuning complementary:tilt_time=1,damping=0.9 "
            "--tuning complementary:tilt_time=2,damping=0.9");
    ck_assert_ptr_nonnull(strstr(named.out, "all tunings: complementary:damping=0.9\n"));
    ck_assert_ptr_nonnull(strstr(named.out, "\ntilt_time=2  "));
    run_free(&named);
    tool_run many =
        run("compare lift.csv --reference lift.reference.csv --figure e.gp --tuning gyro --tuning gyro "
            "--tuning gyro "
            "--tuning gyro --tuning gyro --tuning gyro --tuning gyro --tuning gyro --tuning vectors");
    ck_assert(many.code == 0 &&
              strstr(many.err, "e.gp: shows the first 7 tunings, gyro and those behind it") != NULL);
    run_free(&many);
    run_wants(2, "compare lift.csv --reference lift.reference.csv --figure e.pdf");
    tool_run none = run("compare lift.csv --reference lift.reference.csv --figure nowhere/e.png");
    ck_assert_int_eq(none.code, 5);
    run_free(&none);
    char *path = getenv("PATH");
    char saved[4000];
    snprintf(saved, sizeof saved, "%s", path);
    setenv("PATH", "/nonexistent", 1);
    tool_run missing = run("compare lift.csv --reference lift.reference.csv --figure f.png");
    setenv("PATH", saved, 1);
    ck_assert_int_eq(missing.code, 5);
    ck_assert_ptr_nonnull(strstr(missing.err, "gnuplot is missing"));
    ck_assert_int_eq(system("ls | grep -q 'f.png'") == 0, 0);
    run_free(&missing);
    temporary_remove(&dir);
}
END_TEST

/* A figure as a file like others: its permissions stay, a name of any characters is its name, and nothing lies beside it;
 * what gnuplot leaves unfinished, or was killed over, is no figure. */
START_TEST(a_figure_is_whole_or_absent)
{
    static const char *const broken[] = {"printf '\\211PNG\\r\\n\\032\\nhalf'", "printf '<svg>half'",
                                         "exit 1", "kill -9 $$", "true"};
    temporary dir = tool_folder();
    struct stat file;
    char saved[4000], with_ours[4100];
    temporary_text(&dir, "f.png", "old");
    ck_assert_int_eq(chmod("f.png", 0640), 0);
    run_wants(0, "inspect still.csv --figure f.png --quiet");
    ck_assert(stat("f.png", &file) == 0 && (file.st_mode & 0777) == 0640 && file.st_size > 10000);
    run_wants(0, "inspect still.csv --figure \"$(printf 'a\\tb\\033c.svg')\" --quiet");
    ck_assert_int_eq(access("a\tb\033c.svg", F_OK), 0);
    snprintf(saved, sizeof saved, "%s", getenv("PATH"));
    snprintf(with_ours, sizeof with_ours, "%s:%s", dir.dir, saved);
    temporary_text(&dir, "gnuplot", "");
    int before = temporary_count(&dir);
    for (size_t i = 0; i < sizeof broken / sizeof broken[0]; i++) {
        char script[200];
        snprintf(script, sizeof script, "#!/bin/sh\ncat >/dev/null\n%s\n", broken[i]);
        temporary_text(&dir, "gnuplot", script);
        ck_assert_int_eq(chmod("gnuplot", 0755), 0);
        setenv("PATH", with_ours, 1);
        tool_run r = run("inspect still.csv --figure new.png --quiet");
        setenv("PATH", saved, 1);
        ck_assert_int_eq(r.code, 5);
        ck_assert_msg(strstr(r.err, "gnuplot could not draw the figure") != NULL, "%s", r.err);
        run_free(&r);
        ck_assert_int_eq(temporary_count(&dir), before);
    }
    temporary_remove(&dir);
}
END_TEST

START_TEST(worlds_and_relative_headings_are_reported)
{
    temporary dir = tool_folder();
    temporary_text(&dir, "t.json",
                   "{\"marlinspike\": \"tuning/2\", \"filter\": \"complementary\", \"world\": \"ned\", "
                   "\"parameters\": {\"use_mag\": false}}");
    tool_run r = run("replay lift.csv --tuning t.json -o a.csv");
    ck_assert(r.code == 0 && strstr(r.out, "in ned, heading relative to the start"));
    run_free(&r);
    char *text = temporary_read("a.csv");
    ck_assert_int_eq(strncmp(text, "# marlinspike log/1 corrected=no world=ned heading=relative\n", 60), 0);
    free(text);
    tool_run attitudes = run("inspect a.csv");
    ck_assert_ptr_nonnull(strstr(attitudes.out, "attitudes: 12000 in ned, heading relative"));
    run_free(&attitudes);
    tool_run warned = run("compare lift.csv --reference a.csv --tuning t.json");
    ck_assert_ptr_nonnull(strstr(warned.err, "a.csv:1: its heading is relative"));
    run_free(&warned);
    temporary_text(&dir, "n.json",
                   "{\"marlinspike\": \"tuning/2\", \"filter\": \"complementary\", \"world\": \"ned\"}");
    run_wants(0, "replay lift.csv --tuning n.json -o n.csv");
    json_t *same = run_json(0, "compare lift.csv --reference n.csv --tuning complementary");
    ck_assert_double_lt(json_at(same, "runs.0.error_deg.max"), 1e-3); /* ned is expressed in enu */
    json_decref(same);
    run_wants(0, "compare lift.csv --reference n.csv --reference-world ned --tuning complementary");
    run_wants(3, "compare lift.csv --reference n.csv --reference-world enu --tuning complementary");
    temporary_remove(&dir);
}
END_TEST

/* The cheapest that stays within the limit, at the rate that costs least; a limit that nothing meets; none given. */
START_TEST(the_cheapest_that_is_good_enough_is_named)
{
    static const char words[] =
        "compare lift.csv --reference lift.reference.csv --tuning kalman --tuning complementary "
        "--tuning gyro --rates 100,25";
    temporary dir = tool_folder();
    json_t *root = run_json(0, "%s --target --at-most 4", words);
    const json_t *target = json_object_get(root, "target"), *list = json_object_get(target, "tunings");
    double least = INFINITY;
    const char *cheapest = "";
    ck_assert_uint_eq(json_array_size(list), 6);
    for (size_t i = 0; i < json_array_size(list); i++) {
        const json_t *one = json_array_get(list, i);
        double load = json_at(one, "load_percent"), rate = json_at(one, "rate_hz");
        ck_assert_double_eq_tol(load, json_at(one, "instructions_mean") * rate / 64e6 * 100, 1e-6);
        ck_assert_double_eq_tol(json_at(one, "highest_rate_hz"), rate * 10 / load, 0.01);
        ck_assert_int_eq(json_is_true(json_object_get(one, "within")), json_at(one, "rms_deg") <= 4);
        if (json_at(one, "rms_deg") <= 4 && load < least) {
            least = load;
            cheapest = json_string_value(json_object_get(one, "name"));
        }
    }
    ck_assert_str_eq(json_string_value(json_object_get(target, "cheapest")), cheapest);
    json_decref(root);
    root = run_json(0, "%s --at-most 0.001", words);
    ck_assert(json_is_null(json_object_get(json_object_get(root, "target"), "cheapest")));
    json_decref(root);
    root = run_json(0, "%s", words);
    ck_assert(json_object_get(root, "target") == NULL);
    json_decref(root);
    tool_run r = run("%s --at-most 4", words);
    ck_assert_msg(r.code == 0 && strstr(r.out, "the cheapest") != NULL, "%s", r.out);
    run_free(&r);
    run_wants(2, "%s --at-most -1", words);
    temporary_remove(&dir);
}
END_TEST

/* Switched on while driving: replay and compare say that it may be off, and how fast it seems to be; after a rest they do
 * not. */
START_TEST(a_start_while_driving_is_said)
{
    temporary dir = tool_folder();
    for (int late = 0; late < 2; late++) {
        run_wants(0, "simulate --scene road --seed 6 --duration 120 %s -o r.csv --truth t.csv",
                  late ? "--skip 60" : "");
        json_t *replayed = run_json(0, "replay r.csv --tuning kalman");
        ck_assert_int_eq(json_is_null(json_object_get(replayed, "start_speed_mps")), !late);
        json_decref(replayed);
        tool_run r = run("replay r.csv --tuning kalman"),
                 c = run("compare r.csv --reference t.csv --tuning kalman");
        ck_assert_int_eq(strstr(r.out, "begins in motion") != NULL, late);
        ck_assert_int_eq(strstr(c.err, "begins in motion") != NULL, late);
        run_free(&r);
        run_free(&c);
    }
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE("compare", a_reference_as_the_rig_writes_it, what_a_slew_does_not_determine_is_null,
           a_reference_of_another_program, the_boards_own_attitude_is_a_row, several_logs,
           CAMPAIGN(rates_and_losses), the_boards_own_attitude, a_filter_that_diverges,
           compare_splits_and_measures, figures_in_all_three_forms, a_figure_is_whole_or_absent,
           worlds_and_relative_headings_are_reported, the_cheapest_that_is_good_enough_is_named,
           a_start_while_driving_is_said)
