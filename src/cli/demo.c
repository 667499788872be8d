/* SPDX-License-Identifier: MIT
 * marlinspike demo: the other commands, one after the other, on the demo data. */
#include "cli/common/cli.h"
#include <errno.h>
#include <fcntl.h>
#include <spawn.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

extern char **environ;

#define MAX_PATH 512
#define MAX_WORDS 20

static const char *const files[] = {"still.csv",    "lift.csv",   "lift.reference.csv",
                                    "lift.rig.csv", "handle.csv", "handle.reference.csv"};

/* The steps; DIR/ stands for the demo's folder. */
static const struct {
    const char *why;
    const char *command;
} steps[] = {
    {"The pod streams from the bench; the tool shows which poses are missing and stops when there are "
     "enough:",
     "record --from sim:poses --seed 41 --until poses -o DIR/poses.csv"},
    {"The accelerometer, from these still poses:", "calibrate poses DIR/poses.csv --into DIR/pod-07.json"},
    {"The magnetometer, from a tumble:",
     "record --from sim:tumble --seed 41 --until tumble --quiet -o DIR/tumble.csv"},
    {"Hard and soft iron:", "calibrate tumble DIR/tumble.csv --into DIR/pod-07.json --figure DIR/tumble.png"},
    {"The gyroscope, from full turns both ways about each axis:",
     "record --from sim:turns --seed 41 --until turns --quiet -o DIR/turns.csv"},
    {"Bias and scale:", "calibrate turns DIR/turns.csv --into DIR/pod-07.json"},
    {"The whole matrix of the gyroscope, from the moves between the poses:",
     "calibrate moves DIR/poses.csv --into DIR/pod-07.json"},
    {"Then it lay still for a minute. What did it record?", "inspect DIR/still.csv"},
    {"Does the calibration hold on that recording, which it has not seen?",
     "verify DIR/pod-07.json DIR/still.csv"},
    {"A minute of rest knows the gyroscope's bias better than the turns did:",
     "calibrate still DIR/still.csv --into DIR/pod-07.json"},
    {"Next day the hook block was lifted, swung and slewed; an optical rig watched:", "inspect DIR/lift.csv"},
    {"The log with that calibration applied, for other programs:",
     "correct DIR/lift.csv --calibration DIR/pod-07.json -o DIR/lift.corrected.csv"},
    {"The log through the code that runs on the device:",
     "replay DIR/lift.csv --calibration DIR/pod-07.json --tuning complementary --digest -o "
     "DIR/lift.attitude.csv"},
    {"How good is that? All estimators against the rig's attitude, on the log's clock and in its frames:",
     "compare DIR/lift.csv --reference DIR/lift.reference.csv --calibration DIR/pod-07.json --figure "
     "DIR/lift.error.png --report DIR/lift.report.html --body hook-block"},
    {"Without the rig: the log itself, smoothed forwards and backwards, is the reference:",
     "smooth DIR/lift.csv --calibration DIR/pod-07.json -o DIR/lift.smooth.csv --figure DIR/lift.smooth.png"},
    {"Does it name the same winner?", "compare DIR/lift.csv --reference smooth --calibration DIR/pod-07.json "
                                      "--tuning kalman --tuning complementary "
                                      "--tuning gradient-descent"},
    {"The same from the rig's own file, with its own clock, ned angles, heading and askew markers:",
     "compare DIR/lift.csv --reference DIR/lift.rig.csv --calibration DIR/pod-07.json --time-offset auto "
     "--match world+body --tuning complementary --tuning kalman"},
    {"A hand turned the pod about all axes. The published filters with and without weighting, and one number "
     "tried:",
     "compare DIR/handle.csv --reference DIR/handle.reference.csv --calibration DIR/pod-07.json --tuning "
     "kalman "
     "--tuning complementary --tuning complementary:weighting=off --tuning complementary:tilt_time=0.4 "
     "--tuning gradient-descent"},
    {"Would a slower processor do?", "compare DIR/lift.csv --reference DIR/lift.reference.csv --calibration "
                                     "DIR/pod-07.json --rates 100,50,25,10"},
};

/* Opens a file of the demo data: installed beside this program, or in the source tree. */
static FILE *open_data(const char *name)
{
    char program[MAX_PATH], from[2 * MAX_PATH];
    ssize_t n = readlink("/proc/self/exe", program, sizeof program - 1);
    program[n > 0 ? n : 0] = '\0';
    char *end = strrchr(program, '/');
    if (end != NULL) {
        *end = '\0';
        snprintf(from, sizeof from, "%s/" MARL_DATA_FROM_BIN "/demo/%s", program, name);
        FILE *installed = fopen(from, "rb");
        if (installed != NULL) {
            return installed;
        }
    }
    snprintf(from, sizeof from, "%s/demo/%s", MARL_DATA_SOURCE, name);
    return fopen(from, "rb");
}

