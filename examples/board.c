/* SPDX-License-Identifier: MIT
 * The simulated board behind a pseudo-terminal: to other programs it is a serial device. It prints the
 * device's name and works at real pace until it is stopped, its scene's time is over, or it is unplugged on
 * demand.
 *
 *   board [-s SCENE] [-r HZ] [-f FAULTS] [-t SECONDS] [-b BAUD] [-n NAME] [-c]      (-c: CSV lines)
 *
 *   board -s tumble -f lose=0.001 &
 *   marlinspike record --from serial:/dev/pts/7 --until tumble -o tumble.csv                             */
#include "marlinspike/sim.h"
#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <unistd.h>

typedef struct options {
    const char *scene, *faults;
    double rate, seconds;
    marl_sim_config sim;
    marl_app_config app;
} options;

static int read_options(int argc, char **argv, options *o)
{
    int option;
    while ((option = getopt(argc, argv, "s:r:f:t:b:n:c")) >= 0) {
        switch (option) {
        case 's':
            o->scene = optarg;
            break;
        case 'r':
            o->rate = strtod(optarg, NULL);
            break;
        case 'f':
            o->faults = optarg;
            break;
        case 't':
            o->seconds = strtod(optarg, NULL);
            break;
        case 'b':
            o->sim.baud = strtod(optarg, NULL);
            break;
        case 'n':
            o->app.device = optarg;
            break;
        case 'c':
            o->app.as_lines = 1;
            break;
        default:
            return 0;
        }
    }
    return optind == argc;
}

/* The master's side of a new pseudo-terminal; -1 when there is none to be had. */
static int open_terminal(void)
{
    int fd = posix_openpt(O_RDWR | O_NOCTTY);
    if (fd < 0 || grantpt(fd) != 0 || unlockpt(fd) != 0 || fcntl(fd, F_SETFL, O_NONBLOCK) != 0) {
        return -1;
    }
    printf("%s\n", ptsname(fd));
    return fflush(stdout) == 0 ? fd : -1;
}

/* Nobody has the other side open: what a serial line sends then is lost. */
static int nobody_listens(int fd)
{
    struct pollfd other = {.fd = fd};
    return poll(&other, 1, 0) > 0 && (other.revents & POLLHUP);
}

/* Moves bytes both ways; what the terminal does not take waits for the next time. */
static void carry(marl_sim *sim, int fd, uint8_t *bytes, size_t size, size_t *waiting)
{
    uint8_t in[256];
    *waiting += marl_sim_receive(sim, bytes + *waiting, size - *waiting);
    if (nobody_listens(fd)) {
        *waiting = 0;
        return;
    }
    ssize_t out = write(fd, bytes, *waiting);
    if (out > 0) {
        *waiting -= (size_t)out;
        for (size_t i = 0; i < *waiting; i++) {
            bytes[i] = bytes[i + (size_t)out];
        }
    }
    ssize_t got = read(fd, in, sizeof in);
    if (got > 0) {
        marl_sim_give(sim, in, (size_t)got);
    }
}

static marl_status work(marl_sim *sim, int fd, double seconds)
{
    static uint8_t bytes[65536];
    size_t waiting = 0;
    marl_error error = {0};
    marl_status status = MARL_OK;
    while (status == MARL_OK && marl_sim_seconds(sim) < seconds) {
        status = marl_sim_step(sim, &error);
        carry(sim, fd, bytes, sizeof bytes, &waiting);
    }
    return status == MARL_END ? MARL_OK : status;
}

int main(int argc, char **argv)
{
    marl_error error = {0};
    marl_sheet sheet = marl_sheet_grommet();
    options o = {.scene = "still",
                 .seconds = 1e9,
                 .app = {.device = "pod-07", .firmware = "example", .choice = marl_choose_any}};
    o.sim = (marl_sim_config){
        .sheet = &sheet, .seed = 1, .faults = marl_sim_faults_none(), .real_pace = 1, .baud = 2e6};
    marl_sim *sim = NULL;
    if (!read_options(argc, argv, &o)) {
        fprintf(stderr,
                "usage: board [-s SCENE] [-r HZ] [-f FAULTS] [-t SECONDS] [-b BAUD] [-n NAME] [-c]\n");
        return 2;
    }
    marl_part part = marl_sim_part(marl_chip_grommet(), (marl_place){0, 0x2a}, &sheet, o.rate);
    o.sim.part = &part;
    o.sim.parts = 1;
    signal(SIGHUP, SIG_IGN);
    if (marl_scene_from_name(o.scene, &o.sim.scene) != MARL_OK) {
        fprintf(stderr, "board: unknown scene '%s'\n", o.scene);
        return 2;
    }
    if ((o.faults != NULL && marl_sim_faults_parse(&o.sim.faults, o.faults, &error) != MARL_OK) ||
        marl_sim_create(&sim, &o.sim, &error) != MARL_OK) {
        fprintf(stderr, "board: %s\n", error.text);
        return 2;
    }
    int fd = open_terminal();
    int good =
        fd >= 0 && marl_sim_start(sim, &o.app, &error) == MARL_OK && work(sim, fd, o.seconds) == MARL_OK;
    if (!good) {
        fprintf(stderr, "board: no pseudo-terminal, or the board stopped\n");
    }
    marl_sim_free(sim);
    return good ? 0 : 1;
}
