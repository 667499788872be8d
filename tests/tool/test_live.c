/* SPDX-License-Identifier: MIT
 * live: the page's server, commands, recordings that give the same bits, attitudes over the network. */
#include "check_main.h"
#include "run_live.h"
#include <math.h>

static temporary dir;

static void enter(void)
{
    dir = tool_folder();
}

static void leave(void)
{
    ck_assert_int_eq(chdir("/"), 0);
    temporary_remove(&dir);
}

START_TEST(serves_its_page_under_a_strict_policy)
{
    enter();
    live_tool t = live_start("--from sim:handle");
    live_wait_for_samples(&t);
    static const char *const paths[] = {"/", "/style.css", "/page.js", "/dygraph.js", "/three.js"};
    for (size_t i = 0; i < sizeof paths / sizeof paths[0]; i++) {
        char *text = live_get(&t, paths[i]);
        ck_assert_msg(strncmp(text, "HTTP/1.1 200", 12) == 0, "%s: %.200s", paths[i], text);
        const char *policy = strstr(text, "Content-Security-Policy: default-src 'none'; script-src 'self'; ");
        ck_assert_msg(policy != NULL && strstr(text, "X-Content-Type-Options: nosniff") != NULL, "%s",
                      paths[i]);
        free(text);
    }
    char *page = live_get(&t, "/"), *none = live_get(&t, "/../../etc/passwd");
    ck_assert(strstr(page, "<script>") == NULL && strstr(page, t.token) == NULL);
    ck_assert(strncmp(none, "HTTP/1.1 404", 12) == 0);
    free(page);
    free(none);
    ck_assert_int_eq(live_stop(&t), 0);
    leave();
}
END_TEST

/* Who may change something: the page that has the token, from this machine, in JSON. */
START_TEST(refuses_who_must_not_change_anything)
{
    enter();
    live_tool t = live_start("--from sim:handle");
    static const struct {
        const char *host, *origin, *token, *type, *method, *path;
        int code;
    } row[] = {
        {"127.0.0.1:PORT", NULL, "TOKEN", "application/json", "POST", "/command", 200},
        {"localhost:PORT", "http://localhost:PORT", "TOKEN", "application/json", "POST", "/command", 200},
        {"127.0.0.1:PORT", NULL, NULL, "application/json", "POST", "/command", 403},
        {"127.0.0.1:PORT", NULL, "00000000000000000000000000000000", "application/json", "POST", "/command",
         403},
        {"127.0.0.1:PORT", NULL, "", "application/json", "POST", "/command", 403},
        {"127.0.0.1:PORT", "http://example.org", "TOKEN", "application/json", "POST", "/command", 403},
        {"127.0.0.1:PORT", "null", "TOKEN", "application/json", "POST", "/command", 403},
        {"127.0.0.1:PORT", "https://127.0.0.1:PORT", "TOKEN", "application/json", "POST", "/command", 403},
        {"example.org", NULL, "TOKEN", "application/json", "POST", "/command", 403},
        {"127.0.0.1:1", NULL, "TOKEN", "application/json", "POST", "/command", 403},
        {"127.0.0.1:PORT", NULL, "TOKEN", "text/plain", "POST", "/command", 415},
        {"127.0.0.1:PORT", NULL, "TOKEN", "application/json", "POST", "/", 405},
        {"127.0.0.1:PORT", NULL, "TOKEN", "application/json", "DELETE", "/command", 405},
    };
    live_wait_for_samples(&t);
    for (size_t i = 0; i < sizeof row / sizeof row[0]; i++) {
        char request[900], port[12];
        static const char body[] = "{\"change\":\"start\"}";
        int n = snprintf(request, sizeof request,
                         "%s %s HTTP/1.1\r\nHost: %s\r\nContent-Type: %s\r\nConnection: close\r\n",
                         row[i].method, row[i].path, row[i].host, row[i].type);
        n += row[i].origin
                 ? snprintf(request + n, sizeof request - (size_t)n, "Origin: %s\r\n", row[i].origin)
                 : 0;
        n += row[i].token ? snprintf(request + n, sizeof request - (size_t)n, "Marlinspike-Token: %s\r\n",
                                     strcmp(row[i].token, "TOKEN") == 0 ? t.token : row[i].token)
                          : 0;
        snprintf(request + n, sizeof request - (size_t)n, "Content-Length: %zu\r\n\r\n%s", sizeof body - 1,
                 body);
        snprintf(port, sizeof port, "%d", t.port);
        char made[1000] = "", *to = made;
        for (const char *at = request; *at != '\0';) {
            int is_port = strncmp(at, "PORT", 4) == 0;
            to += is_port ? snprintf(to, 12, "%s", port) : 1;
            if (!is_port) {
                to[-1] = *at;
            }
            at += is_port ? 4 : 1;
        }
        *to = '\0';
        char *answer = live_raw(&t, made, strlen(made));
        int code = 0;
        ck_assert_int_eq(sscanf(answer, "HTTP/1.1 %d", &code), 1);
        ck_assert_msg(code == row[i].code, "row %zu: %d: %s", i, code, answer);
        free(answer);
    }
    ck_assert_int_eq(live_stop(&t), 0);
    leave();
}
END_TEST

