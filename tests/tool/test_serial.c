/* SPDX-License-Identifier: MIT
 * record and send on a real serial path: the board example behind a pseudo-terminal, at real pace. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "run_board.h"

static void wait_ms(int ms)
{
    struct timespec t = {.tv_sec = ms / 1000, .tv_nsec = 1000000L * (ms % 1000)};
    nanosleep(&t, NULL);
}

static unsigned long rows_of(const char *path)
{
    marl_log log = {0};
    marl_error error = {0};
    ck_assert_msg(marl_log_load(&log, path, NULL, &error) == MARL_OK, "%s", error.text);
    ck_assert_uint_eq(log.report.rows_dropped, 0);
    unsigned long n = log.n;
    marl_log_free(&log);
    return n;
}

/* Nine axes at 1 kHz, the magnetometer at its own 25 Hz; the stream is met in the middle, so the first packet
 * is half. A terminal holds 4 kB: a machine that stands still for 50 ms loses some, but not three times. */
START_TEST(a_fast_board_loses_nothing)
{
    temporary t = tool_folder();
    board_run b = board_start("-s lift -r 1000");
    wait_ms(200);
    json_t *root = run_json(0, "record --from serial:%s@2000000 --until 4 -o r.csv", b.device);
    for (int tries = 1; tries < 3 && json_at(root, "packets_lost") > 0; tries++) {
        json_decref(root);
        unlink("r.csv");
        root = run_json(0, "record --from serial:%s@2000000 --until 4 -o r.csv", b.device);
    }
    ck_assert_double_eq(json_at(root, "packets_lost"), 0);
    ck_assert_double_eq(json_at(root, "gaps"), 0);
    ck_assert_double_eq_tol(json_at(root, "sensors.gyro.rate_hz"), 1000, 1);
    ck_assert_str_eq(json_string_value(json_object_get(root, "device")), "pod-07");
    ck_assert_uint_ge(rows_of("r.csv"), 4000);
    json_decref(root);
    board_stop(&b);
    temporary_remove(&t);
}
END_TEST

START_TEST(lines_come_over_the_same_wire)
{
    temporary t = tool_folder();
    board_run b = board_start("-s lift -r 200 -c");
    wait_ms(300);
    json_t *root = run_json(0, "record --from serial:%s --until 3 -o r.csv", b.device);
    ck_assert_str_eq(json_string_value(json_object_get(root, "stream")), "lines");
    ck_assert_uint_ge(rows_of("r.csv"), 400); /* the header comes once in 200 lines */
    ck_assert_str_eq(json_string_value(json_object_get(root, "device")),
                     "pod-07"); /* the answer is a packet between */
    ck_assert_double_eq(json_at(root, "rows_dropped"), 0);
    json_decref(root);
    root = run_json(0, "send --to serial:%s --tuning vectors", b.device);
    json_decref(root);
    run_wants(0, "record --from serial:%s --until 3 -o s.csv --quiet", b.device);
    marl_log log = {0};
    ck_assert_int_eq(marl_log_load(&log, "s.csv", NULL, NULL), MARL_OK);
    ck_assert_uint_eq(log.info.columns & MARL_COLUMNS_Q, MARL_COLUMNS_Q);
    ck_assert_int_eq(log.row[log.n - 1].has_q, 1);
    marl_log_free(&log);
    board_stop(&b);
    temporary_remove(&t);
}
END_TEST

START_TEST(a_noisy_line_is_counted)
{
    temporary t = tool_folder();
    board_run b = board_start("-s lift -r 500 -f lose=0.0003,noise=0.0003");
    json_t *root = run_json(0, "record --from serial:%s --until 3 -o r.csv", b.device);
    ck_assert_double_gt(json_at(root, "packets_lost"), 5);
    ck_assert_double_gt(json_at(root, "bytes_skipped"), 100);
    ck_assert_double_eq((double)rows_of("r.csv"), json_at(root, "rows"));
    json_decref(root);
    board_stop(&b);
    temporary_remove(&t);
}
END_TEST

