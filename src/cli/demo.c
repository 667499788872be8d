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
#define MAX_WORDS 24

static const char *const files[] = {"still.csv",    "lift.csv",   "lift.reference.csv",
                                    "lift.rig.csv", "handle.csv", "handle.reference.csv"};

#define FIRST_LINE "^"

/* The steps, run in the demo's folder. `says` begins the line of the output that is the result. */
static const struct {
    const char *why, *command, *says;
} steps[] = {
    {"The pod streams from the bench, laid down on every side; the recording ends when there is enough:",
     "record --from sim:poses --seed 41 --until poses -o poses.csv", "poses.csv:"},
    {"What did it record? Are the axes as the drawing says?", "inspect poses.csv",
     "axes against the accelerometer's"},
    {"The accelerometer, from the poses:", "calibrate poses poses.csv --into pod-07.json", "poses.csv:"},
    {"The gyroscope, from the moves between them:", "calibrate moves poses.csv --into pod-07.json",
     "poses.csv:"},
    {"Turned through all directions, away from steel:",
     "record --from sim:tumble --seed 41 --until tumble -o tumble.csv", "tumble.csv:"},
    {"The magnetometer's hard and soft iron, with a figure:",
     "calibrate tumble tumble.csv --into pod-07.json --figure tumble.png", "tumble.csv:"},
    {"Does all that hold on a recording that took no part, a minute of rest?", "verify pod-07.json still.csv",
     "the calibration"},
    {"The rest knows the gyroscope's bias better than the moves did:",
     "calibrate still still.csv --into pod-07.json", "still.csv:"},
    {"Next day the hook block was lifted, swung and slewed. The log through the device's code:",
     "replay lift.csv --calibration pod-07.json --tuning kalman --digest -o lift.attitude.csv", "at the end"},
    {"How good is that? All filters against the attitude of an optical rig, with figure and page:",
     "compare lift.csv --reference lift.reference.csv --calibration pod-07.json --figure "
     "lift.error.png --report lift.report.html --body hook-block",
     FIRST_LINE},
    {"The same from the rig's own file, with its clock, ned angles, heading and askew markers:",
     "compare lift.csv --reference lift.rig.csv --calibration pod-07.json --time-offset auto "
     "--match world+body --tuning complementary --tuning kalman",
     FIRST_LINE},
    {"Without the rig: the log itself, smoothed forwards and backwards:",
     "smooth lift.csv --calibration pod-07.json -o lift.smooth.csv --figure lift.smooth.png", "lift.csv:"},
    {"Does it name the same winner?",
     "compare lift.csv --reference smooth --calibration pod-07.json --tuning kalman --tuning "
     "complementary --tuning gradient-descent",
     FIRST_LINE},
    {"Better numbers for the complementary filter, proven on a log that the search has not seen:",
     "search lift.csv --reference lift.reference.csv --hold-out "
     "handle.csv=handle.reference.csv "
     "--calibration pod-07.json --filter complementary -o best.json",
     FIRST_LINE},
    {"The pod on a shaking crane, and close to steel:",
     "simulate --scene shake --seed 44 --duration 60 -o shake.csv --truth shake.reference.csv", ""},
    {"", "simulate --scene steel --seed 45 --duration 60 -o steel.csv --truth steel.reference.csv", ""},
    {"Four logs, each another use: which filter on the whole, and did the search help elsewhere?",
     "compare --calibration pod-07.json --case lift.csv=lift.reference.csv --case "
     "handle.csv=handle.reference.csv "
     "--case shake.csv=shake.reference.csv --case steel.csv=steel.reference.csv --tuning kalman "
     "--tuning complementary --tuning gradient-descent --tuning best.json",
     FIRST_LINE},
    {"Would a slower processor do?",
     "compare lift.csv --reference lift.reference.csv --calibration pod-07.json --tuning kalman "
     "--rates 100,50,25",
     "kalman"},
    {"Filters side by side while it runs, recorded with all that is changed meanwhile:",
     "live --from log:handle.csv --no-page --pace 0 --calibration pod-07.json --record live.csv",
     "handle.csv:"},
    {"Calibration and tuning for the firmware, bit for bit:",
     "export pod-07.json --tuning best.json --as c-header -o pod_07.h", "in the firmware"},
};

static const char last_words[] =
    "All files are in %s: calibration pod-07.json, tuning best.json, header pod_07.h,\n"
    "figures *.png, the page lift.report.html (open it in a browser and move a slider), and what each\n"
    "command printed, in output/. Next, with a board or a log of your own:\n"
    "  marlinspike live --from serial:/dev/ttyUSB0    watch the filters on a page\n"
    "  marlinspike inspect FILE                       a log of any kind: what is in it\n"
    "docs/tutorial.md goes on from here.\n";

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
    char text[MAX_WORDS][2 * MAX_PATH];
} words;

static void split(const char *command, words *w)
{
    w->n = 0;
    while (*command != '\0' && w->n < MAX_WORDS) {
        size_t length = strcspn(command, " ");
        snprintf(w->text[w->n], sizeof w->text[0], "%.*s", (int)length, command);
        w->n++;
        command += length + (command[length] == ' ');
    }
}