START_TEST(commands_are_checked_and_act)
{
    enter();
    live_tool t = live_start("--from sim:handle --tuning complementary --tuning kalman");
    int viewer = live_watch(&t);
    json_t *state = live_event(viewer, "state"), *frame = live_event(viewer, "frame"), *answer;
    ck_assert_str_eq(json_string_value(json_object_get(state, "source")), "sim:handle");
    ck_assert_uint_eq(json_array_size(json_object_get(frame, "runs")), 2);
    static const struct {
        const char *json;
        int code;
        const char *says;
    } row[] = {
        {"{\"do\":\"set\",\"run\":0,\"parameter\":\"tilt_time\",\"value\":0.25}", 200, NULL},
        {"{\"do\":\"set\",\"run\":0,\"parameter\":\"weighting\",\"value\":false}", 200, NULL},
        {"{\"do\":\"set\",\"run\":0,\"parameter\":\"tilt_time\",\"value\":1e9}", 400, "0.01 and 1000 s"},
        {"{\"do\":\"set\",\"run\":0,\"parameter\":\"tilt_time\",\"value\":\"x\"}", 400, "0.01 and 1000 s"},
        {"{\"do\":\"set\",\"run\":0,\"parameter\":\"beta\",\"value\":1}", 400, "no parameter 'beta'"},
        {"{\"do\":\"set\",\"run\":2,\"parameter\":\"beta\",\"value\":1}", 400, "from 0 to 1"},
        {"{\"do\":\"filter\",\"run\":1,\"filter\":\"gradient-descent\"}", 200, NULL},
        {"{\"do\":\"filter\",\"run\":1,\"filter\":\"best\"}", 400, "'best' is no filter"},
        {"{\"change\":\"zero\"}", 200, NULL},
        {"{\"change\":\"start\"}", 200, NULL},
        {"{\"change\":\"every\",\"every\":4}", 200, NULL},
        {"{\"change\":\"every\",\"every\":0}", 400, "every"},
        {"{\"change\":\"tuning\",\"run\":0,\"tuning\":{\"marlinspike\":\"tuning/"
         "2\",\"filter\":\"kalman\",\"parameters\":{\"beta\":1}}}",
         400, "beta"},
        {"{\"change\":\"calibration\",\"calibration\":{\"marlinspike\":\"calibration/"
         "1\",\"device\":\"other\"}}",
         200, NULL},
        {"{\"do\":\"guide\",\"kind\":\"soak\"}", 400, "no guide"},
        {"{\"do\":\"fit\"}", 400, "no guided recording"},
        {"{\"do\":\"guide\",\"kind\":\"still\"}", 200, NULL},
        {"{\"do\":\"fly\"}", 400, "'fly' is no command"},
        {"{\"do\":\"send\",\"what\":\"song\"}", 400, "nothing to send"},
        {"{\"do\":\"send\",\"what\":\"tuning\",\"run\":0}", 200, NULL},
        {"{\"do\":\"send\",\"what\":\"commit\"}", 200, NULL},
        {"[1]", 400, "object"},
        {"{", 400, "expected"},
        {"", 400, NULL},
    };
    for (size_t i = 0; i < sizeof row / sizeof row[0]; i++) {
        int code = live_post(&t, row[i].json, &answer);
        const char *error = json_string_value(json_object_get(answer, "error"));
        ck_assert_msg(code == row[i].code, "%s: %d %s", row[i].json, code, error ? error : "");
        ck_assert_msg(code == 200 || error != NULL, "%s: without a reason", row[i].json);
        ck_assert_msg(row[i].says == NULL || strstr(error, row[i].says) != NULL, "%s: %s", row[i].json,
                      error);
        json_decref(answer);
    }
    json_decref(state);
    json_decref(frame);
    close(viewer);
    viewer = live_watch(&t);
    state = live_event(viewer, "state");
    ck_assert_double_eq_tol(json_at(state, "runs.0.file.parameters.tilt_time"), 0.25, 1e-6);
    ck_assert_double_eq(json_at(state, "every"), 4);
    ck_assert_str_eq(json_string_value(json_object_get(json_object_get(state, "guide"), "kind")), "still");
    json_decref(state);
    close(viewer);
    ck_assert_int_eq(live_stop(&t), 0);
    leave();
}
END_TEST

