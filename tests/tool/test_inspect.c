/* SPDX-License-Identifier: MIT
 * inspect as a user drives it: files from elsewhere, two files, one log against another. */
#include "check_main.h"
#include "run_tool.h"
#include <math.h>
#include <stdio.h>

/* Writes the lift as another logger would: counts of milliseconds, g and deg/s, bars between, words before.
 */
static void write_foreign(void)
{
    static const char script[] =
        "awk -F, 'BEGIN { print \"Hook logger 2\"; print \"when|fx|fy|fz|rx_dps|ry_dps|rz_dps\" }"
        " /^[0-9]/ { printf \"%.3f|%.7f|%.7f|%.7f|%.7f|%.7f|%.7f\\n\", $1 * 1000, $2 / 9.80665, $3 / 9.80665,"
        " $4 / 9.80665, $5 * 57.29577951, $6 * 57.29577951, $7 * 57.29577951 }' lift.csv > hook.txt";
    ck_assert_int_eq(system(script), 0);
}

/* The proposal of inspect is taken as it stands, and the log that comes of it is the log that went in. */
START_TEST(a_foreign_file_becomes_a_log)
{
    temporary dir = tool_folder();
    write_foreign();
    tool_run r = run("inspect hook.txt");
    ck_assert_int_eq(r.code, 3);
    ck_assert_ptr_nonnull(strstr(r.err, "hook.txt:1: no column t"));
    ck_assert_ptr_nonnull(strstr(r.out, "divided by bars, named in line 2"));
    run_free(&r);
    json_t *guess = run_json(3, "inspect hook.txt");
    const char *map = json_string_value(json_object_get(guess, "map"));
    ck_assert_msg(map != NULL &&
                      strcmp(map, "t=when[ms]; accel=fx,fy,fz[g]; gyro=rx_dps,ry_dps,rz_dps[deg/s]") == 0,
                  "%s", map);
    run_wants(0, "inspect hook.txt --columns '%s' -o hook.csv --quiet", map);
    json_t *is = run_json(0, "inspect hook.csv"), *was = run_json(0, "inspect lift.csv");
    static const char *const same[] = {"rows", "duration_s", "sensors.accel.rate_hz", "sensors.gyro.mean.0",
                                       "sensors.accel.deviation.2"};
    for (size_t i = 0; i < sizeof same / sizeof same[0]; i++) {
        double a = json_at(is, same[i]), b = json_at(was, same[i]);
        ck_assert_msg(fabs(a - b) < 1e-5 * fabs(b) + 1e-9, "%s: %g, %g", same[i], a, b);
    }
    json_decref(guess);
    json_decref(is);
    json_decref(was);
    /* every command that reads logs takes a map, also from a file */
    const char *path =
        temporary_text(&dir, "hook.map", "t=when[ms]\naccel=fx,fy,fz[g]\ngyro=rx_dps,ry_dps,rz_dps[deg/s]\n");
    run_wants(0, "replay hook.txt --columns %s --tuning complementary -o hook.attitude.csv --quiet", path);
    /* decimal commas are found, too */
    ck_assert_int_eq(system("tr '.|' ',;' < hook.txt > hook.de"), 0);
    guess = run_json(3, "inspect hook.de");
    ck_assert_str_eq(json_string_value(json_object_get(guess, "decimal")), ",");
    run_wants(0, "inspect hook.de --decimal , --columns '%s' --quiet",
              json_string_value(json_object_get(guess, "map")));
    json_decref(guess);
    /* a log of ours with a fault is no foreign file */
    temporary_text(&dir, "fault.csv", "t[s],gyro_x[rpm]\n0,1\n1,2\n");
    r = run("inspect fault.csv");
    ck_assert(r.code == 3 && r.out[0] == '\0');
    run_free(&r);
    temporary_remove(&dir);
}
END_TEST

