/* SPDX-License-Identifier: MIT
 * record on the simulated board in virtual time, on files and pipes. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "run_board.h"
#include <math.h>

/* A log is whole: every row is good, and the last one complete. */
static marl_log whole_log(const char *path)
{
    marl_log log = {0};
    marl_error error = {0};
    ck_assert_msg(marl_log_load(&log, path, NULL, &error) == MARL_OK, "%s", error.text);
    ck_assert_uint_eq(log.report.rows_dropped, 0);
    ck_assert_int_eq(log.report.truncated, 0);
    return log;
}

static const char *text_at(const json_t *root, const char *key)
{
    const char *text = json_string_value(json_object_get(root, key));
    ck_assert_msg(text != NULL, "%s", key);
    return text;
}

static int warns(const json_t *root, const char *code)
{
    const json_t *list = json_object_get(root, "warnings");
    for (size_t i = 0; i < json_array_size(list); i++) {
        if (strcmp(json_string_value(json_object_get(json_array_get(list, i), "code")), code) == 0) {
            return 1;
        }
    }
    return 0;
}

static const char *const kinds[] = {"still", "turns", "poses", "tumble", "soak"};

/* Every guided recording ends by itself, and the tool that reads it agrees. */
START_TEST(a_guided_recording_ends_by_itself)
{
    temporary t = tool_folder();
    json_t *root = run_json(0, "record --from sim:%s --until %s -o r.csv --rate 50", kinds[_i], kinds[_i]);
    ck_assert_str_eq(text_at(root, "ended"), "enough");
    ck_assert_double_eq(json_at(root, "accepted"), 1);
    ck_assert_double_eq(json_at(root, "progress"), 1);
    ck_assert_uint_eq(json_array_size(json_object_get(root, "warnings")), 0);
    ck_assert_double_eq_tol(json_at(root, "sensors.gyro.rate_hz"), 50, 0.1);
    ck_assert_double_eq_tol(json_at(root, "sensors.mag.rate_hz"), 25, 0.1);
    marl_log log = whole_log("r.csv");
    ck_assert_double_eq((double)log.n, json_at(root, "rows"));
    ck_assert_str_eq(log.info.device, "pod-07");
    json_t *seen = run_json(0, "inspect r.csv");
    ck_assert_double_eq(json_at(seen, "sensors.gyro.gaps"), 0);
    ck_assert(access("r.csv.part", F_OK) != 0);
    json_decref(seen);
    json_decref(root);
    marl_log_free(&log);
    temporary_remove(&t);
}
END_TEST

/* The wrong scene for the guide: what is there is kept, and it says what to do. */
START_TEST(too_little_is_exit_4_with_what_to_do_next)
{
    temporary t = tool_folder();
    json_t *root = run_json(4, "record --from sim:still --until poses -o r.csv");
    ck_assert_double_eq(json_at(root, "accepted"), 0);
    const char *next = json_string_value(json_array_get(json_object_get(root, "next"), 0));
    ck_assert_str_eq(next, "turn +x up, and let it rest for 2 s");
    marl_log log = whole_log("r.csv");
    ck_assert_uint_gt(log.n, 5000);
    marl_log_free(&log);
    json_decref(root);
    temporary_remove(&t);
}
END_TEST

/* Every combination of faults of the bus, the line and its end: the log is whole, what was lost is counted
 * and named, and nothing else is. */
