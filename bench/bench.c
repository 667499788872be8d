/* SPDX-License-Identifier: MIT
 * The benchmark: makes its files in a folder of its own, prints its tables, removes the folder. */
#include "bench.h"
#include "lab/simulate/simulator.h"
#include "search_trials.h"
#include "verdicts.h"
#include <errno.h>
#include <fcntl.h>
#include <spawn.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

extern char **environ;

double bench_now(void)
{
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + 1e-9 * (double)t.tv_nsec;
}

double bench_once(void (*work)(void *), void *context)
{
    double start = bench_now();
    work(context);
    return bench_now() - start;
}

double bench_min(void (*work)(void *), void *context)
{
    double min = 1e9;
    for (int i = 0; i < 3; i++) {
        double took = bench_once(work, context);
        min = took < min ? took : min;
    }
    return min;
}

long bench_run(const char *const *words, double *seconds)
{
    posix_spawn_file_actions_t actions;
    pid_t child;
    int result = 1;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, STDOUT_FILENO, "/dev/null", O_WRONLY, 0);
    double start = bench_now();
    if (posix_spawnp(&child, words[0], &actions, NULL, (char *const *)words, environ) == 0) {
        while (waitpid(child, &result, 0) < 0 && errno == EINTR) {
        }
    }
    *seconds = bench_now() - start;
    posix_spawn_file_actions_destroy(&actions);
    if (!WIFEXITED(result) || WEXITSTATUS(result) != 0) {
        fprintf(stderr, "%s failed\n", words[0]);
        exit(1);
    }
    struct rusage usage;
    getrusage(RUSAGE_CHILDREN, &usage);
    return usage.ru_maxrss;
}

void bench_make_log(const char *path, int rows)
{
    marl_log_info info = {.columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG};
    marl_sheet sheet = marl_sheet_grommet();
    marl_simulator simulator;
    marl_log_writer *writer;
    marl_error error = {0};
    sheet.mag.rate_hz = 100;
    if (lab_simulator_init(&simulator, MARL_SCENE_LIFT, &sheet, 100, 1) != MARL_OK ||
        marl_log_create(&writer, path, &info, &error) != MARL_OK) {
        fprintf(stderr, "%s\n", error.text);
        exit(1);
    }
    for (int i = 0; i < rows; i++) {
        marl_log_row row = {.has_q = 0};
        marl_simulator_next(&simulator, &row.sample, &row.q);
        marl_log_write(writer, &row);
    }
    if (marl_log_commit(writer, &error) != MARL_OK) {
        fprintf(stderr, "%s\n", error.text);
        exit(1);
    }
}

static void bench_with_files(void)
{
    char dir[64] = "/tmp/marlinspike-bench-XXXXXX", log[80];
    if (mkdtemp(dir) == NULL) {
        perror(dir);
        exit(1);
    }
    snprintf(log, sizeof log, "%s/log.csv", dir);
    double start = bench_now();
    bench_make_log(log, BENCH_ROWS);
    printf("made a log of %d rows and ten columns in %.2f s\n", BENCH_ROWS, bench_now() - start);
    bench_file_to_file(dir, log);
    bench_reading(log);
    bench_stream(dir);
    unlink(log);
    rmdir(dir);
}

static void search_with_files(void)
{
    char dir[64] = "/tmp/marlinspike-bench-XXXXXX";
    if (mkdtemp(dir) == NULL) {
        perror(dir);
        exit(1);
    }
    bench_search(dir);
    rmdir(dir);
}

static const struct {
    const char *name;
    void (*table)(void);
    int asked_only;
} tables[] = {
    {"files", bench_with_files, 0},   {"numbers", bench_numbers, 0},     {"estimators", bench_estimators, 0},
    {"accuracy", bench_accuracy, 0},  {"bias", bench_bias, 1},           {"grades", bench_grades, 1},
    {"sensors", bench_sensors, 1},    {"into", bench_into, 1},           {"plain", bench_plain, 1},
    {"recovery", bench_recovery, 0},  {"verdicts", bench_verdicts, 1},   {"groups", bench_groups, 1},
    {"frames", bench_frames, 1},      {"smooth", bench_smooth, 1},       {"tunings", bench_tunings, 0},
    {"inspect", bench_inspect, 0},    {"calibrate", bench_calibrate, 0}, {"compare", bench_compare, 0},
    {"search", search_with_files, 1}, {"gains", search_trials, 1},       {"renew", bench_renew, 1},
    {"axes", verdicts_axes, 1},       {"match", bench_match, 1},         {"noise", bench_noise, 1},
    {"tumbles", bench_tumbles, 1},    {"poses", verdicts_poses, 1},      {"merge", verdicts_merge, 1},
    {"soak", verdicts_soak, 1},       {"lever", bench_lever, 1},         {"speed", bench_speed, 1},
    {"rates", bench_rates, 1},        {"delay", bench_delay, 1},         {"late", bench_late, 1},
    {"spikes", bench_spikes, 1},      {"mag_delay", bench_mag_delay, 1}, {"times", bench_times, 1},
    {"steps", bench_steps, 1},
};

/* Without words all tables, with words those named. */
int main(int argc, char **argv)
{
    size_t found = 0;
    for (size_t i = 0; i < sizeof tables / sizeof tables[0]; i++) {
        int asked = 0;
        for (int k = 1; k < argc; k++) {
            asked |= strcmp(argv[k], tables[i].name) == 0;
        }
        found += asked != 0;
        if (asked || (argc == 1 && !tables[i].asked_only)) {
            tables[i].table();
        }
    }
    if (found + 1 < (size_t)argc) {
        fprintf(stderr, "tables:");
        for (size_t i = 0; i < sizeof tables / sizeof tables[0]; i++) {
            fprintf(stderr, " %s", tables[i].name);
        }
        fprintf(stderr, "\n");
        return 2;
    }
    return 0;
}
