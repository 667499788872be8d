/* SPDX-License-Identifier: MIT
 * Bad input through the tool: the exit code, the message, and nothing half written. A row a case. */
#include "check_main.h"
#include "run_tool.h"
#include <sys/stat.h>

/* Files that the cases use; written into the test's folder. */
static const struct {
    const char *name, *text;
} files[] = {
    {"empty.csv", ""},
    {"header.csv", "t[s],accel_x,accel_y,accel_z,gyro_x,gyro_y,gyro_z\n"},
    {"nocolumn.csv", "t[s],accel_x,accel_y,accel_z\n0,0,0,9.8\n1,0,0,9.8\n"},
    {"unit.csv", "t[s],gyro_x[rpm]\n0,1\n"},
    {"twice.csv", "t[s],gyro_x,gyro_x\n0,1,2\n"},
    {"comma.csv", "t;accel_x\n0,1;2,5\n"},
    {"mostlybad.csv", "t,temp\n0,1\nx,1\ny,1\n"},
    {"corrected.csv",
     "# marlinspike log/1 device=pod-07 "
     "corrected=yes\nt,accel_x,accel_y,accel_z,gyro_x,gyro_y,gyro_z\n0,0,0,9.8,0,0,0\n1,0,0,9.8,0,0,0\n"},
    {"zeros.csv", "t,accel_x,accel_y,accel_z,gyro_x,gyro_y,gyro_z\n0,0,0,0,0,0,0\n0.01,0,0,0,0,0,0\n"},
    {"notime.csv", "t,q_w,q_x,q_y,q_z\n5000,1,0,0,0\n5001,1,0,0,0\n"},
    {"later.csv", "t,q_w,q_x,q_y,q_z\n5000,1,0,0,0\n5005,1,0,0,0\n5010,1,0,0,0\n"},
    {"flip.csv",
     "t,q_w,q_x,q_y,q_z\n0,1,0,0,0\n2,1,0,0,0\n4,1,0,0,0\n6,1,0,0,0\n8,0,0,0,1\n10,0,0,0,1\n12,0,0,0,1\n"},
    {"long.csv", "t,q_w,q_x,q_y,q_z\n0,1,0,0,0\n5,1,0,0,0\n10,0.995,0,0,0\n15,2,0,0,0\n"},
    {"page.html", "t,q_w,q_x,q_y,q_z\n0,1,0,0,0\n5,1,0,0,0\n"},
    {"good.json",
     "{\"marlinspike\": \"calibration/1\", \"device\": \"pod-07\", \"gyro\": {\"bias\": [0,0,0]}}"},
    {"other.json", "{\"marlinspike\": \"calibration/1\",\n \"device\": \"pod-08\"}"},
    {"key.json", "{\"marlinspike\": \"calibration/1\",\n \"gyros\": {}}"},
    {"broken.json", "{\"marlinspike\": \"calibration/1\","},
    {"negative.json",
     "{\"marlinspike\": \"tuning/2\", \"filter\": \"complementary\",\n \"parameters\": {\"tilt_time\": -1}}"},
};