START_TEST(every_combination_of_faults_ends_in_a_whole_log)
{
    temporary t = tool_folder();
    for (int c = 0; c < 64; c++) {
        int late = c & 1, silent = c & 2, garbage = c & 4, lose = c & 8, noise = c & 16, unplug = c & 32;
        char faults[200] = "ppm=0";
        size_t n = strlen(faults);
        n += (size_t)snprintf(faults + n, sizeof faults - n, "%s%s%s", late ? ",late=0.2" : "",
                              silent ? ",silent=0.2" : "", garbage ? ",garbage=0.1" : "");
        snprintf(faults + n, sizeof faults - n, "%s%s%s", lose ? ",lose=0.001" : "",
                 noise ? ",noise=0.001" : "", unplug ? ",unplug=4" : "");
        json_t *root = run_json(unplug ? 4 : 0,
                                "record --from sim:lift --until 6 -o r.csv --seed %d --faults %s", c, faults);
        marl_log log = whole_log("r.csv");
        ck_assert_double_eq((double)log.n, json_at(root, "rows"));
        ck_assert_uint_gt(log.n, 100);
        ck_assert_str_eq(text_at(root, "ended"), unplug ? "vanished" : "enough");
        ck_assert_int_eq(warns(root, "vanished"), unplug != 0);
        ck_assert_int_eq(json_at(root, "packets_lost") > 0, lose || noise);
        ck_assert_int_eq(warns(root, "lost"), lose || noise);
        ck_assert_int_eq(warns(root, "noise"), lose || noise);
        ck_assert_int_eq(warns(root, "chip"), late || silent || garbage);
        /* a garbled transfer has cost the reading; a late or silent one is tried again, mostly in time */
        if (garbage || lose || noise) {
            ck_assert_int_eq(warns(root, "gap"), 1);
        } else if (!late && !silent) {
            ck_assert_int_eq(warns(root, "gap"), 0);
        }
        int wrong = 0;
        for (size_t i = 0; i < log.n; i++) {
            const marl_sample *s = &log.row[i].sample;
            wrong += (s->fresh & MARL_FRESH_ACCEL) && fabsf(marl_vec3_norm(s->accel) - 9.8f) > 6.0f;
        }
        /* of random bytes one burst in 4096 looks like a Grommet's (identity and zeros); some 500 are read
         */
        ck_assert_int_le(wrong, garbage ? 3 : 0);
        ck_assert(access("r.csv.part", F_OK) != 0);
        marl_log_free(&log);
        json_decref(root);
    }
    temporary_remove(&t);
}
END_TEST

START_TEST(a_power_cut_and_a_wrapped_clock_are_named)
{
    temporary t = tool_folder();
    json_t *root = run_json(0, "record --from sim:still --until 20 -o r.csv --faults cut=5");
    ck_assert_str_eq(text_at(root, "ended"), "enough");
    ck_assert_int_eq(warns(root, "restarted"), 1);
    ck_assert_double_eq(json_at(root, "restarts"), 1);
    ck_assert_double_eq_tol(json_at(root, "duration_s"), 20, 0.05);
    ck_assert_double_eq(json_at(root, "packets_lost"), 0);
    json_decref(root);
    root = run_json(0, "record --from sim:still --until 10 -o r.csv --faults wrap=5");
    ck_assert_int_eq(warns(root, "clock-wrap"), 1);
    ck_assert_double_eq_tol(json_at(root, "duration_s"), 10, 0.05);
    ck_assert_double_eq(json_at(root, "gaps"), 0);
    json_decref(root);
    root = run_json(0, "record --from sim:still --until 10 -o r.csv --faults dip=5");
    ck_assert_double_eq(json_at(root, "gaps"), 1);
    json_decref(root);
    temporary_remove(&t);
}
END_TEST

/* A number of seconds is what it says, also beyond the scene's own length. */
START_TEST(ten_minutes_of_the_boards_time_are_recorded)
{
    temporary t = tool_folder();
    json_t *root = run_json(0, "record --from sim:still --until 600 --rate 25 -o r.csv");
    ck_assert_double_ge(json_at(root, "duration_s"), 600);
    ck_assert_double_lt(json_at(root, "duration_s"), 600.1);
    json_decref(root);
    temporary_remove(&t);
}
END_TEST

START_TEST(a_log_is_recorded_again_through_the_chips)
{
    temporary t = tool_folder();
    run_wants(0, "record --from log:lift.csv -o again.csv --quiet");
    marl_log a = whole_log("lift.csv"), b = whole_log("again.csv");
    ck_assert_uint_eq(a.n, b.n);
    ck_assert_str_eq(b.info.device, a.info.device);
    for (size_t i = 0; i < a.n; i++) {
        ck_assert_uint_eq(a.row[i].sample.fresh, b.row[i].sample.fresh);
        ck_assert_float_eq_tol(a.row[i].sample.gyro.z, b.row[i].sample.gyro.z, 3e-4f);
    }
    marl_log_free(&a);
    marl_log_free(&b);
    temporary_remove(&t);
}
END_TEST