/* Two files of one tumble, the second by a clock of its own. */
START_TEST(two_files_become_one_log)
{
    temporary dir = tool_folder();
    run_wants(0, "simulate --scene tumble --seed 4 --duration 60 -o all.csv --quiet");
    ck_assert_int_eq(system("cut -d, -f1-4,8- all.csv > force.csv"), 0);
    ck_assert_int_eq(
        system("awk -F, 'BEGIN { OFS = \",\" } /^#/ { next } !/^t/ { $1 = sprintf(\"%.6f\", $1 + 20.25) }"
               " { print $1, $5, $6, $7 }' all.csv > rate.csv"),
        0);
    json_t *root = run_json(0, "inspect force.csv rate.csv -o one.csv");
    ck_assert_double_eq_tol(json_at(root, "clock.offset_s"), -20.25, 0.01);
    ck_assert_double_eq_tol(json_at(root, "duration_s"), 59.99, 0.05);
    ck_assert_double_gt(json_at(root, "clock.sigma_s"), 0);
    json_decref(root);
    root = run_json(0, "inspect force.csv rate.csv --time-offset -20.25 -o one.csv");
    ck_assert_double_eq(json_at(root, "rows"), 6000);
    json_decref(root);
    root = run_json(0, "inspect one.csv");
    ck_assert_double_eq(json_at(root, "sensors.gyro.readings"), 6000);
    ck_assert_str_eq(
        json_string_value(json_object_get(json_object_get(json_object_get(root, "axes"), "gyro"), "verdict")),
        "decided");
    json_decref(root);
    run_wants(4, "inspect force.csv rate.csv --time-offset 500");
    /* at rest nothing determines it: reported, and the times stand as they are */
    ck_assert_int_eq(system("cut -d, -f1-4 still.csv > force.csv; cut -d, -f1,5-7 still.csv > rate.csv"), 0);
    tool_run r = run("inspect force.csv rate.csv");
    ck_assert(r.code == 0 && strstr(r.err, "the motion does not determine its clock offset") != NULL);
    run_free(&r);
    temporary_remove(&dir);
}
END_TEST

/* A sheet from a recording holds against it; another one does not, and is said to be where. */
START_TEST(a_sheet_is_checked_against_its_recording)
{
    temporary dir = tool_folder();
    run_wants(0, "simulate --scene still --duration 300 --seed 2 -o long.csv --quiet");
    run_wants(0, "inspect long.csv --sheet-out pod.json --quiet");
    run_wants(0, "simulate --scene still --duration 300 --seed 3 --sheet pod.json -o same.csv --quiet");
    json_t *root = run_json(0, "inspect long.csv --against same.csv --figure both.png");
    ck_assert_double_eq(json_at(root, "against.holds"), 1);
    ck_assert_double_gt(json_at(root, "against.sensors.gyro.allan.0.limit"), 1.09);
    json_decref(root);
    ck_assert_int_eq(
        system("awk -F, 'BEGIN { OFS = \",\" } /^[0-9]/ { $5 = 0.01 + 1.3 * ($5 - 0.01) } { print }' same.csv"
               " > other.csv"),
        0);
    root = run_json(1, "inspect long.csv --against other.csv");
    ck_assert_double_eq(json_at(root, "against.holds"), 0);
    ck_assert_double_eq(json_at(root, "against.sensors.gyro.holds"), 0);
    ck_assert_double_eq(json_at(root, "against.sensors.gyro.allan.0.holds"), 0);
    ck_assert_double_eq(json_at(root, "against.sensors.gyro.allan.1.holds"), 1);
    ck_assert_double_eq(json_at(root, "against.sensors.accel.holds"), 1);
    ck_assert_double_eq_tol(json_at(root, "against.sensors.gyro.allan.0.ratio"), 1.3, 0.1);
    json_decref(root);
    tool_run r = run("inspect long.csv --against other.csv");
    ck_assert(r.code == 1 && strstr(r.out, "DIFFERENT") != NULL && strstr(r.out, "not consistent") != NULL);
    run_free(&r);
    /* too short for noise: how long it must be */
    run_wants(0, "simulate --scene still --duration 2 -o short.csv --quiet");
    r = run("inspect long.csv --against short.csv");
    ck_assert_msg(r.code == 4 && strstr(r.err, "short.csv: the longest still span without a gap lasts 1.99 "
                                               "s; noise needs at least 10.2 s") != NULL,
                  "%s", r.err);
    run_free(&r);
    temporary_remove(&dir);
}
END_TEST