/* Copies one file of the demo data. */
static marl_status fetch(const char *name, const char *dir, marl_error *error)
{
    char to[MAX_PATH + 64], block[65536];
    marl_outfile *out;
    size_t n;
    FILE *f = open_data(name);
    if (f == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "%s: the demo data are not installed", name);
    }
    snprintf(to, sizeof to, "%s/%s", dir, name);
    marl_status status = marl_outfile_open(&out, to, error);
    if (status == MARL_OK) {
        while ((n = fread(block, 1, sizeof block, f)) > 0) {
            marl_outfile_write(out, block, n);
        }
        status = marl_outfile_commit(out, error);
    }
    fclose(f);
    return status;
}

/* The words of one step. */
typedef struct words {
    int n;
    char text[MAX_WORDS][MAX_PATH + 64];
} words;

/* Cuts the command at its spaces; a word that begins with DIR/ lies in the demo's folder. */
static void split(const char *command, const char *dir, words *w)
{
    w->n = 0;
    while (*command != '\0' && w->n < MAX_WORDS) {
        size_t length = strcspn(command, " ");
        int in_dir = strncmp(command, "DIR/", 4) == 0;
        snprintf(w->text[w->n++], sizeof w->text[0], "%s%.*s", in_dir ? dir : "",
                 (int)(length - (in_dir ? 3 : 0)), command + (in_dir ? 3 : 0));
        command += length + (command[length] == ' ');
    }
}

/* Runs this program with the given words, its tables left out on demand. Returns its exit code. */
static int run(words *w, int quiet)
{
    char self[] = "/proc/self/exe", name[] = "marlinspike";
    char *arguments[MAX_WORDS + 2] = {name};
    posix_spawn_file_actions_t actions;
    pid_t child;
    int result = 0;
    if (posix_spawn_file_actions_init(&actions) != 0) {
        cli_message("no memory");
        return CLI_MACHINE;
    }
    for (int i = 0; i < w->n; i++) {
        arguments[i + 1] = w->text[i];
    }
    int failed = quiet && posix_spawn_file_actions_addopen(&actions, STDOUT_FILENO, "/dev/null", O_WRONLY, 0);
    failed = failed || posix_spawn(&child, self, &actions, NULL, arguments, environ) != 0;
    posix_spawn_file_actions_destroy(&actions);
    if (failed) {
        cli_message("demo: this program cannot be started again");
        return CLI_MACHINE;
    }
    while (waitpid(child, &result, 0) < 0 && errno == EINTR) {
    }
    return WIFEXITED(result) ? WEXITSTATUS(result) : CLI_MACHINE;
}

/* One step; it is printed, or with --json added to the list. */
static int run_step(size_t i, const char *dir, int quiet, json_t *list)
{
    words w;
    char line[4096] = "marlinspike";
    split(steps[i].command, dir, &w);
    for (int k = 0; k < w.n; k++) {
        size_t used = strlen(line);
        snprintf(line + used, sizeof line - used, strchr(w.text[k], ' ') != NULL ? " '%s'" : " %s",
                 w.text[k]);
    }
    json_array_append_new(list, json_pack("{s:s,s:o}", "why", steps[i].why, "command", cli_text(line)));
    if (!quiet) {
        cli_print("%s\n$ %s\n", steps[i].why, line);
    }
    int code = cli_print_done();
    if (code == CLI_DONE) {
        code = run(&w, quiet);
    }
    if (code == CLI_DONE && !quiet) {
        cli_print("\n");
    }
    return code;
}

static int demo(const cli *c)
{
    const char *dir = c->files > 0 ? c->file[0] : "marlinspike-demo";
    int quiet = c->json || c->quiet;
    marl_error error = {0};
    if (strlen(dir) >= MAX_PATH) {
        cli_message("demo: the folder's name is too long");
        return CLI_WRONG_USE;
    }
    if (mkdir(dir, 0777) != 0 && errno != EEXIST) {
        cli_message("%s: cannot be made: %s", dir, strerror(errno));
        return CLI_MACHINE;
    }
    for (size_t i = 0; i < sizeof files / sizeof files[0]; i++) {
        if (fetch(files[i], dir, &error) != MARL_OK) {
            return cli_exit(&error);
        }
    }
    json_t *list = json_array();
    for (size_t i = 0; i < sizeof steps / sizeof steps[0]; i++) {
        int code = run_step(i, dir, quiet, list);
        if (code != CLI_DONE) {
            json_decref(list);
            return code;
        }
    }
    json_t *root = json_pack("{s:o,s:o}", "dir", cli_text(dir), "steps", list);
    if (c->json) {
        return cli_print_json(root);
    }
    json_decref(root);
    if (!c->quiet) {
        cli_print("All files of this demo are in %s\n", dir);
    }
    return cli_print_done();
}

int cli_demo(int argc, const char **argv)
{
    cli c;
    const struct poptOption table[] = {POPT_TABLEEND};
    const cli_usage usage = {
        "[DIR]",
        CLI_READS,
        0,
        1,
        "Does the whole job once on the demo data: prints each command before it runs it, and leaves\n"
        "its files in DIR (default marlinspike-demo).",
        "demo"};
    int code = cli_open(&c, argc, argv, table, &usage);
    code = code == CLI_GO ? demo(&c) : code;
    cli_close(&c);
    return code;
}