START_TEST(chips_of_a_split_board_keep_their_rates_and_stamps)
{
    temporary t = tool_folder();
    json_t *root = run_json(
        0, "record --from sim:lift --until 20 -o r.csv --chip '%s/thimble.json' --chip '%s/ferrule.json'",
        CHIPS, CHIPS);
    ck_assert_double_eq_tol(json_at(root, "sensors.gyro.rate_hz"), 104, 0.2);
    ck_assert_double_eq_tol(json_at(root, "sensors.mag.rate_hz"), 50, 0.1);
    ck_assert_double_eq(json_at(root, "gaps"), 0);
    marl_log log = whole_log("r.csv");
    size_t both = 0;
    for (size_t i = 0; i < log.n; i++) {
        both += (log.row[i].sample.fresh & (MARL_FRESH_GYRO | MARL_FRESH_MAG)) ==
                (MARL_FRESH_GYRO | MARL_FRESH_MAG);
    }
    ck_assert_uint_eq(both, 0);
    marl_log_free(&log);
    json_decref(root);
    temporary_remove(&t);
}
END_TEST

static int same_vector(marl_vec3 a, marl_vec3 b)
{
    return memcmp(&a.x, &b.x, sizeof a.x) == 0 && memcmp(&a.y, &b.y, sizeof a.y) == 0 &&
           memcmp(&a.z, &b.z, sizeof a.z) == 0;
}

/* Bit for bit, but for padding. */
static int same_sample(const marl_sample *a, const marl_sample *b)
{
    return a->t_ns == b->t_ns && a->fresh == b->fresh && same_vector(a->accel, b->accel) &&
           same_vector(a->gyro, b->gyro) && same_vector(a->mag, b->mag) &&
           memcmp(&a->temp, &b->temp, sizeof a->temp) == 0 &&
           memcmp(&a->speed, &b->speed, sizeof a->speed) == 0;
}

/* The one that comes second ends with that message, and the first goes on. */
START_TEST(a_second_recorder_is_refused)
{
    temporary t = tool_folder();
    char command[1500];
    snprintf(command, sizeof command,
             "mkfifo feed; '%s' record --from - -o r.csv --quiet <feed 2>.first & exec 9>feed; "
             "head -n 1002 lift.csv >&9; "
             "for i in $(seq 100); do [ -s r.csv.part ] && break; sleep 0.05; done; "
             "'%s' record --from sim:still --until 2 -o r.csv --quiet 2>.err; "
             "code=$?; exec 9>&-; wait; exit $code",
             TOOL, TOOL);
    int result = system(command);
    ck_assert(WIFEXITED(result) && WEXITSTATUS(result) == 5);
    char *given = temporary_read(".err");
    ck_assert_msg(strstr(given, "r.csv.part: another recording is being written to it now") != NULL, "%s",
                  given);
    free(given);
    marl_log log = whole_log("r.csv");
    ck_assert_uint_eq(log.n, 1000);
    marl_log_free(&log);
    temporary_remove(&t);
}
END_TEST

START_TEST(standard_input_is_taken)
{
    temporary t = tool_folder();
    char command[700];
    snprintf(command, sizeof command, "'%s' record --from - -o r.csv --json <lift.csv >.json 2>.err", TOOL);
    ck_assert_int_eq(system(command), 0);
    marl_log a = whole_log("lift.csv"), b = whole_log("r.csv");
    ck_assert_uint_eq(a.n, b.n);
    ck_assert_str_eq(b.info.device, "pod-07");
    for (size_t i = 0; i < a.n; i++) {
        ck_assert(same_sample(&a.row[i].sample, &b.row[i].sample));
    }
    marl_log_free(&a);
    marl_log_free(&b);
    temporary_remove(&t);
}
END_TEST

/* What goes wrong before a row has come leaves no file; each row: the words behind `record`, exit code, what
 * is said. */
