/* SPDX-License-Identifier: MIT
 * marlinspike record */
#include "cli/record/recording_watch.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

typedef struct options {
    char *from, *until, *faults, *device, *out;
    char **chips, **watch;
    double rate, turn_angle;
    long long seed;
} options;

/* --until: a recording's name or a number of seconds. */
static marl_status find_guide(const options *o, const source *s, marl_guide **guide, marl_error *error)
{
    marl_guide_kind kind = MARL_GUIDE_SECONDS;
    double amount = s->kind == SOURCE_SIM ? s->max_s : INFINITY;
    if (o->until != NULL && marl_guide_from_name(o->until, &kind) != MARL_OK) {
        char *end;
        amount = strtod(o->until, &end);
        if (end == o->until || *end != '\0' || !(amount > 0 && amount <= 1e7)) {
            char meant[80];
            marl_nearest_word nearest = {.given = o->until};
            for (int i = 0; i < MARL_GUIDE_SECONDS; i++) {
                marl_nearest(&nearest, marl_guide_name((marl_guide_kind)i));
            }
            cli_meant(&nearest, meant, sizeof meant);
            return marl_fail(
                error, MARL_ERR_USE,
                "--until '%s'%s: wanted still, turns, poses, tumble, soak or a number of seconds", o->until,
                meant);
        }
    }
    if (!(o->turn_angle >= 60 && o->turn_angle <= 3600)) {
        return marl_fail(error, MARL_ERR_USE, "--turn-angle lies between 60 and 3600 deg");
    }
    return marl_guide_create(guide, kind, kind == MARL_GUIDE_TURNS ? o->turn_angle : amount, error);
}

static marl_status check(const options *o, marl_error *error)
{
    if (o->from == NULL || o->out == NULL) {
        return marl_fail(error, MARL_ERR_USE, "record: --from and -o are needed");
    }
    if (o->rate < 0 || o->rate > 1e5 || o->seed < 0) {
        return marl_fail(error, MARL_ERR_USE,
                         "record: --rate lies between 0 and 100000 Hz, --seed is not negative");
    }
    return MARL_OK;
}

static int record(const cli *c, const options *o, cli_reading *reading)
{
    marl_error error = {0};
    source from = {0};
    recording r = {.out = o->out, .quiet = c->quiet || c->json};
    source_options where = {.from = o->from,
                            .chips = o->chips,
                            .faults = o->faults,
                            .device = o->device,
                            .rate = o->rate,
                            .seed = o->seed,
                            .reading = reading};
    recording_watch watch = {.n = 0};
    int code = CLI_DONE;
    marl_status status = check(o, &error);
    status = status != MARL_OK ? status : cli_reading_prepare(reading, 1, &error);
    status =
        status != MARL_OK ? status : recording_watch_read(&watch, o->watch, reading->options.sheet, &error);
    status = status != MARL_OK ? status : source_open(&from, &where, &error);
    status = status != MARL_OK ? status : find_guide(o, &from, &r.guide, &error);
    if (status == MARL_OK) {
        marl_guide_kind kind;
        r.wanted = o->until != NULL;
        r.guided = r.wanted && marl_guide_from_name(o->until, &kind) == MARL_OK;
        r.from = &from;
        r.viewer = recording_watch_viewer(&watch);
        status = recording_run(&r, &reading->options, &error);
    }
    if (status == MARL_OK) {
        code = c->json ? recording_print_json(&r) : c->quiet ? CLI_DONE : recording_print(&r);
        code = code == CLI_DONE && !recording_is_enough(&r) ? CLI_INSUFFICIENT : code;
    } else {
        code = cli_exit(&error);
    }
    recording_free(&r);
    marl_live_free(watch.live);
    source_close(&from);
    return code;
}

int cli_record(int argc, const char **argv)
{
    options o = {.seed = 1, .turn_angle = 360};
    cli_reading reading = {0};
    cli c;
    const struct poptOption table[] = {
        {"from", '\0', POPT_ARG_STRING, &o.from, CLI_SOURCE,
         "sim:SCENE, log:FILE, serial:DEVICE[@BAUD], or - for stdin", "F"},
        {"until", '\0', POPT_ARG_STRING, &o.until, 0,
         "still, turns, poses, tumble, soak: until there is enough; or seconds", "U"},
        {NULL, 'o', POPT_ARG_STRING, &o.out, CLI_WRITES_ROWS, "the log to write; grows as LOG.part", "LOG"},
        {"watch", '\0', POPT_ARG_ARGV, &o.watch, CLI_TUNING,
         "show what this FILTER or tuning makes of it meanwhile; may be repeated", "T"},
        {"turn-angle", '\0', POPT_ARG_DOUBLE, &o.turn_angle, 0, "of each turn (default 360)", "DEG"},
        {"chip", '\0', POPT_ARG_ARGV, &o.chips, CLI_READS,
         "chip table of the simulated board; may be repeated", "F"},
        {"rate", '\0', POPT_ARG_DOUBLE, &o.rate, 0, "rate its chips are set to (default: that of the sheet)",
         "HZ"},
        {"seed", '\0', POPT_ARG_LONGLONG, &o.seed, 0, "same seed, same recording (default 1)", "N"},
        {"device", '\0', POPT_ARG_STRING, &o.device, 0, "its name (default pod-07)", "NAME"},
        {"faults", '\0', POPT_ARG_STRING, &o.faults, 0, "its faults, as late=0.01,unplug=20 (listed below)",
         "LIST"},
        CLI_READING_OPTIONS(reading),
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "",
        CLI_NO_FILE,
        0,
        0,
        "Records what a board streams, packets or CSV lines, and shows what is in and what is\n"
        "missing, what to do now. Ends by itself when there is enough; Ctrl-C keeps what is there.\n"
        "The simulated board (sim: a scene as simulate has it, log: a recorded log played through its\n"
        "chips) runs in virtual time. Its --sheet gives the errors of its sensors, and its faults are:\n"
        "  late, silent, garbage   share of bus transfers that fail so\n"
        "  drop                    share of readings that the chip leaves out\n"
        "  lose, noise             share of bytes on the line lost, or with a bit turned\n"
        "  jitter, ppm             data-ready jitter in us, error of the chip's clock\n"
        "  stuck, dip, cut, wrap, unplug\n"
        "                          second at which an axis sticks, the chips or the board lose power, the\n"
        "                          32-bit clock wraps, the line is unplugged",
        "record --from sim:poses --until poses -o poses.csv"};
    int code = cli_open(&c, argc, argv, table, &usage);
    code = code == CLI_GO ? record(&c, &o, &reading) : code;
    cli_close(&c);
    return code;
}