START_TEST(unplugged_in_the_middle_what_came_is_kept)
{
    temporary t = tool_folder();
    board_run b = board_start("-s lift -r 100 -f unplug=4");
    tool_run r = run("record --from serial:%s --until 10 -o r.csv", b.device);
    ck_assert_int_eq(r.code, 4);
    ck_assert_msg(strstr(r.err, ": the device vanished after ") != NULL, "%s", r.err);
    ck_assert_msg(strstr(r.err, "what was received is kept") != NULL, "%s", r.err);
    ck_assert_uint_gt(rows_of("r.csv"), 120);
    run_free(&r);
    board_stop(&b);
    b = board_start("-s lift -r 100 -f unplug=2");
    run_wants(0, "record --from serial:%s -o s.csv", b.device); /* nobody said how much was wanted */
    board_stop(&b);
    temporary_remove(&t);
}
END_TEST

/* Another baud rate gives bytes that mean nothing. */
START_TEST(a_wrong_baud_rate_is_suspected)
{
    temporary t = tool_folder();
    board_run b = board_start("-s lift -r 1000 -f noise=1");
    tool_run r = run("record --from serial:%s@9600 --until 10 -o r.csv", b.device);
    ck_assert_int_eq(r.code, 3);
    ck_assert_msg(
        strstr(r.err, "neither a whole packet nor a header among them: is 9600 the right baud rate?") != NULL,
        "%s", r.err);
    ck_assert(access("r.csv", F_OK) != 0 && access("r.csv.part", F_OK) != 0);
    run_free(&r);
    r = run("send --to serial:%s@9600 --zero", b.device);
    ck_assert_int_eq(r.code, 5);
    ck_assert_msg(
        strstr(r.err,
               "no acknowledgement after 5 tries; bytes came, but no packet: is this the right baud rate?") !=
            NULL,
        "%s", r.err);
    run_free(&r);
    board_stop(&b);
    temporary_remove(&t);
}
END_TEST

/* A board that hangs keeps the line open and says nothing more. */
START_TEST(a_board_that_goes_silent_is_not_waited_for)
{
    static terminal_run run;
    temporary t = tool_folder();
    char words[200];
    board_run b = board_start("-s still -r 100");
    snprintf(words, sizeof words, "record --from serial:%s --until 60 -o r.csv", b.device);
    terminal_start(&run, words, 120);
    wait_ms(2000);
    kill(b.pid, SIGSTOP);
    ck_assert_int_eq(terminal_wait(&run), 4);
    ck_assert_msg(strstr(run.text, ": the board went silent after ") != NULL, "%s", run.text);
    ck_assert_uint_gt(rows_of("r.csv"), 100);
    kill(b.pid, SIGCONT);
    board_stop(&b);
    temporary_remove(&t);
}
END_TEST

START_TEST(ctrl_c_keeps_what_is_there)
{
    static const int signals[] = {SIGINT, SIGTERM};
    temporary t = tool_folder();
    for (int i = 0; i < 2; i++) {
        static terminal_run run;
        char words[200];
        board_run b = board_start("-s still -r 200");
        snprintf(words, sizeof words, "record --from serial:%s -o r.csv", b.device);
        terminal_start(&run, words, 80);
        wait_ms(1500);
        kill(run.pid, signals[i]);
        ck_assert_int_eq(terminal_wait(&run), 0);
        ck_assert_uint_gt(rows_of("r.csv"), 100);
        ck_assert_ptr_nonnull(strstr(run.text, "recording until Ctrl-C"));
        ck_assert(access("r.csv.part", F_OK) != 0);
        board_stop(&b);
    }
    temporary_remove(&t);
}
END_TEST