static const struct {
    const char *command;
    int code;
    const char *message; /* somewhere on stderr */
} cases[] = {
    {"", 2, "usage: marlinspike"},
    {"juggle", 2, "unknown command 'juggle'"},
    {"inspect", 2, "inspect: missing: LOG"},
    {"inspect a.csv b.csv c.csv", 3, "none of these 3 files can be used"},
    {"inspect lift.csv still.csv", 3, "still.csv: accel_x is in lift.csv, too"},
    {"inspect lift.csv --time-offset 3", 2, "--time-offset is of the second of two logs"},
    {"inspect lift.csv still.csv --time-offset soon", 2, "--time-offset is auto or seconds"},
    {"inspect lift.csv --columns 't=1; accel=1,2'", 2, "column map: three columns are needed"},
    {"inspect lift.csv --columns missing.map", 3, "missing.map: cannot be read"},
    {"inspect lift.csv --columns 't=when'", 3, "lift.csv: no line has all the columns when"},
    {"inspect lift.csv --columns t=1 --columns t=1 --columns t=1", 2, "--columns: at most 2"},
    {"inspect lift.csv --against missing.csv", 3, "missing.csv: cannot be read"},
    {"inspect lift.csv --against lift.reference.csv", 4, "the longest still span without a gap lasts"},
    {"inspect --frob lift.csv", 2, "inspect: --frob: unknown option"},
    {"inspect --decimal x lift.csv", 2, "--decimal is . or ,"},
    {"inspect missing.csv", 3, "missing.csv: cannot be read: No such file or directory"},
    {"inspect .", 3, ".csv: "}, /* logs of several recordings */
    {"inspect empty.csv", 3, "empty.csv:1: the file is empty"},
    {"inspect header.csv", 4, "header.csv: a header and no samples"},
    {"inspect unit.csv", 3, "unit.csv:1: gyro_x has the unknown unit 'rpm'"},
    {"inspect twice.csv", 3, "twice.csv:1: column gyro_x stands there twice"},
    {"inspect comma.csv", 3, "comma.csv:2: a decimal comma: use --decimal ,"},
    {"inspect mostlybad.csv", 3, "mostlybad.csv:3: t is not a usable number; 2 of 3 rows cannot be used"},
    {"inspect good.json", 3,
     "good.json:1: is a calibration, and a log is wanted here; 'marlinspike verify good.json LOG'"},
    {"inspect lift.csv --sheet missing.json", 3, "missing.json: cannot be read"},
    {"calibrate dance still.csv", 2, "unknown recording 'dance'; known: still"},
    /* words that were mistyped */
    {"calibate still still.csv", 2, "unknown command 'calibate' (calibrate?)"},
    {"comprae lift.csv", 2, "unknown command 'comprae' (compare?)"},
    {"compare lift.csv --refernce x", 2, "unknown option (--reference?)"},
    {"replay lift.csv --tunning kalman", 2, "unknown option (--tuning?)"},
    {"search lift.csv --holdout x=y", 2, "unknown option (--hold-out?)"},
    {"replay lift.csv --tuning kalmn", 2, "(kalman?)"},
    {"replay lift.csv --tuning complementry", 2, "(complementary?)"},
    {"replay lift.csv --tuning complementary:tilt_tme=1", 2, "(tilt_time?)"},
    {"replay lift.csv --tuning kalman:magnoise=1", 2, "(mag_noise?)"},
    {"search lift.csv --reference lift.reference.csv --goal total.rmss", 2, "(total.rms?)"},
    {"record --from sim:tumbl -o x.csv", 2, "unknown scene 'tumbl' (tumble?)"},
    {"record --from sim:still --until pose -o x.csv", 2, "--until 'pose' (poses?)"},
    {"export still.csv --as c-heder", 2, "c-heder (c-header?)"},
    {"replay lfit.csv", 3, "lfit.csv: cannot be read: No such file or directory (lift.csv?)"},
    {"inspect ./stil.csv", 3, "(still.csv?)"},
    {"compare lift.csv --reference lift.referense.csv", 3, "(lift.reference.csv?)"},
    {"tuning klaman", 2, "(kalman?)"},
    {"calibrate tumbel still.csv", 2, "unknown recording 'tumbel' (tumble?); known: still"},
    {"simulate --scene tumbel -o x.csv", 2, "unknown scene 'tumbel' (tumble?); known: still"},
    {"calibrate still nocolumn.csv -o new.json", 4, "nocolumn.csv: needs gyro_x, gyro_y, gyro_z"},
    {"calibrate still corrected.csv -o new.json", 3, "corrected.csv:1: is corrected already"},
    {"calibrate still still.csv --into other.json", 3,
     "other.json:1: is of device 'pod-08', but still.csv is of device 'pod-07'"},
    {"calibrate still still.csv --into key.json", 3, "key.json:2: gyros: unknown key; known: "},
    {"calibrate still still.csv -o nowhere/new.json", 5, "nowhere/new.json: cannot be written"},
    {"calibrate still still.csv -o /dev/full", 5, "/dev/full: is a device: only a file is replaced"},
    {"correct lift.csv -o new.csv", 2, "--calibration and -o are needed"},
    {"correct lift.csv --calibration other.json -o new.csv", 3, "other.json:1: is of device 'pod-08'"},
    {"correct lift.csv --calibration broken.json -o new.csv", 3, "broken.json:1: "},
    {"correct corrected.csv --calibration good.json -o new.csv", 3, "corrected.csv:1: is corrected already"},
    {"correct mostlybad.csv --calibration good.json -o new.csv", 3, "mostlybad.csv:3: "},
    {"correct lift.csv --calibration good.json -o nowhere/new.csv", 5, "nowhere/new.csv: cannot be written"},
    {"correct lift.csv --calibration good.json -o /dev/full", 5,
     "/dev/full: is a device: only a file is replaced"},
    {"replay nocolumn.csv -o new.csv", 4, "nocolumn.csv: needs gyro_x, gyro_y, gyro_z"},
    {"replay zeros.csv -o new.csv", 4, "no good accelerometer reading to start from"},
    {"replay lift.csv --tuning magic -o new.csv", 2,
     "magic: neither a file nor a filter; filters: gyro, vectors, complementary"},
    {"replay lift.csv --tuning negative.json -o new.csv", 3,
     "negative.json:2: parameters.tilt_time: -1 is out of its range"},
    {"replay corrected.csv --calibration good.json -o new.csv", 3,
     "corrected.csv:1: is corrected already; leave --calibration out"},
    {"replay mostlybad.csv --tuning vectors -o new.csv", 4, "needs accel_x"},
    {"replay lift.csv -o /dev/full", 5, "/dev/full: is a device: only a file is replaced"},
    {"replay lift.csv -o .", 5, ".: is a folder: only a file is replaced"},
    {"replay lift.csv -o lift.csv", 2, "lift.csv: would be replaced by -o, and is an input (lift.csv)"},
    {"replay lift.csv -o ./lift.csv", 2, "./lift.csv: would be replaced by -o, and is an input (lift.csv)"},
    {"replay link.csv -o lift.csv", 2, "lift.csv: would be replaced by -o, and is an input (link.csv)"},
    {"replay lift.csv -o link.csv", 2, "link.csv: would be replaced by -o, and is an input (lift.csv)"},
    {"correct lift.csv --calibration good.json -o lift.csv", 2, "lift.csv: would be replaced by -o"},
    {"correct lift.csv --calibration good.json -o good.json", 2,
     "good.json: would be replaced by -o, and is an input (--calibration)"},
    {"smooth lift.csv --calibration good.json -o good.json", 2, "good.json: would be replaced by -o"},
    {"smooth lift.csv --into good.json -o good.json", 2,
     "good.json: would be written twice, by --into and by -o"},
    {"calibrate still still.csv --sheet good.json -o good.json", 2, "good.json: would be replaced by -o"},
    {"replay lift.csv --figure new.svg -o new.svg", 2, "new.svg: would be written twice"},
    {"replay lift.csv --tuning negative.json:beta=1 -o negative.json", 2,
     "negative.json: would be replaced by -o, and is an input (--tuning)"},
    {"replay lift.csv --report new.pdf", 2, "new.pdf: a report page ends in .html"},
    {"replay lift.csv --report new.html --body crane", 2, "--body is board or hook-block, and not 'crane'"},
    {"replay lift.csv --report lift.csv", 2, "lift.csv: would be replaced by --report"},
    {"replay pipe.csv --report new.html", 2, "pipe.csv: is a pipe: --report needs a file"},
    {"replay lift.csv --gap 5", 2, "--gap is FROM:TO in seconds of the log's time, and not '5'"},
    {"compare lift.csv --reference lift.reference.csv --gap 9:3", 2, "--gap is FROM:TO"},
    {"record --from log:lift.csv -o lift.csv", 2,
     "lift.csv: would be replaced by -o, and is an input (--from)"},
    {"simulate --scene still -o new.csv --truth ./new.csv", 2,
     "new.csv: would be written twice, by -o and by --truth"},
    {"compare --case lift.csv=page.html --report page.html", 2,
     "page.html: would be replaced by --report, and is an input (--case)"},
    {"compare lift.csv", 2, "--reference ATT is needed; without a rig, --reference smooth"},
    {"compare lift.csv --reference lift.reference.csv --window 5000:", 4, "the log runs from 0.000 to"},
    {"compare --case lift.csv=lift.reference.csv --case lift.csv=smooth", 2, "lift.csv is given twice"},
    {"verify lift.csv good.json", 3,
     "lift.csv:1: is a log, and a calibration is wanted here; 'marlinspike inspect lift.csv'"},
    {"replay good.json", 3,
     "good.json:1: is a calibration, and a log is wanted here; 'marlinspike verify good.json LOG'"},
    {"replay lift.csv --tunning kalman", 2, "--tunning: unknown option (--tuning?)"},
    {"replya lift.csv", 2, "unknown command 'replya' (replay?)"},
    {"unheardof lift.csv", 2, "unknown command 'unheardof'"},
    {"compare lift.csv --reference still.csv", 4, "still.csv: holds no attitude"},
    {"compare lift.csv --reference notime.csv", 4, "notime.csv: 1 s are too short for a reference"},
    {"compare lift.csv --reference lift.reference.csv --time-offset 115 --match world", 4,
     "lift.csv: the log and its reference have 4.99 s in common, 10 s are needed"},
    {"compare lift.csv --reference later.csv", 4, "no time in common; --time-offset auto"},
    {"compare lift.csv --reference later.csv --time-offset auto", 4, "no offset to later.csv stands out"},
    {"compare lift.csv --reference flip.csv", 3,
     "flip.csv: jumps by 180 degrees within 2e+03 ms at t = 8.000 s"},
    {"compare lift.csv --reference long.csv", 3,
     "long.csv:5: the quaternion's length is 2 and not 1 (1 such rows)"},
    {"compare lift.csv --reference lift.reference.csv --match all", 2,
     "--match is none, start, heading, world"},
    {"compare lift.csv --reference lift.reference.csv --time-offset soon", 2,
     "--time-offset is auto or seconds"},
    {"compare lift.csv --reference lift.reference.csv --rates 100,0", 2, "--rates is up to 16 rates in Hz"},
    {"compare lift.csv --reference lift.reference.csv --rates 50 --every 2", 2, "either --rates or --every"},
    {"compare lift.csv --reference lift.reference.csv --rates 400", 4, "too few for 400 Hz"},
    {"compare lift.csv --reference lift.reference.csv --drop 1", 2, "--drop is a share of the rows"},
    {"compare lift.csv --reference lift.reference.csv --jitter=-1", 2, "--jitter is in seconds"},
    {"compare --case lift.csv", 2, "--case is LOG=REFERENCE"},
    {"compare --reference lift.reference.csv", 2, "--reference needs a LOG"},
    {"compare", 2, "a LOG with --reference, or --case LOG=REFERENCE"},
    {"compare still.csv --reference lift.reference.csv --time-offset auto", 4, "no offset to"},
    {"replay lift.csv --pace=-2 -o new.csv", 2, "--pace is so many times real time"},
    {"replay lift.csv --every 0 -o new.csv", 2, "--every is a whole number from 1 on"},
    {"compare lift.csv --reference lift.reference.csv --reference-world xyz", 2,
     "--reference-world is enu or ned"},
    {"compare nocolumn.csv --reference lift.reference.csv --tuning gyro", 4, "needs gyro_x"},
    {"compare nocolumn.csv --reference lift.reference.csv --tuning gyro --tuning vectors", 1,
     "gyro: nocolumn.csv: needs gyro_x"},
    {"compare lift.csv --reference lift.reference.csv --figure new.pdf", 2,
     "new.pdf: a figure ends in .png, .svg or .gp"},
    {"simulate --scene picnic -o new.csv", 2,
     "unknown scene 'picnic'; known: still, turns, poses, tumble, soak, lift, slew, shake, steel, upside"},
    {"simulate --scene still", 2, "--scene and -o are needed"},
    {"simulate --scene still -o new.csv --duration -5", 2, "--duration"},
    {"simulate --scene still -o new.csv --duration abc", 2, "abc: invalid numeric value"},
    {"simulate --scene still -o new.csv --rate 0.1", 2, "--rate lies between"},
    {"simulate --scene still -o new.csv --device 'pod 7'", 2, "--device is one word"},
    {"simulate --scene still -o nowhere/new.csv", 5, "nowhere/new.csv: cannot be written"},
    {"simulate --scene still -o new.csv --truth nowhere/new.csv", 5, "nowhere/new.csv: cannot be written"},
    {"simulate --scene still -o new.csv --truth /dev/full", 5,
     "/dev/full: is a device: only a file is replaced"},
    {"demo nowhere/demo", 5, "nowhere/demo: cannot be made"},
    {"inspect lift.csv > /dev/full", 5, "stdout: cannot be written"},
    {"inspect lift.csv --json > /dev/full", 5, "stdout: cannot be written"},
};