static const struct {
    const char *words;
    int code;
    const char *given;
} refusals[] = {
    {"--from sim:still", 2, "--from and -o are needed"},
    {"--from sim:dawn -o r.csv", 2, "unknown scene 'dawn'; known: still, turns"},
    {"--from pigeon -o r.csv", 2,
     "'pigeon' is no source; known: sim:SCENE, log:FILE, serial:DEVICE[@BAUD], -"},
    {"--from sim:still --until dawn -o r.csv", 2, "--until 'dawn': wanted still, turns"},
    {"--from sim:still --until -3 -o r.csv", 2, "--until '-3'"},
    {"--from sim:still --rate -1 -o r.csv", 2, "--rate lies between"},
    {"--from sim:still --faults late=2 -o r.csv", 2, "late lies between 0 and 1"},
    {"--from sim:still --turn-angle 3 -o r.csv", 2, "--turn-angle lies between 60 and 3600 deg"},
    {"--from sim:still --device 'two words' -o r.csv", 2, "the firmware cannot start: device"},
    {"--from sim:still --chip missing.json -o r.csv", 3, "missing.json"},
    {"--from sim:still --chip still.csv -o r.csv", 3, "still.csv"},
    {"--from log:missing.csv -o r.csv", 3, "missing.csv: cannot be read"},
    {"--from serial:/dev/no-such-line -o r.csv", 5, "/dev/no-such-line: No such file"},
    {"--from serial:/dev/null -o r.csv", 5, "/dev/null: is no serial line"},
    {"--from serial:/dev/null@12345 -o r.csv", 2, "unknown baud rate '12345'; known: 9600"},
    {"--from serial:/dev/null@fast -o r.csv", 2, "unknown baud rate 'fast'"},
    {"--from - -o r.csv </dev/null", 4, "standard input: nothing came"},
    {"--from - -o r.csv <pod.json", 3, "bytes and neither a whole packet nor a header among them"},
    {"--from - -o r.csv <bad-unit.csv", 3, "standard input:1: temp has the unknown unit"},
    {"--from - -o r.csv <header.csv", 4, "standard input: no sample came"},
    {"--from - -o r.csv <comma.csv", 3, "standard input:2: a decimal comma: use --decimal ,"},
    {"--from sim:still --faults silent=1 --until 2 -o r.csv", 4, "no sample came"},
    {"--from sim:still -o no/such/folder/r.csv", 5, "no/such/folder/r.csv: cannot be written"},
};

START_TEST(what_cannot_be_recorded_leaves_no_file)
{
    temporary t = tool_folder();
    temporary_text(&t, "pod.json", "{\"no\": \"log\"}\n");
    temporary_text(&t, "bad-unit.csv", "t[s],temp[degX]\n1,20\n");
    temporary_text(&t, "header.csv", "t[s],temp[degC]\n");
    temporary_text(&t, "comma.csv", "t[s];temp[degC]\n0,1;20,5\n0,2;20,5\n");
    for (size_t i = 0; i < sizeof refusals / sizeof refusals[0]; i++) {
        tool_run r = run("record %s", refusals[i].words);
        ck_assert_msg(r.code == refusals[i].code, "%s: exit %d: %s", refusals[i].words, r.code, r.err);
        ck_assert_msg(strstr(r.err, refusals[i].given) != NULL, "%s: %s", refusals[i].words, r.err);
        ck_assert_msg(access("r.csv", F_OK) != 0 && access("r.csv.part", F_OK) != 0, "%s", refusals[i].words);
        run_free(&r);
    }
    temporary_remove(&t);
}
END_TEST

START_TEST(what_is_left_of_a_recording_is_not_overwritten)
{
    temporary t = tool_folder();
    temporary_text(&t, "r.csv.part", "precious\n");
    tool_run r = run("record --from sim:still --until 1 -o r.csv");
    ck_assert_int_eq(r.code, 5);
    ck_assert_ptr_nonnull(strstr(r.err, "r.csv.part: left of a recording that was cut short"));
    char *kept = temporary_read("r.csv.part");
    ck_assert_str_eq(kept, "precious\n");
    free(kept);
    run_free(&r);
    temporary_remove(&t);
}
END_TEST

/* The file may grow to 200 KiB: writing fails in the middle, and what was written stays. */
START_TEST(a_full_disk_keeps_what_was_written)
{
    temporary t = tool_folder();
    char command[700];
    marl_error error = {0};
    marl_log log = {0};
    snprintf(command, sizeof command,
             "trap '' XFSZ; ulimit -f 400; '%s' record --from sim:still --until 60 -o r.csv 2>.err", TOOL);
    int result = system(command);
    ck_assert(WIFEXITED(result) && WEXITSTATUS(result) == 5);
    char *given = temporary_read(".err");
    ck_assert_msg(strstr(given, "r.csv: cannot be written: File too large") != NULL, "%s", given);
    ck_assert_msg(strstr(given, "what was received is in r.csv.part") != NULL, "%s", given);
    ck_assert(access("r.csv", F_OK) != 0);
    ck_assert_msg(marl_log_load(&log, "r.csv.part", NULL, &error) == MARL_OK, "%s", error.text);
    ck_assert_uint_gt(log.n, 1000);
    ck_assert_uint_le(log.report.rows_dropped, 1); /* the last */
    marl_log_free(&log);
    free(given);
    tool_run r = run("record --from sim:still --until 20 -o /dev/full");
    ck_assert_int_eq(r.code, 5);
    ck_assert_msg(strstr(r.err, "/dev/full: is a device") != NULL, "%s", r.err);
    run_free(&r);
    temporary_remove(&t);
}
END_TEST