/* Length of an option with its value, or of what stands without one. */
static size_t part_of(const char *command)
{
    size_t n = strcspn(command, " ");
    while (command[n] == ' ' && command[n + 1] != '-') {
        n += 1 + strcspn(command + n + 1, " ");
    }
    return n;
}

/* The command at a prompt, on as many lines as it needs. */
static void print_command(const char *command)
{
    enum { ROOM = 98 }; /* columns without the end of a line that goes on */
    size_t column = (size_t)snprintf(NULL, 0, "$ marlinspike");
    cli_print("$ marlinspike");
    while (*command != '\0') {
        size_t n = part_of(command);
        if (column + 1 + n > ROOM) {
            cli_print(" \\\n   ");
            column = 3;
        }
        cli_print(" %.*s", (int)n, command);
        column += 1 + n;
        command += n + (command[n] == ' ');
    }
    cli_print("\n");
}

/* Runs this program with the given words; what it prints goes into the file. Returns its exit code. */
static int run(words *w, const char *output)
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
    int failed = posix_spawn_file_actions_addopen(&actions, STDOUT_FILENO, output,
                                                  O_WRONLY | O_CREAT | O_TRUNC | O_APPEND, 0666) != 0;
    failed = failed || posix_spawn_file_actions_adddup2(&actions, STDOUT_FILENO, STDERR_FILENO) != 0;
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

/* The last line of a step's output that is its result; "" when there is none. */
static void find_result(const char *output, const char *says, char *result, size_t size)
{
    char line[1000];
    FILE *f = fopen(output, "r");
    result[0] = '\0';
    for (int i = 0; f != NULL && says[0] != '\0' && fgets(line, sizeof line, f) != NULL; i++) {
        const char *text = line + strspn(line, " ");
        if (strcmp(says, FIRST_LINE) == 0 ? i == 0 : strncmp(text, says, strlen(says)) == 0) {
            snprintf(result, size, "%.*s", (int)strcspn(text, "\n"), text);
        }
    }
    if (f != NULL) {
        fclose(f);
    }
}

static int show_failure(const char *output, int code)
{
    char line[1000];
    FILE *f = fopen(output, "r");
    while (f != NULL && fgets(line, sizeof line, f) != NULL) {
        cli_message("%.*s", (int)strcspn(line, "\n"), line);
    }
    if (f != NULL) {
        fclose(f);
    }
    return code;
}

/* One step, in the demo's folder; it is printed, or with --json added to the list. */
static int run_step(size_t i, const char *dir, int quiet, json_t *list)
{
    words w;
    char line[8192], output[3 * MAX_PATH], result[600];
    split(steps[i].command, &w);
    snprintf(line, sizeof line, "marlinspike %s", steps[i].command);
    snprintf(output, sizeof output, "output/%02zu-%s.txt", i + 1, w.text[0]);
    if (!quiet) {
        cli_print("%s%s", steps[i].why, steps[i].why[0] != '\0' ? "\n" : "");
        print_command(steps[i].command);
    }
    int code = cli_print_done();
    code = code == CLI_DONE ? run(&w, output) : code;
    if (code != CLI_DONE) {
        return show_failure(output, code);
    }
    find_result(output, steps[i].says, result, sizeof result);
    if (!quiet && result[0] != '\0') {
        cli_print_prose(4, "  %s", result);
    }
    if (!quiet && (i + 1 == sizeof steps / sizeof steps[0] || steps[i + 1].why[0] != '\0')) {
        cli_print("\n");
    }
    json_t *path = json_sprintf("%s/%s", dir, output);
    json_array_append_new(list, json_pack("{s:s,s:o,s:o,s:o}", "why", steps[i].why, "command", cli_text(line),
                                          "result", cli_text(result), "output", path));
    return CLI_DONE;
}

static int make_folder(const char *dir)
{
    if (mkdir(dir, 0777) != 0 && errno != EEXIST) {
        cli_message("%s: cannot be made: %s", dir, strerror(errno));
        return CLI_MACHINE;
    }
    return CLI_DONE;
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
    char output[MAX_PATH + 16];
    snprintf(output, sizeof output, "%s/output", dir);
    int made = make_folder(dir);
    made = made == CLI_DONE ? make_folder(output) : made;
    if (made != CLI_DONE) {
        return made;
    }
    for (size_t i = 0; i < sizeof files / sizeof files[0]; i++) {
        if (fetch(files[i], dir, &error) != MARL_OK) {
            return cli_exit(&error);
        }
    }
    if (chdir(dir) != 0) {
        cli_message("%s: cannot be entered: %s", dir, strerror(errno));
        return CLI_MACHINE;
    }
    if (!quiet) {
        cli_print(strchr(dir, ' ') != NULL ? "$ cd '%s'\n\n" : "$ cd %s\n\n", dir);
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
        cli_print(last_words, dir);
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
        "Does the whole job once on the demo data: prints each command before it runs it and one line of\n"
        "what it gave, and leaves its files, and all that was printed, in DIR (default marlinspike-demo).",
        "demo"};
    int code = cli_open(&c, argc, argv, table, &usage);
    code = code == CLI_GO ? demo(&c) : code;
    cli_close(&c);
    return code;
}