/* The digest of a run in the last line of --json. */
static char *last_line(void)
{
    char *text = temporary_read(".live.out");
    size_t n = strlen(text);
    ck_assert(n > 1 && text[n - 1] == '\n');
    text[n - 1] = '\0';
    char *at = strrchr(text, '\n'), *line = strdup(at != NULL ? at + 1 : text);
    free(text);
    return line;
}

/* Whatever was changed while it ran, the recording gives the same attitudes bit for bit. */
START_TEST(what_was_recorded_replays_to_the_same_digest)
{
    enter();
    live_tool t = live_start(
        "--from sim:handle --record live.csv --pace 4 --json --faults late=0.02,garbage=0.01,drop=0.02");
    int viewer = live_watch(&t);
    json_decref(live_event(viewer, "frame"));
    static const char calibration[] =
        "{\"change\":\"calibration\",\"calibration\":{\"marlinspike\":\"calibration/1\","
        "\"device\":\"pod-07\",\"mag\":{\"unit\":\"uT\",\"bias\":[1.1,2,-3],"
        "\"matrix\":[[1,0,0],[0,1.01,0],[0,0,1]]}}}";
    static const char *const changes[] = {
        "{\"do\":\"set\",\"run\":0,\"parameter\":\"tilt_time\",\"value\":0.1}",
        "{\"change\":\"zero\"}",
        "{\"change\":\"every\",\"every\":3}",
        "{\"do\":\"filter\",\"run\":1,\"filter\":\"gyro\"}",
        "{\"change\":\"start\"}",
        "{\"do\":\"set\",\"run\":2,\"parameter\":\"mag_noise\",\"value\":2}",
        "{\"change\":\"every\",\"every\":1}",
        calibration};
    for (size_t i = 0; i < sizeof changes / sizeof changes[0]; i++) {
        ck_assert_int_eq(live_post(&t, changes[i], NULL), 200);
        const struct timespec nap = {.tv_nsec = 200 * 1000 * 1000};
        nanosleep(&nap, NULL);
    }
    close(viewer);
    ck_assert_int_eq(live_stop(&t), 0);
    ck_assert_int_ne(access("live.csv.part", F_OK), 0);
    char *line = last_line();
    json_t *last = json_loads(line, 0, NULL);
    free(line);
    run_wants(0, "inspect live.csv --quiet");
    for (size_t i = 0; i < 3; i++) {
        const json_t *one = json_array_get(json_object_get(last, "runs"), i);
        json_t *again =
            run_json(0, "replay live.csv --changes %s", json_string_value(json_object_get(one, "name")));
        ck_assert_str_eq(json_string_value(json_object_get(again, "digest")),
                         json_string_value(json_object_get(one, "digest")));
        json_decref(again);
    }
    json_decref(last);
    run_wants(2, "replay live.csv --changes nobody");
    run_wants(2, "replay live.csv --changes kalman --tuning kalman");
    run_wants(4, "replay lift.csv --changes kalman");
    leave();
}
END_TEST