/* The curves, the spectrum and its lines are there for whoever draws them. */
START_TEST(curves_and_lines_are_reported)
{
    temporary dir = tool_folder();
    ck_assert_int_eq(
        system("awk -F, 'BEGIN { OFS = \",\" } /^[0-9]/ { $2 += 0.02 * sin(6.283185 * 12.5 * $1) } { print }'"
               " still.csv > motor.csv"),
        0);
    json_t *root = run_json(0, "inspect motor.csv");
    ck_assert_double_eq_tol(json_at(root, "sensors.accel.spectrum.lines.0.0.hz"), 12.5, 0.1);
    ck_assert_double_eq_tol(json_at(root, "sensors.accel.spectrum.lines.0.0.amplitude"), 0.02, 0.003);
    ck_assert_double_eq_tol(json_at(root, "sensors.gyro.allan.tau_s.0"), 0.01, 1e-6);
    double white = json_at(root, "sensors.gyro.noise.white.0");
    ck_assert_double_eq_tol(json_at(root, "sensors.gyro.allan.deviation.0.0") / white, 10, 1);
    ck_assert_double_lt(json_at(root, "sensors.gyro.allan.low.0.5"),
                        json_at(root, "sensors.gyro.allan.deviation.0.5"));
    ck_assert_double_eq_tol(json_at(root, "sensors.gyro.spectrum.density.0.8") / white, 1, 0.4);
    json_decref(root);
    tool_run r = run("inspect motor.csv --figure motor.svg");
    ck_assert(r.code == 0 && strstr(r.err, "at rest accel_x swings at 12.5") != NULL);
    ck_assert_ptr_nonnull(strstr(r.out, "accel x  line at 12.5"));
    run_free(&r);
    temporary_remove(&dir);
}
END_TEST

/* One axis alone is a legal log, and nothing is wrong with the two that are not there. */
START_TEST(one_axis_is_a_log)
{
    temporary dir = tool_folder();
    ck_assert_int_eq(system("cut -d, -f1,5 still.csv > one.csv"), 0);
    json_t *root = run_json(0, "inspect one.csv --figure one.png");
    ck_assert_uint_eq(json_array_size(json_object_get(root, "warnings")), 0);
    ck_assert_double_gt(json_at(root, "sensors.gyro.noise.white.0"), 0);
    ck_assert(json_is_null(json_array_get(
        json_object_get(json_object_get(json_object_get(root, "sensors"), "gyro"), "mean"), 1)));
    json_decref(root);
    temporary_remove(&dir);
}
END_TEST

/* A slow sensor whose reading is written again with each row. */
START_TEST(repeated_readings_are_reported)
{
    temporary dir = tool_folder();
    ck_assert_int_eq(
        system("awk -F, 'BEGIN { OFS = \",\" } /^[0-9]/ { if ($8 == \"\") { $8 = x; $9 = y; $10 = z }"
               " x = $8; y = $9; z = $10 } { print }' still.csv > held.csv"),
        0);
    json_t *root = run_json(0, "inspect held.csv");
    const char *code =
        json_string_value(json_object_get(json_array_get(json_object_get(root, "warnings"), 0), "code"));
    ck_assert_str_eq(code, "duplicate");
    ck_assert_double_gt(json_at(root, "sensors.mag.duplicates"), 0.7 * json_at(root, "sensors.mag.readings"));
    json_decref(root);
    tool_run r = run("replay held.csv -o held.att.csv");
    ck_assert(r.code == 0 && strstr(r.err, "held.csv: mag repeats its reading before in") != NULL);
    run_free(&r);
    root = run_json(
        0, "inspect held.csv --columns 't=1[s]; accel=2,3,4[m/s^2]; gyro=5,6,7[rad/s]; mag=8,9,10[uT] "
           "changed; temp=11[degC]'");
    ck_assert_double_eq_tol(json_at(root, "sensors.mag.rate_hz"), 25, 0.1);
    ck_assert_uint_eq(json_array_size(json_object_get(root, "warnings")), 0);
    json_decref(root);
    temporary_remove(&dir);
}
END_TEST

/* A file that calls its time t, in ms, and knows nothing of our names; and one that has them, but not our units. */
START_TEST(names_and_units_of_others_are_seen)
{
    temporary dir = tool_folder();
    ck_assert_int_eq(system("sed '/^#/d; 2s/.*/t,ax,ay,az,gx,gy,gz,mx,my,mz,temp/' still.csv > t.csv; "
                            "awk -F, 'BEGIN { OFS = \",\"; print \"t,accel_x,accel_y,accel_z,gyro_x,gyro_y,"
                            "gyro_z\" } /^[0-9]/ { print 1000 * $1, $2 / 9.8, $3 / 9.8, $4 / 9.8, $5, $6, $7 "
                            "}' still.csv > units.csv"),
                     0);
    tool_run r = run("inspect t.csv");
    ck_assert_int_eq(r.code, 3);
    ck_assert_ptr_nonnull(strstr(r.err, "t.csv:1: readings whose columns have no name of ours (ax, ay, az,"));
    ck_assert_ptr_nonnull(strstr(r.out, "--columns 't=t[s]; accel=ax,ay,az[m/s^2]; gyro=gx,gy,gz"));
    run_free(&r);
    r = run("inspect units.csv");
    ck_assert_int_eq(r.code, 0);
    ck_assert_ptr_nonnull(strstr(r.err, "--columns 't=t[ms]; accel=accel_x,accel_y,accel_z[g]; gyro="));
    run_free(&r);
    r = run("replay t.csv -o t.att.csv");
    ck_assert(r.code != 0 && strstr(r.err, "inspect says what else") != NULL);
    run_free(&r);
    temporary_remove(&dir);
}
END_TEST