START_TEST(each_case)
{
    temporary dir = tool_folder();
    char command[400];
    for (size_t i = 0; i < sizeof files / sizeof files[0]; i++) {
        temporary_text(&dir, files[i].name, files[i].text);
    }
    ck_assert_int_eq(symlink("lift.csv", "link.csv"), 0);
    ck_assert_int_eq(mkfifo("pipe.csv", 0600), 0);
    int before = temporary_count(&dir);
    snprintf(command, sizeof command, "%s", cases[_i].command);
    tool_run r;
    if (strchr(command, '>') != NULL) { /* the case takes stdout for itself */
        char whole[600];
        snprintf(whole, sizeof whole, "'%s' %s 2>.err", TOOL, command);
        r = (tool_run){WEXITSTATUS(system(whole)), strdup(""), temporary_read(".err")};
    } else {
        r = run("%s", command);
    }
    ck_assert_msg(r.code == cases[_i].code, "%s: exit %d\n%s", command, r.code, r.err);
    ck_assert_msg(strstr(r.err, cases[_i].message) != NULL, "%s:\n%s", command, r.err);
    ck_assert_msg(cases[_i].code == 1 || r.out[0] == '\0' || strstr(command, "calibrate still") != NULL ||
                      strstr(command, "compare lift") != NULL,
                  "%s: %s", command, r.out);
    run_free(&r);
    ck_assert_msg(temporary_count(&dir) == before, "%s left a file", command);
    temporary_remove(&dir);
}
END_TEST