/* A tumble that the page guides ends in a calibration that is fitted and in use; its errors are those of the fit. */
START_TEST(a_guided_tumble_ends_in_a_calibration)
{
    enter();
    live_tool t = live_start("--from sim:tumble --pace 20 --tuning kalman");
    int viewer = live_watch(&t);
    json_decref(live_event(viewer, "frame"));
    ck_assert_int_eq(live_post(&t, "{\"do\":\"guide\",\"kind\":\"tumble\"}", NULL), 200);
    json_t *state = NULL;
    for (int i = 0; i < 200; i++) {
        json_decref(state);
        state = live_event(viewer, "state");
        const json_t *found = json_object_get(state, "fit");
        if (json_is_object(found) && !json_is_true(json_object_get(found, "running"))) {
            break;
        }
    }
    ck_assert(json_is_true(json_object_get(json_object_get(state, "fit"), "accepted")));
    ck_assert(json_at(state, "calibration.mag.fit.coverage") > 0.6);
    ck_assert_double_eq_tol(json_at(state, "calibration.mag.field"), 48.7, 1.5);
    json_decref(state);
    close(viewer);
    ck_assert_int_eq(live_stop(&t), 0);
    leave();
}
END_TEST

/* Viewers that never read, a hundred connections, and what is no HTTP: the samples go on, and so does the page. */
START_TEST(bad_viewers_disturb_nobody)
{
    enter();
    live_tool t = live_start("--from sim:handle --json --updates 100");
    static const char *const bad[] = {
        "\r\n\r\n",
        "GET / HTTP/9.9\r\nHost: x\r\n\r\n",
        "GET /\r\n\r\n",
        "POST /command HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: -5\r\n\r\n",
        "POST /command HTTP/1.1\r\nHost: 127.0.0.1\r\nTransfer-Encoding: chunked\r\n\r\nzz\r\n",
        "\x16\x03\x01\x02\x00\x01\x00\x01\xfc\x03\x03",
    };
    for (size_t i = 0; i < sizeof bad / sizeof bad[0]; i++) {
        int fd = live_connect(&t);
        (void)!send(fd, bad[i], strlen(bad[i]), MSG_NOSIGNAL);
        close(fd);
    }
    size_t n = 200000;
    char *large = malloc(n);
    memset(large, 'a', n);
    free(live_raw(&t, large, n));
    int dead[10], many[100];
    for (int i = 0; i < 10; i++) {
        dead[i] = live_watch(&t);
    }
    for (int i = 0; i < 100; i++) {
        many[i] = live_connect(&t);
    }
    for (int i = 0; i < 100; i++) {
        close(many[i]);
    }
    char *text = malloc(70000);
    memset(text, ' ', 69999);
    text[69999] = '\0';
    ck_assert_int_eq(live_post(&t, text, NULL), 413);
    const struct timespec nap = {.tv_sec = 2};
    nanosleep(&nap, NULL);
    json_t *answer;
    ck_assert_int_eq(live_post(&t, "{\"change\":\"start\"}", &answer), 200);
    json_decref(answer);
    ck_assert_int_eq(live_stop(&t), 0);
    for (int i = 0; i < 10; i++) {
        close(dead[i]);
    }
    char *line = last_line();
    json_t *last = json_loads(line, 0, NULL);
    ck_assert_double_gt(json_at(last, "rows"), 150); /* of 200 in two seconds, on a slow machine, too */
    json_decref(last);
    free(line);
    free(text);
    free(large);
    leave();
}
END_TEST