/* Readings of a bus that fails now and then, named and taken out. */
START_TEST(spikes_are_named_and_dropped)
{
    temporary dir = tool_folder();
    ck_assert_int_eq(
        system("awk -F, 'BEGIN { OFS = \",\" } /^[0-9]/ && ++n % 500 == 0 { $6 = 4.5 } { print }' "
               "still.csv > bus.csv"),
        0);
    json_t *root = run_json(0, "inspect bus.csv --drop-spikes -o clean.csv");
    ck_assert_double_gt(json_at(root, "sensors.gyro.spikes"), 4);
    ck_assert_double_eq(json_at(root, "sensors.gyro.spikes"), json_at(root, "spikes_dropped"));
    ck_assert_double_eq(json_at(root, "sensors.accel.spikes"), 0);
    json_decref(root);
    tool_run r = run("inspect bus.csv");
    ck_assert_ptr_nonnull(strstr(r.err, "readings of gyro stand alone, the first at "));
    run_free(&r);
    root = run_json(0, "inspect clean.csv");
    ck_assert_double_eq(json_at(root, "sensors.gyro.spikes"), 0);
    json_decref(root);
    r = run("inspect clean.csv --drop-spikes -o same.csv");
    ck_assert_ptr_nonnull(strstr(r.out, "nothing is left out: no reading stands alone"));
    run_free(&r);
    r = run("inspect bus.csv --drop-spikes");
    ck_assert(r.code == 2 && strstr(r.err, "--drop-spikes is of the log that -o writes") != NULL);
    run_free(&r);
    temporary_remove(&dir);
}
END_TEST

/* A radio that sends four rows at once, each with the time when they came: refused as it is, and as good as new with even
 * times. */
START_TEST(rows_of_one_time_are_set_evenly)
{
    temporary dir = tool_folder();
    ck_assert_int_eq(system("awk -F, 'BEGIN { OFS = \",\" } /^[0-9]/ { if (n++ % 4 == 0) t = $1 + 0.03; $1 = "
                            "sprintf(\"%.2f\", "
                            "t) } { print }' handle.csv > radio.csv; grep '^[0-9]' radio.csv > radio.txt"),
                     0);
    tool_run r = run("replay radio.csv -o radio.att.csv");
    ck_assert_int_eq(r.code, 3);
    ck_assert_ptr_nonnull(strstr(r.err, "rows that come in clumps of one time: inspect --even-times -o LOG"));
    run_free(&r);
    r = run("inspect radio.csv --even-times -o even.csv");
    ck_assert_ptr_nonnull(strstr(r.out, "set evenly: rows every 10 ms; their times scattered by 11.2 ms"));
    run_free(&r);
    json_t *root = run_json(0, "inspect radio.csv --even-times"),
           *as_made = run_json(0, "inspect handle.csv");
    ck_assert_double_eq(json_at(root, "rows"), json_at(as_made, "rows"));
    ck_assert_double_gt(json_at(root, "row_times.gain"), 2);
    ck_assert_double_eq_tol(json_at(root, "sensors.gyro.rate_hz"), 100, 0.1);
    json_decref(root);
    json_decref(as_made);
    root =
        run_json(0, "compare even.csv --reference handle.reference.csv --time-offset auto --tuning kalman");
    as_made = run_json(0, "compare handle.csv --reference handle.reference.csv --tuning kalman");
    r = run(
        "record --from - --columns 't=1[s]; accel=2,3,4[m/s^2]; gyro=5,6,7[rad/s]' -o kept.csv < radio.txt");
    ck_assert_ptr_nonnull(strstr(r.err, "time stands still in 3000 rows; they are kept as 1 ns later each"));
    ck_assert_ptr_nonnull(strstr(r.out, "kept.csv: 4000 rows, 40.0 s"));
    run_free(&r);
    double found = json_at(root, "runs.0.error_deg.rms"), wanted = json_at(as_made, "runs.0.error_deg.rms");
    ck_assert_double_eq_tol(found, wanted, 0.1 * wanted);
    json_decref(root);
    json_decref(as_made);
    temporary_remove(&dir);
}
END_TEST

