/* SPDX-License-Identifier: MIT
 * replay --on: a log through a board, over a serial path, compared bit for bit. */
#include "check_main.h"
#include "marlinspike/sim.h"
#include "run_board.h"

START_TEST(a_board_gives_the_attitudes_of_the_desk)
{
    static const char *const filters[] = {"gyro", "vectors", "complementary", "gradient-descent", "kalman"};
    temporary t = tool_folder();
    board_run b = board_start("-s lift -r 100");
    run_wants(0, "simulate --scene tumble --duration 4 -o t.csv");
    run_wants(0, "calibrate still %s/still.csv -o cal.json", DEMO);
    for (size_t i = 0; i < sizeof filters / sizeof filters[0]; i++) {
        json_t *on = run_json(0, "replay t.csv --calibration cal.json --tuning %s --on serial:%s", filters[i],
                              b.device);
        json_t *here = run_json(0, "replay t.csv --calibration cal.json --tuning %s", filters[i]);
        ck_assert_str_eq(json_string_value(json_object_get(on, "digest")),
                         json_string_value(json_object_get(here, "digest")));
        ck_assert_double_eq(json_at(on, "board.same"), json_at(here, "attitudes"));
        ck_assert_double_eq(json_at(on, "board.differ"), 0);
        json_decref(on);
        json_decref(here);
    }
    board_stop(&b);
    temporary_remove(&t);
}
END_TEST

/* A board whose filter was built with something that changes a bit: after a while one attitude is off by the last. */
static void be_another_board(int fd)
{
    marl_error error = {0};
    marl_sheet sheet = marl_sheet_grommet();
    marl_part part = marl_sim_part(marl_chip_grommet(), (marl_place){0, 0x2a}, &sheet, 100);
    const marl_sim_config config = {.scene = MARL_SCENE_STILL,
                                    .sheet = &sheet,
                                    .part = &part,
                                    .parts = 1,
                                    .faults = marl_sim_faults_none()};
    const marl_app_config app = {.device = "pod-09", .firmware = "other", .choice = marl_choose_any};
    marl_sim *sim;
    uint8_t bytes[4096];
    if (marl_sim_create(&sim, &config, &error) != MARL_OK || marl_sim_start(sim, &app, &error) != MARL_OK) {
        _exit(1);
    }
    while (marl_sim_step(sim, &error) == MARL_OK) {
        struct pollfd ready = {.fd = fd, .events = POLLIN};
        const union {
            const marl_app *shown;
            marl_app *own;
        } board = {.shown = marl_sim_app(sim)};
        if (board.own == NULL) {
            _exit(1);
        }
        marl_estimator *e = &board.own->pipeline.estimator;
        if (board.own->fed && e->counts.updates == 200) {
            e->q.x = nextafterf(e->q.x, 1.0f);
        }
        ssize_t got = poll(&ready, 1, 1) > 0 ? read(fd, bytes, sizeof bytes) : 0;
        marl_sim_give(sim, bytes, got > 0 ? (size_t)got : 0);
        size_t n = marl_sim_receive(sim, bytes, sizeof bytes);
        (void)!write(fd, bytes, n);
    }
    _exit(0);
}

START_TEST(another_bit_is_found)
{
    temporary t = tool_folder();
    int fd = posix_openpt(O_RDWR | O_NOCTTY);
    ck_assert(fd >= 0 && grantpt(fd) == 0 && unlockpt(fd) == 0);
    pid_t pid = fork();
    if (pid == 0) {
        be_another_board(fd);
    }
    run_wants(0, "simulate --scene handle --duration 4 -o t.csv");
    tool_run r = run("replay t.csv --tuning complementary --on serial:%s", ptsname(fd));
    ck_assert_int_eq(r.code, 1);
    ck_assert_msg(strstr(r.out, "pod-09 (firmware other) gives other attitudes than this desk") != NULL, "%s",
                  r.out);
    double first = strtod(strstr(r.out, "the first at ") + strlen("the first at "), NULL);
    ck_assert_double_ge(first, 1.98); /* the 200th sample at 100 Hz, or that behind it */
    ck_assert_double_le(first, 2.03);
    run_free(&r);
    kill(pid, SIGKILL);
    int result;
    waitpid(pid, &result, 0);
    close(fd);
    temporary_remove(&t);
}
END_TEST

START_TEST(a_line_that_loses_bytes_or_a_board_that_restarts_proves_nothing)
{
    static const char *const faults[] = {"-f noise=0.0001", "-f cut=1"}, *const said[] = {
                                                                             "samples went out and",
                                                                             "the board restarted after"};
    temporary t = tool_folder();
    run_wants(0, "simulate --scene handle --duration 40 -o t.csv");
    for (int i = 0; i < 2; i++) {
        board_run b = board_start(faults[i]);
        tool_run r = run("replay t.csv --on serial:%s", b.device);
        ck_assert_msg(r.code == 5, "%d: %s%s", r.code, r.out, r.err);
        ck_assert_msg(strstr(r.err, said[i]) != NULL, "%s", r.err);
        run_free(&r);
        board_stop(&b);
    }
    temporary_remove(&t);
}
END_TEST

START_TEST(what_does_not_go_together_is_refused)
{
    static const char *const words[] = {"--on pigeon",
                                        "--on sim -o a.csv",
                                        "--on sim --every 2",
                                        "--on sim --digest --pace 1",
                                        "--on sim --start reference",
                                        "--on sim --figure a.svg"};
    temporary t = tool_folder();
    for (size_t i = 0; i < sizeof words / sizeof words[0]; i++) {
        run_wants(2, "replay %s/lift.csv %s", DEMO, words[i]);
    }
    run_wants(3, "replay missing.csv --on sim");
    run_wants(5, "replay %s/lift.csv --on serial:/dev/null", DEMO);
    temporary_remove(&t);
}
END_TEST

MARL_SUITE("on_board", a_board_gives_the_attitudes_of_the_desk, another_bit_is_found,
           a_line_that_loses_bytes_or_a_board_that_restarts_proves_nothing,
           what_does_not_go_together_is_refused)