/* The line goes, and comes back under its name: the page says so, the recording goes on, nothing of it is lost. */
START_TEST(a_board_that_vanishes_is_taken_up_again)
{
    enter();
    board_run board = board_start("");
    ck_assert_int_eq(symlink(board.device, "line"), 0);
    live_tool t = live_start("--from serial:line --record live.csv --tuning kalman");
    json_decref(live_wait_for_status(&t, "running"));
    board_stop(&board);
    json_decref(live_wait_for_status(&t, "lost"));
    board = board_start("");
    ck_assert_int_eq(unlink("line"), 0);
    ck_assert_int_eq(symlink(board.device, "line"), 0);
    json_decref(live_wait_for_status(&t, "running"));
    const struct timespec nap = {.tv_sec = 1};
    nanosleep(&nap, NULL);
    ck_assert_int_eq(live_stop(&t), 0);
    board_stop(&board);
    json_t *seen = run_json(0, "inspect live.csv");
    ck_assert_double_gt(json_at(seen, "rows"), 80);
    ck_assert_double_eq(json_at(seen, "rows_dropped"), 0);
    ck_assert_double_ge(json_at(seen, "sensors.gyro.gaps"), 1);
    json_decref(seen);
    run_wants(0, "replay live.csv --changes kalman --quiet");
    leave();
}
END_TEST

/* The page hears why it ends, and what was written is kept as a log. */
START_TEST(a_full_disk_is_said_and_what_was_written_stays)
{
    enter();
    live_before = "trap '' XFSZ; ulimit -f 100;";
    live_tool t = live_start("--from sim:handle --record live.csv --pace 20");
    live_before = "";
    int viewer = live_watch(&t);
    json_t *state = NULL;
    do {
        json_decref(state);
        state = live_event(viewer, "state");
    } while (strcmp(json_string_value(json_object_get(state, "status")), "failed") != 0);
    ck_assert(strstr(json_string_value(json_object_get(state, "failure")), "live.csv") != NULL);
    json_decref(state);
    close(viewer);
    ck_assert_int_eq(live_end(&t), 5);
    ck_assert_int_ne(access("live.csv", F_OK), 0);
    json_t *seen = run_json(0, "inspect live.csv.part");
    ck_assert_double_gt(json_at(seen, "rows"), 300);
    json_decref(seen);
    leave();
}
END_TEST

START_TEST(wrong_use_is_refused_before_anything_runs)
{
    enter();
    live_tool t = live_start("--from sim:still");
    live_wait_for_samples(&t);
    run_wants(5, "live --from sim:still --http %d", t.port);
    ck_assert_int_eq(live_stop(&t), 0);
    run_wants(2, "live");
    run_wants(2, "live --from moon");
    run_wants(2, "live --from sim:still --from sim:lift --no-page");
    run_wants(2, "live --from sim:still --http 70000");
    run_wants(2, "live --from sim:still --pace -1 --no-page");
    run_wants(2, "live --from sim:still --updates 0 --no-page");
    run_wants(2, "live --from sim:still --osc nowhere --no-page");
    run_wants(5, "live --from sim:still --osc no.such.host.invalid:9000 --no-page");
    run_wants(2, "live --from sim:still --tuning best --no-page");
    run_wants(2, "live --from sim:still --tuning kalman:beta=1 --no-page");
    run_wants(3, "live --from log:none.csv --no-page");
    run_wants(2, "live --from log:lift.csv --record lift.csv --no-page");
    run_wants(3, "live --from - --no-page </bin/sh"); /* bytes that are no stream */
    run_wants(4, "live --from - --no-page </dev/null");
    run_wants(2, "live --from sim:still --no-page %s",
              "--tuning gyro --tuning gyro --tuning gyro --tuning gyro --tuning gyro --tuning gyro --tuning "
              "gyro --tuning "
              "gyro --tuning gyro");
    leave();
}
END_TEST

/* Lines of text from any board, and a log played as it was: the same attitudes as by replay. */
START_TEST(text_on_stdin_gives_the_attitudes_of_a_replay)
{
    enter();
    run_wants(
        0,
        "live --from - --no-page --json --tuning kalman --record again.csv <lift.csv >.live.out 2>/dev/null");
    json_t *replayed = run_json(0, "replay lift.csv --tuning kalman"),
           *own = run_json(0, "replay again.csv --changes kalman");
    ck_assert_str_eq(json_string_value(json_object_get(own, "digest")),
                     json_string_value(json_object_get(replayed, "digest")));
    json_decref(replayed);
    json_decref(own);
    leave();
}
END_TEST