START_TEST(a_recorded_board_is_calibrated_and_replayed)
{
    temporary t = tool_folder();
    run_wants(0, "record --from sim:still --until still -o rest.csv --quiet");
    json_t *root = run_json(0, "calibrate still rest.csv -o cal.json");
    marl_sheet sheet = marl_sheet_grommet();
    /* the sheet's bias and its spread from one power-on to the next; the correction holds it to its errors */
    double sigma =
        json_number_value(json_array_get(json_object_get(json_object_get(root, "gyro"), "bias_sigma"), 0));
    double bias =
        json_number_value(json_array_get(json_object_get(json_object_get(root, "gyro"), "bias"), 0));
    ck_assert_double_eq_tol(bias, sheet.gyro.bias[0], 4 * sheet.gyro.bias_spread + 5 * sigma);
    run_wants(0, "record --from sim:lift -o flight.csv --quiet");
    run_wants(0, "replay flight.csv --calibration cal.json --tuning complementary -o att.csv --quiet");
    json_decref(root);
    temporary_remove(&t);
}
END_TEST

START_TEST(send_works_with_a_simulated_board_that_keeps_its_memory)
{
    temporary t = tool_folder();
    run_wants(0, "calibrate still still.csv -o cal.json --quiet");
    json_t *root =
        run_json(0, "send --to sim:board.bin --calibration cal.json --tuning vectors --zero --commit");
    ck_assert_str_eq(text_at(root, "device"), "pod-07");
    ck_assert_uint_eq(json_array_size(json_object_get(root, "done")), 4);
    json_decref(root);
    char *memory = temporary_read("board.bin");
    ck_assert_int_eq(memcmp(memory, "MRSK", 4), 0);
    free(memory);
    static const struct {
        const char *words;
        int code;
        const char *given;
    } cases[] = {
        {"--to sim --calibration cal.json --device pod-08", 3,
         "pod-08 refuses the calibration: meant for another device"},
        {"--to sim --calibration missing.json", 3, "missing.json"},
        {"--to sim --tuning dream", 2, "dream: neither a file nor a filter"},
        {"--to sim", 2, "one of --undo, --calibration, --offsets, --tuning, --zero, --calibrate, --commit"},
        {"--to sim --offsets", 3, "refuses the offsets: no calibrated sensor has offset registers"},
        {"--zero", 2, "--to is needed"},
        {"--to pigeon --zero", 2, "--to 'pigeon': wanted serial:"},
        {"--to serial:/dev/null --zero", 5, "/dev/null: is no serial line"},
        {"--to sim:still.csv --zero", 3, "still.csv: not the memory of a simulated board"},
    };
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        tool_run r = run("send %s", cases[i].words);
        ck_assert_msg(r.code == cases[i].code, "%s: exit %d: %s", cases[i].words, r.code, r.err);
        ck_assert_msg(strstr(r.err, cases[i].given) != NULL, "%s: %s", cases[i].words, r.err);
        run_free(&r);
    }
    temporary_remove(&t);
}
END_TEST

