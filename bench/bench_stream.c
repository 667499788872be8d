/* SPDX-License-Identifier: MIT
 * The simulator in memory, the simulated board in virtual time, and the serial path at real pace. */
#include "bench.h"
#include "lab/simulate/simulator.h"
#include "marlinspike/record.h"
#include "marlinspike/sim.h"
#include <errno.h>
#include <fcntl.h>
#include <jansson.h>
#include <signal.h>
#include <spawn.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

extern char **environ;

#define SAMPLES 100000
#define TURNS 24
#define HOUR 3600.0
#define MINUTE "60"

typedef struct scene_job {
    marl_sheet sheet;
    marl_scene_kind scene;
} scene_job;

static void simulate(void *context)
{
    const scene_job *j = context;
    marl_simulator simulator;
    volatile float keep = 0;
    if (lab_simulator_init(&simulator, j->scene, &j->sheet, 100, 1) != MARL_OK) {
        exit(1);
    }
    for (int i = 0; i < SAMPLES; i++) {
        marl_sample sample;
        marl_quat truth;
        marl_simulator_next(&simulator, &sample, &truth);
        keep = truth.w;
    }
    (void)keep;
}

/* Every sensor fresh in every sample, and every error of the sheet at work. The scenes take turns, so that a
 * slow moment of the machine does not fall on one of them. */
static void bench_simulator(void)
{
    scene_job j = {.sheet = marl_sheet_grommet()};
    double min[MARL_SCENE_COUNT];
    j.sheet.mag.rate_hz = 100;
    for (int i = 0; i < TURNS * MARL_SCENE_COUNT; i++) {
        int k = i % MARL_SCENE_COUNT;
        j.scene = (marl_scene_kind)k;
        double took = bench_once(simulate, &j);
        min[k] = i < MARL_SCENE_COUNT || took < min[k] ? took : min[k];
    }
    printf("\nsimulating nine axes in memory  samples/s (wanted: 1000000)\n");
    for (int k = 0; k < MARL_SCENE_COUNT; k++) {
        printf("%-28s %12.0f\n", marl_scene_name((marl_scene_kind)k), SAMPLES / min[k]);
    }
}

/* Firmware, chip, bus, packets and receiver for an hour of the board's time. */
static void bench_virtual_hour(void)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_part part = marl_sim_part(marl_chip_grommet(), (marl_place){0, 0x2a}, &sheet, 100);
    marl_sim_config config = {.scene = MARL_SCENE_LIFT,
                              .sheet = &sheet,
                              .seed = 1,
                              .part = &part,
                              .parts = 1,
                              .faults = marl_sim_faults_none()};
    marl_app_config app = {.device = "bench", .firmware = "bench", .choice = marl_choose_any};
    marl_error error = {0};
    marl_sim *sim;
    marl_receiver *receiver;
    marl_log_row row;
    double start = bench_now();
    if (marl_sim_create(&sim, &config, &error) != MARL_OK || marl_sim_start(sim, &app, &error) != MARL_OK ||
        marl_receiver_create(&receiver, "bench", NULL, &error) != MARL_OK) {
        exit(1);
    }
    while (marl_sim_seconds(sim) < HOUR) {
        uint8_t bytes[4096];
        if (marl_sim_step(sim, &error) != MARL_OK ||
            marl_receiver_feed(receiver, bytes, marl_sim_receive(sim, bytes, sizeof bytes), &error) !=
                MARL_OK) {
            exit(1);
        }
        while (marl_receiver_next(receiver, &row) == MARL_OK) {
        }
    }
    double took = bench_now() - start;
    printf(
        "\nsimulated board, 9 axes at 100 Hz, an hour: %.1f s (%.0f times real time), %lu rows, %lu lost\n",
        took, HOUR / took, marl_receiver_report(receiver)->rows.rows,
        marl_receiver_report(receiver)->items_lost);
    marl_receiver_free(receiver);
    marl_sim_free(sim);
}

/* Starts a program with its output in a file. */
static pid_t start(const char *const *words, const char *out)
{
    posix_spawn_file_actions_t actions;
    pid_t child;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, STDOUT_FILENO, out, O_WRONLY | O_CREAT | O_TRUNC, 0600);
    if (posix_spawnp(&child, words[0], &actions, NULL, (char *const *)words, environ) != 0) {
        fprintf(stderr, "%s cannot be started\n", words[0]);
        exit(1);
    }
    posix_spawn_file_actions_destroy(&actions);
    return child;
}

/* Processor seconds of the children that have ended. */
static double children_seconds(void)
{
    struct rusage usage;
    getrusage(RUSAGE_CHILDREN, &usage);
    return (double)usage.ru_utime.tv_sec + (double)usage.ru_stime.tv_sec +
           1e-6 * (double)(usage.ru_utime.tv_usec + usage.ru_stime.tv_usec);
}

static double wait_for(pid_t child)
{
    double before = children_seconds();
    while (waitpid(child, NULL, 0) < 0 && errno == EINTR) {
    }
    return children_seconds() - before;
}

/* The name that the board prints. */
static void read_name(const char *path, char *name, int size)
{
    for (int i = 0; i < 100; i++) {
        FILE *f = fopen(path, "r");
        char *got = f != NULL ? fgets(name, size, f) : NULL;
        if (f != NULL) {
            fclose(f);
        }
        if (got != NULL) {
            name[strcspn(name, "\n")] = '\0';
            return;
        }
        nanosleep(&(struct timespec){.tv_nsec = 20000000}, NULL);
    }
    exit(1);
}

static void bench_serial(const char *dir)
{
    char name_path[200], log[200], result[200], from[100], name[64];
    snprintf(name_path, sizeof name_path, "%s/name", dir);
    snprintf(log, sizeof log, "%s/serial.csv", dir);
    snprintf(result, sizeof result, "%s/result.json", dir);
    const char *const board[] = {BOARD, "-s", "lift", "-r", "1000", "-b", "2000000", NULL};
    pid_t board_pid = start(board, name_path);
    read_name(name_path, name, sizeof name);
    snprintf(from, sizeof from, "serial:%s@2000000", name);
    const char *const record[] = {TOOL,   "record", "--from", from,     "--until",
                                  MINUTE, "-o",     log,      "--json", NULL};
    double record_s = wait_for(start(record, result));
    kill(board_pid, SIGTERM);
    double board_s = wait_for(board_pid);
    json_t *root = json_load_file(result, 0, NULL);
    if (root == NULL) {
        fprintf(stderr, "record failed\n");
        exit(1);
    }
    double seconds = json_number_value(json_object_get(root, "duration_s"));
    printf("\n9 axes at 1 kHz (mag 25 Hz) over a pseudo-terminal, 2 Mbaud, %.0f s: %lld rows, %lld packets "
           "lost, %lld gaps\n"
           "record takes %.1f %% of a core, the simulated board %.1f %%\n",
           seconds, json_integer_value(json_object_get(root, "rows")),
           json_integer_value(json_object_get(root, "packets_lost")),
           json_integer_value(json_object_get(root, "gaps")), 100 * record_s / seconds,
           100 * board_s / seconds);
    json_decref(root);
    unlink(name_path);
    unlink(log);
    unlink(result);
}

void bench_stream(const char *dir)
{
    bench_simulator();
    bench_virtual_hour();
    bench_serial(dir);
}