/* Damage that can be lived with: done, counted, reported with its line, and in the JSON. */
START_TEST(bad_rows_are_counted_and_reported)
{
    temporary dir = tool_folder();
    temporary_text(&dir, "some.csv",
                   "t,accel_x,depth\n0,1,1\n0.01,what,1\n0.01,1,1\n0.005,1,1\n0.02,1\n0.03,1,1\n0.04,1,1\n0."
                   "05,1,1\n0.06,1,1\n");
    tool_run r = run("inspect some.csv");
    ck_assert_int_eq(r.code, 0);
    ck_assert_ptr_nonnull(strstr(r.err, "some.csv:4: time stands still; 3 of 9 rows dropped"));
    ck_assert_ptr_nonnull(strstr(r.err, "some.csv:3: no usable number; 1 such cells"));
    ck_assert_ptr_nonnull(strstr(r.err, "columns not known and ignored: depth"));
    run_free(&r);
    json_t *j = run_json(0, "inspect some.csv");
    ck_assert_double_eq(json_at(j, "rows"), 6);
    ck_assert_double_eq(json_at(j, "rows_dropped"), 3);
    ck_assert_double_eq(json_at(j, "cells_missing"), 1);
    const char *const codes[] = {"units-assumed", "unknown-column", "bad-rows", "time-repeat",
                                 "time-back",     "bad-cells",      "gap"};
    const json_t *warnings = json_object_get(j, "warnings");
    ck_assert_uint_eq(json_array_size(warnings), 7);
    for (size_t i = 0; i < 7; i++) {
        ck_assert_str_eq(json_string_value(json_object_get(json_array_get(warnings, i), "code")), codes[i]);
    }
    json_decref(j);
    temporary_remove(&dir);
}
END_TEST

/* The target that was there stays as it was when the work fails. */
START_TEST(old_files_survive_failures)
{
    temporary dir = tool_folder();
    temporary_text(&dir, "mostlybad.csv",
                   "t,accel_x,accel_y,accel_z,gyro_x,gyro_y,gyro_z\n0,0,0,9.8,0,0,0\nx\ny\n");
    temporary_text(&dir, "good.json", "{\"marlinspike\": \"calibration/1\"}");
    temporary_text(&dir, "old.csv", "old");
    run_wants(3, "replay mostlybad.csv -o old.csv");
    run_wants(3, "correct mostlybad.csv --calibration good.json -o old.csv");
    char *old = temporary_read("old.csv");
    ck_assert_str_eq(old, "old");
    free(old);
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE_OF_CASES("bad_input", cases, each_case, bad_rows_are_counted_and_reported,
                    old_files_survive_failures)