/* A battery beside the magnetometer: inspect says so, and compare, smooth finds it, and what comes of it cures it. */
START_TEST(a_hard_iron_is_seen_and_cured)
{
    temporary dir = tool_folder();
    ck_assert_int_eq(system("awk -F, -v OFS=, '/^[0-9]/ && $8 != \"\" { $8 += 25; $10 -= 30 } { print }' "
                            "handle.csv > battery.csv"),
                     0);
    tool_run plain = run("inspect handle.csv"), r = run("inspect battery.csv");
    ck_assert_ptr_null(strstr(plain.err, "hard iron"));
    ck_assert_ptr_nonnull(strstr(r.err, "the magnetometer has a hard iron of 39 uT"));
    run_free(&plain);
    run_free(&r);
    r = run("compare battery.csv --reference handle.reference.csv --tuning complementary");
    ck_assert_ptr_nonnull(strstr(r.err, "the magnetometer has a hard iron of 39 uT"));
    run_free(&r);
    run_wants(0, "smooth battery.csv --into cal.json --quiet");
    r = run(
        "compare battery.csv --calibration cal.json --reference handle.reference.csv --tuning complementary");
    ck_assert_ptr_null(strstr(r.err, "has a hard iron"));
    run_free(&r);
    run_wants(0, "correct battery.csv --calibration cal.json -o cured.csv --quiet");
    r = run("inspect cured.csv");
    ck_assert_ptr_null(strstr(r.err, "hard iron"));
    run_free(&r);
    temporary_remove(&dir);
}
END_TEST

/* An accelerometer that reads +9.8 along what points down: gyroscope and gravity agree all the same, the field does not, and a
 * rig is upside down. */
START_TEST(an_accelerometer_of_the_other_sign_is_seen)
{
    temporary dir = tool_folder();
    ck_assert_int_eq(system("awk -F, -v OFS=, '/^[0-9]/ { $2 = -$2; $3 = -$3; $4 = -$4; if ($8 != \"\") $9 "
                            "+= 40 } { print }' "
                            "handle.csv > down.csv"),
                     0);
    tool_run r = run("inspect down.csv");
    ck_assert_ptr_nonnull(
        strstr(r.err, "the field points up, as it does south of the equator; else one of the two"));
    ck_assert_ptr_nonnull(strstr(r.err, "the magnetometer has a hard iron of 40 uT"));
    run_free(&r);
    r = run("compare down.csv --reference handle.reference.csv --tuning complementary");
    ck_assert_ptr_nonnull(
        strstr(r.err, "(upside down: another world, or an accelerometer of the other sign"));
    run_free(&r);
    temporary_remove(&dir);
}
END_TEST

/* A gyroscope whose range is too small: every command that uses its readings names it, and a whole one none. */
START_TEST(a_clipped_gyroscope_is_named)
{
    static const char *const commands[] = {
        "inspect", "compare --reference handle.reference.csv --tuning gyro", "smooth"};
    temporary dir = tool_folder();
    ck_assert_int_eq(
        system("awk -F, -v OFS=, '/^[0-9]/ { for (k = 5; k <= 7; k++) { if ($k > 0.7) $k = 0.7; if "
               "($k < -0.7) $k = -0.7 } } { print }' handle.csv > clipped.csv"),
        0);
    for (size_t k = 0; k < sizeof commands / sizeof commands[0]; k++) {
        tool_run r = run("%s clipped.csv", commands[k]);
        ck_assert_msg(strstr(r.err, "gyro_x is clipped in ") != NULL, "%s: %s", commands[k], r.err);
        run_free(&r);
        r = run("%s handle.csv", commands[k]);
        ck_assert_msg(strstr(r.err, "clipped") == NULL, "%s: %s", commands[k], r.err);
        run_free(&r);
    }
    temporary_remove(&dir);
}
END_TEST

/* A vehicle's log whose board was mounted with y forward: inspect and compare say along which axis the speed is; read with
 * the axes that they name, nothing is left to say. */