/* On a terminal three lines are drawn over each other; none is longer than the terminal is wide. */
START_TEST(the_guide_is_redrawn_in_place)
{
    static terminal_run run;
    static char screen[12][200];
    temporary t = tool_folder();
    terminal_start(&run, "record --from sim:poses --until poses -o r.csv", 100);
    ck_assert_int_eq(terminal_wait(&run), 0);
    terminal_screen(&run, screen, 12);
    ck_assert_msg(strstr(screen[0], " s   accel 100.0 Hz   gyro 100.0 Hz   mag 25.0 Hz   gaps 0   at rest") !=
                      NULL,
                  "%s", screen[0]);
    ck_assert_str_eq(screen[1], "up: +x -x +y -y +z -z, other attitudes 6 of 6");
    ck_assert_str_eq(screen[2], "-> enough");
    ck_assert_str_eq(screen[3], "");
    ck_assert_ptr_nonnull(strstr(run.text, "-> turn +x up"));
    ck_assert_ptr_nonnull(strstr(run.text, "-> keep it so"));
    ck_assert_ptr_nonnull(strstr(run.text, "other attitudes 5 of 6"));
    ck_assert_ptr_nonnull(strstr(run.text, "-> lean it on 1 more edge or corner"));
    temporary_remove(&t);
    t = tool_folder();
    terminal_start(&run, "record --from sim:tumble --until tumble -o r.csv", 40);
    ck_assert_int_eq(terminal_wait(&run), 0);
    for (const char *line = run.text; (line = strpbrk(line, "\r\n")) != NULL; line++) {
        ck_assert_uint_lt(strcspn(line + 1, "\033\r\n"), 40);
    }
    temporary_remove(&t);
}
END_TEST

/* Elsewhere plain lines, without a control character, and not one for each row. */
START_TEST(without_a_terminal_there_are_plain_lines)
{
    temporary t = tool_folder();
    tool_run r = run("record --from sim:turns --until turns -o r.csv");
    int lines = 0;
    for (const char *c = r.err; *c != '\0'; c++) {
        lines += *c == '\n';
        ck_assert(*c == '\n' || (unsigned char)*c >= ' ');
    }
    ck_assert(lines > 20 && lines < 100);
    ck_assert_ptr_nonnull(strstr(r.err, "of 360 deg about z, then let it rest"));
    ck_assert_ptr_nonnull(strstr(r.err, "turns about x +1 -1, y +1 -1, z +1 -1"));
    ck_assert_ptr_nonnull(strstr(r.out, "r.csv: "));
    run_free(&r);
    r = run("record --from sim:still --until 3 -o q.csv --quiet");
    ck_assert_str_eq(r.err, "");
    ck_assert_str_eq(r.out, "");
    run_free(&r);
    temporary_remove(&t);
}
END_TEST

/* Below the guide stands what filters make of it, in place on a terminal; the log is the same with and without. */
START_TEST(filters_are_watched_meanwhile)
{
    static terminal_run run_of;
    static char screen[40][200];
    temporary t = tool_folder();
    terminal_start(&run_of, "record --from sim:tumble --until tumble --watch kalman --watch gyro -o a.csv",
                   120);
    ck_assert_int_eq(terminal_wait(&run_of), 0);
    terminal_screen(&run_of, screen, 40);
    int kalman = -1, gyro = -1;
    for (int i = 0; i < 40; i++) {
        double roll, pitch, heading;
        kalman = sscanf(screen[i], "kalman roll %lf pitch %lf heading %lf", &roll, &pitch, &heading) == 3
                     ? i
                     : kalman;
        gyro =
            sscanf(screen[i], "gyro roll %lf pitch %lf heading %lf", &roll, &pitch, &heading) == 3 ? i : gyro;
    }
    ck_assert_msg(kalman > 0 && gyro == kalman + 1, "%s", run_of.text);
    run_wants(0, "record --from sim:tumble --until tumble --quiet -o b.csv");
    char *a = temporary_read("a.csv"), *b = temporary_read("b.csv");
    ck_assert_str_eq(a, b);
    free(a);
    free(b);
    run_wants(2, "record --from sim:still --until 1 --watch best -o c.csv");
    temporary_remove(&t);
}
END_TEST

MARL_SUITE_OF_CASES("record", kinds, a_guided_recording_ends_by_itself,
                    too_little_is_exit_4_with_what_to_do_next,
                    CAMPAIGN(every_combination_of_faults_ends_in_a_whole_log),
                    a_power_cut_and_a_wrapped_clock_are_named, ten_minutes_of_the_boards_time_are_recorded,
                    a_log_is_recorded_again_through_the_chips,
                    chips_of_a_split_board_keep_their_rates_and_stamps, standard_input_is_taken,
                    a_second_recorder_is_refused, what_cannot_be_recorded_leaves_no_file,
                    what_is_left_of_a_recording_is_not_overwritten, a_full_disk_keeps_what_was_written,
                    filters_are_watched_meanwhile, a_recorded_board_is_calibrated_and_replayed,
                    send_works_with_a_simulated_board_that_keeps_its_memory, the_guide_is_redrawn_in_place,
                    without_a_terminal_there_are_plain_lines)