/* The receiver listens once the kernel lists its port, however slowly it starts. */
static void start_receiver(void)
{
    ck_assert_int_eq(system("timeout 100 oscdump -L 47123 >osc.txt 2>/dev/null & echo $! >osc.pid\n"
                            "for i in $(seq 200); do grep -q :B813 /proc/net/udp* && exit; sleep 0.1; done\n"
                            "exit 1"),
                     0);
}

/* The attitude of a line of live --json; 0 where there is none yet. */
static int shown_attitude(const char *line, double *t, double q[4])
{
    json_t *root = json_loads(line, 0, NULL);
    ck_assert_msg(root != NULL, "%s", line);
    json_t *list = json_object_get(json_array_get(json_object_get(root, "runs"), 0), "q");
    *t = json_number_value(json_object_get(root, "t"));
    for (size_t i = 0; i < 4; i++) {
        q[i] = json_number_value(json_array_get(list, i));
    }
    int has = json_is_array(list);
    json_decref(root);
    return has;
}

/* By a program that nobody here wrote: each attitude that is shown also goes out, and no other. */
START_TEST(attitudes_go_out_as_open_sound_control)
{
    enter();
    if (system("command -v oscdump >/dev/null") != 0) {
        leave();
        return;
    }
    start_receiver();
    tool_run r =
        run("live --from sim:lift --no-page --tuning kalman --osc 127.0.0.1:47123 --duration 3 --json");
    ck_assert_msg(r.code == 0, "exit %d: %s", r.code, r.err);
    ck_assert_int_eq(system("n=-1; while [ $n != $(wc -c <osc.txt) ]; do n=$(wc -c <osc.txt); sleep 1; done\n"
                            "kill $(cat osc.pid); sleep 0.3"),
                     0);
    char *sent = temporary_read("osc.txt"), name[40], *rest, *more;
    char *message = strtok_r(sent, "\n", &rest);
    int n = 0;
    for (char *line = strtok_r(r.out, "\n", &more); line != NULL; line = strtok_r(NULL, "\n", &more)) {
        double t, t_shown, q[4], q_shown[4], rpy[3];
        if (!shown_attitude(line, &t_shown, q_shown)) {
            continue;
        }
        const char *at = message != NULL ? strstr(message, "/marlinspike/attitude") : NULL;
        ck_assert_msg(
            at != NULL &&
                sscanf(at, "/marlinspike/attitude sdfffffff \"%39[^\"]\" %lf %lf %lf %lf %lf %lf %lf %lf",
                       name, &t, &q[0], &q[1], &q[2], &q[3], &rpy[0], &rpy[1], &rpy[2]) == 9,
            "%s: %s", line, message);
        ck_assert_str_eq(name, "kalman");
        ck_assert_double_eq_tol(t, t_shown, 1e-5);
        for (int i = 0; i < 4; i++) {
            ck_assert_double_eq_tol(q[i], q_shown[i], 1e-5);
        }
        const double sine = 2 * (q[0] * q[2] - q[3] * q[1]);
        ck_assert_double_eq_tol(rpy[1], asin(fmax(-1, fmin(1, sine))) * 57.29577951, 0.01);
        message = strtok_r(NULL, "\n", &rest);
        n++;
    }
    ck_assert_msg(n > 0 && message == NULL, "%d attitudes, then: %s", n, message);
    free(sent);
    run_free(&r);
    leave();
}
END_TEST

MARL_SUITE("live", serves_its_page_under_a_strict_policy, refuses_who_must_not_change_anything,
           commands_are_checked_and_act, what_was_recorded_replays_to_the_same_digest,
           a_guided_tumble_ends_in_a_calibration, bad_viewers_disturb_nobody,
           a_board_that_vanishes_is_taken_up_again, a_full_disk_is_said_and_what_was_written_stays,
           wrong_use_is_refused_before_anything_runs, text_on_stdin_gives_the_attitudes_of_a_replay,
           attitudes_go_out_as_open_sound_control)
