/* SPDX-License-Identifier: MIT
 * send --calibrate and --undo: a board that calibrates itself, as its user sees it. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "run_board.h"
#include <math.h>
#include <unistd.h>

static double vector_at(const json_t *root, const char *name, size_t k)
{
    const json_t *renewal = json_object_get(root, "renewal");
    return json_number_value(json_array_get(json_object_get(renewal, name), k));
}

START_TEST(each_sensor_is_renewed_and_kept)
{
    static const char *const kinds[] = {"still", "poses", "tumble"};
    const marl_sheet sheet = marl_sheet_grommet();
    const marl_sensor_sheet *of[] = {&sheet.gyro, &sheet.accel, &sheet.mag};
    temporary t = tool_folder();
    for (size_t i = 0; i < 3; i++) {
        json_t *first = run_json(0, "send --to sim:board.bin --calibrate %s --commit", kinds[i]);
        for (size_t k = 0; k < 3; k++) {
            double sigma = vector_at(first, "bias_sigma", k);
            ck_assert_double_eq_tol(vector_at(first, "bias", k), of[i]->bias[k],
                                    4 * of[i]->bias_spread + 5 * sigma);
        }
        const json_t *desk = json_object_get(json_object_get(first, "renewal"), "desk");
        ck_assert(json_is_true(json_object_get(desk, "accepted")));
        for (size_t k = 0; k < 3; k++) { /* the same readings: what differs is the method */
            double of_desk = json_number_value(json_array_get(json_object_get(desk, "bias"), k));
            double sigma = json_number_value(json_array_get(json_object_get(desk, "bias_sigma"), k));
            ck_assert_double_le(fabs(vector_at(first, "bias", k) - of_desk),
                                4 * fmax(sigma, vector_at(first, "bias_sigma", k)));
        }
        /* the same board once more: what is stored is confirmed */
        json_t *again = run_json(0, "send --to sim:board.bin --calibrate %s", kinds[i]);
        for (size_t k = 0; k < 3; k++) {
            double sigma = hypot(vector_at(first, "bias_sigma", k), vector_at(again, "bias_sigma", k));
            ck_assert_double_le(fabs(vector_at(again, "change", k)), 5 * sigma);
        }
        json_decref(first);
        json_decref(again);
    }
    temporary_remove(&t);
}
END_TEST

START_TEST(undo_goes_back_by_one_commit)
{
    temporary t = tool_folder();
    run_wants(3, "send --to sim:board.bin --undo");
    run_wants(0, "send --to sim:board.bin --calibrate still --commit --quiet");
    char *first = temporary_read("board.bin");
    run_wants(0, "send --to sim:board.bin --calibrate tumble --commit --quiet");
    run_wants(0, "send --to sim:board.bin --undo --quiet");
    /* the magnetometer's calibration is gone: a new one changes the bias by all of it */
    json_t *root = run_json(0, "send --to sim:board.bin --calibrate tumble");
    ck_assert_double_eq_tol(vector_at(root, "change", 0), vector_at(root, "bias", 0), 1e-6);
    json_decref(root);
    root = run_json(0, "send --to sim:board.bin --calibrate still");
    ck_assert_double_le(fabs(vector_at(root, "change", 0)), 1e-3);
    json_decref(root);
    free(first);
    temporary_remove(&t);
}
END_TEST

START_TEST(its_user_reads_what_to_do_and_what_was_found)
{
    temporary t = tool_folder();
    tool_run r = run("send --to sim --calibrate poses");
    ck_assert_int_eq(r.code, 0);
    ck_assert_msg(strstr(r.err, "pose, 1 of 6 faces -> lay it down with its ") != NULL, "%s", r.err);
    ck_assert_msg(strstr(r.err, "-> hold still") != NULL, "%s", r.err);
    ck_assert_msg(strstr(r.out, "accelerometer, renewed on the board: 6 poses, 6 of 6 faces\n") != NULL, "%s",
                  r.out);
    ck_assert_msg(strstr(r.out, "(m/s^2)") != NULL, "%s", r.out);
    run_free(&r);
    r = run("send --to sim --calibrate tumble --quiet");
    ck_assert_int_eq(r.code, 0);
    ck_assert_str_eq(r.err, "");
    run_free(&r);
    temporary_remove(&t);
}
END_TEST

START_TEST(wrong_use_is_refused)
{
    static const struct {
        const char *words;
        int code;
        const char *given;
    } row[] = {
        {"--to sim --calibrate dance", 2, "wanted still, poses, tumble or stop"},
        {"--to sim --calibrate still --gravity 9.8", 2, "--gravity is for --calibrate poses"},
        {"--to sim --commit --patience 3", 2, "belong to --calibrate"},
        {"--to sim --calibrate poses --gravity 3", 3, "out of range"},
        {"--to sim --calibrate tumble --patience 4", 4, "the board keeps its calibration: "},
    };
    temporary t = tool_folder();
    for (size_t i = 0; i < sizeof row / sizeof row[0]; i++) {
        tool_run r = run("send %s", row[i].words);
        ck_assert_msg(r.code == row[i].code, "%s: exit %d: %s", row[i].words, r.code, r.err);
        ck_assert_msg(strstr(r.err, row[i].given) != NULL, "%s: %s", row[i].words, r.err);
        run_free(&r);
    }
    json_t *root = run_json(4, "send --to sim --calibrate tumble --patience 4");
    const json_t *renewal = json_object_get(root, "renewal");
    ck_assert(json_is_false(json_object_get(renewal, "accepted")));
    ck_assert(json_is_string(json_object_get(renewal, "reason")));
    ck_assert(json_is_null(json_object_get(renewal, "bias")));
    json_decref(root);
    temporary_remove(&t);
}
END_TEST

/* Over a serial line, from a board that streams lines of text, too. */
START_TEST(a_board_on_a_serial_line_does_it)
{
    static const char *const how[] = {"-s still -r 100", "-s still -r 100 -c"};
    temporary t = tool_folder();
    for (size_t i = 0; i < 2; i++) {
        board_run b = board_start(how[i]);
        (void)usleep(300000);
        json_t *root = run_json(4, "send --to serial:%s --calibrate tumble --patience 3", b.device);
        json_decref(root);
        root = run_json(0, "send --to serial:%s --calibrate stop", b.device);
        ck_assert_ptr_null(json_object_get(root, "renewal"));
        json_decref(root);
        board_stop(&b);
    }
    temporary_remove(&t);
}
END_TEST

MARL_SUITE("renew", each_sensor_is_renewed_and_kept, undo_goes_back_by_one_commit,
           its_user_reads_what_to_do_and_what_was_found, wrong_use_is_refused,
           a_board_on_a_serial_line_does_it)