START_TEST(the_axis_of_a_speed_is_seen)
{
    temporary dir = tool_folder();
    run_wants(0, "simulate --scene drive --speed --seed 9641 -o x.csv --truth truth.csv --quiet");
    json_t *root = run_json(0, "inspect x.csv");
    ck_assert_str_eq(json_string_value(json_object_get(json_object_get(root, "speed_axis"), "verdict")),
                     "plain");
    ck_assert_double_eq_tol(json_at(root, "speed_axis.axis.0"), 1, 0.1);
    json_decref(root);
    run_wants(0, "inspect x.csv --columns 't=1[s]; accel=-3,2,4; gyro=-6,5,7; mag=-9,8,10; speed=12' -o "
                 "y.csv --quiet");
    tool_run r = run("compare y.csv --reference smooth --tuning complementary");
    ck_assert_ptr_nonnull(strstr(r.err, "take x = +y, y = -x, z = +z of all sensors (--columns)"));
    run_free(&r);
    r = run("inspect y.csv --columns 't=1[s]; accel=3,-2,4; gyro=6,-5,7; mag=9,-8,10; speed=11'");
    ck_assert_ptr_null(strstr(r.err, "takes the speed"));
    ck_assert_ptr_null(strstr(r.err, "take x ="));
    ck_assert_ptr_nonnull(strstr(r.out, "axis of the speed: "));
    run_free(&r);
    temporary_remove(&dir);
}
END_TEST

/* The magnetometer's cells of four rows before: named, and put back. */
START_TEST(a_late_sensor_is_named_and_put_back)
{
    temporary dir = tool_folder();
    ck_assert_int_eq(
        system("awk -F, 'BEGIN { OFS = \",\" } /^[0-9]/ { for (k = 8; k <= 10; k++) { a[NR, k] = $k; "
               "$k = a[NR - 4, k] } } { print }' handle.csv > late.csv"),
        0);
    tool_run r = run("inspect late.csv --delay auto -o cured.csv");
    ck_assert_int_eq(r.code, 0);
    ck_assert_ptr_nonnull(strstr(r.err, "the magnetometer's readings are 4"));
    ck_assert_ptr_nonnull(strstr(r.err, "late.csv: by its turning"));
    ck_assert_ptr_nonnull(strstr(r.out, "in the log that is written: mag moved by -"));
    run_free(&r);
    json_t *late = run_json(0, "inspect late.csv"), *cured = run_json(0, "inspect cured.csv");
    ck_assert_double_eq_tol(json_at(late, "delays.mag.delay_s"), 0.04,
                            5 * json_at(late, "delays.mag.sigma_s"));
    ck_assert_double_eq_tol(json_at(cured, "delays.mag.delay_s"), 0,
                            5 * json_at(cured, "delays.mag.sigma_s"));
    ck_assert_uint_eq(json_array_size(json_object_get(cured, "warnings")), 0);
    json_decref(late);
    json_decref(cured);
    r = run("inspect cured.csv --delay auto -o again.csv");
    ck_assert_ptr_nonnull(strstr(r.out, "\nin the log that is written nothing is moved: "));
    run_free(&r);
    run_wants(0, "inspect late.csv --delay mag=0.04,accel=-0.01 -o moved.csv --quiet");
    const char *const wrong[] = {"mag", "mag=", "mag=x", "mag=11", "nose=0.1", "mag=0.1;accel=0.1", "''"};
    for (size_t i = 0; i < sizeof wrong / sizeof wrong[0]; i++) {
        r = run("inspect late.csv --delay %s -o not.csv", i == 5 ? "'mag=0.1;accel=0.1'" : wrong[i]);
        ck_assert_int_eq(r.code, 2);
        ck_assert_ptr_nonnull(strstr(r.err, "--delay is auto, or seconds"));
        run_free(&r);
    }
    run_wants(2, "inspect late.csv --delay auto");
    ck_assert_int_ne(access("not.csv", F_OK), 0);
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE("inspect", a_late_sensor_is_named_and_put_back, a_clipped_gyroscope_is_named,
           the_axis_of_a_speed_is_seen, a_foreign_file_becomes_a_log, two_files_become_one_log,
           CAMPAIGN(a_sheet_is_checked_against_its_recording), curves_and_lines_are_reported,
           one_axis_is_a_log, a_hard_iron_is_seen_and_cured, an_accelerometer_of_the_other_sign_is_seen,
           repeated_readings_are_reported, names_and_units_of_others_are_seen, spikes_are_named_and_dropped,
           rows_of_one_time_are_set_evenly)