/* Killed without a chance to tidy up, a recording is there as LOG.part, whole up to its last row. */
START_TEST(a_crash_leaves_a_log_that_can_be_read)
{
    static terminal_run run;
    temporary t = tool_folder();
    marl_log log = {0};
    marl_error error = {0};
    char words[200];
    int result;
    board_run b = board_start("-s still -r 500");
    snprintf(words, sizeof words, "record --from serial:%s -o r.csv", b.device);
    terminal_start(&run, words, 80);
    wait_ms(3000);
    kill(run.pid, SIGKILL);
    waitpid(run.pid, &result, 0);
    close(run.fd);
    ck_assert(access("r.csv", F_OK) != 0);
    ck_assert_msg(marl_log_load(&log, "r.csv.part", NULL, &error) == MARL_OK, "%s", error.text);
    ck_assert_uint_gt(log.n, 400);
    ck_assert_uint_le(log.report.rows_dropped, 1);
    marl_log_free(&log);
    board_stop(&b);
    temporary_remove(&t);
}
END_TEST

/* On a line that loses a byte in two thousand, every message gets through: of 400 bytes, each lost or
 * spoilt with 0.0007, five in a row fail in one of 1,000 runs. */
START_TEST(send_repeats_until_it_is_answered)
{
    temporary t = tool_folder();
    run_wants(0, "calibrate still still.csv -o cal.json --quiet");
    board_run b = board_start("-s still -r 50 -f lose=0.0005,noise=0.0002");
    run_wants(0, "send --to serial:%s --calibration cal.json --tuning complementary --zero --commit",
              b.device);
    json_t *root = run_json(0, "record --from serial:%s --until 3 -o r.csv", b.device);
    marl_log log = {0};
    size_t attitudes = 0;
    ck_assert_int_eq(marl_log_load(&log, "r.csv", NULL, NULL), MARL_OK);
    for (size_t i = 0; i < log.n; i++) {
        attitudes += log.row[i].has_q != 0;
    }
    ck_assert_uint_gt(attitudes, 50); /* it estimates now, and says so */
    marl_log_free(&log);
    json_decref(root);
    board_stop(&b);
    b = board_start("-s tumble -n pod-08");
    tool_run r = run("send --to serial:%s --calibration cal.json", b.device);
    ck_assert_int_eq(r.code, 3);
    ck_assert_msg(strstr(r.err, "pod-08 refuses the calibration: meant for another device") != NULL, "%s",
                  r.err);
    run_free(&r);
    wait_ms(3500); /* the scene moves by now */
    r = run("send --to serial:%s --zero", b.device);
    ck_assert_int_eq(r.code, 4);
    ck_assert_msg(strstr(r.err, "pod-08 refuses the zero: the board moves; it must be at rest") != NULL, "%s",
                  r.err);
    run_free(&r);
    board_stop(&b);
    temporary_remove(&t);
}
END_TEST

/* The bytes of a stream, kept in a file, decoded by a library that nobody here wrote, against the log that
 * the tool makes of them. */
START_TEST(another_library_reads_the_stream)
{
    temporary t = tool_folder();
    char command[1000];
    board_run b = board_start("-s lift -r 100");
    run_wants(0, "send --to serial:%s --tuning complementary", b.device);
    snprintf(
        command, sizeof command,
        "stty -F %s raw -echo && timeout 2 cat %s >stream.bin; '%s' record --from - -o r.csv <stream.bin "
        ">.out 2>.err && '%s' '%s' stream.bin r.csv",
        b.device, b.device, TOOL, PYTHON, READ_STREAM);
    int result = system(command);
    ck_assert_msg(WIFEXITED(result) && WEXITSTATUS(result) == 0, "the other library disagrees");
    board_stop(&b);
    temporary_remove(&t);
}
END_TEST

MARL_SUITE("serial", CAMPAIGN(a_fast_board_loses_nothing), CAMPAIGN(lines_come_over_the_same_wire),
           CAMPAIGN(a_noisy_line_is_counted), CAMPAIGN(unplugged_in_the_middle_what_came_is_kept),
           CAMPAIGN(a_wrong_baud_rate_is_suspected), CAMPAIGN(a_board_that_goes_silent_is_not_waited_for),
           ctrl_c_keeps_what_is_there, CAMPAIGN(a_crash_leaves_a_log_that_can_be_read),
           CAMPAIGN(send_repeats_until_it_is_answered), another_library_reads_the_stream)
