/* SPDX-License-Identifier: MIT
 * The tool: picks the command. */
#include "cli/commit.h"
#include "cli/common/describe.h"
#include <stdio.h>
#include <string.h>

static const cli_command commands[] = {
    {"simulate", "make a log, and the true attitude, from a scene and a sensor sheet", cli_simulate},
    {"record", "record what a board streams; shows what is still missing", cli_record},
    {"live", "filters side by side on what a board streams, changed while they run", cli_live},
    {"send", "send a calibration, a tuning or a command to a board", cli_send},
    {"inspect", "what a recording holds: rates, gaps, means, still spans", cli_inspect},
    {"calibrate", "a calibration from a recording made for it, with its standard errors", cli_calibrate},
    {"zero", "make the attitude of a recording at rest the zero", cli_zero},
    {"verify", "does a calibration hold on a recording that it has not seen", cli_verify},
    {"correct", "apply a calibration to a log", cli_correct},
    {"export", "a calibration and a tuning for the board: a C header, or its store", cli_export},
    {"replay", "run a log through the device code", cli_replay},
    {"smooth", "a reference attitude from the log alone, with its standard deviations", cli_smooth},
    {"compare", "compare estimators with a reference attitude", cli_compare},
    {"search", "the tuning that does best on some logs, with proof on others", cli_search},
    {"tuning", "every parameter of a filter: value, unit, default, range, meaning", cli_tuning},
    {"demo", "do the whole job once on the demo data", cli_demo},
};

static const char exits[] = "0 done, 1 a check does not hold, 2 wrong use,\n"
                            "3 input unreadable or contradictory, 4 too little data, 5 the machine failed.\n";

static void print_usage(FILE *to)
{
    fprintf(to, "usage: marlinspike COMMAND [options] FILE...\n\n");
    for (size_t i = 0; i < sizeof commands / sizeof commands[0]; i++) {
        fprintf(to, "  %-10s %s\n", commands[i].name, commands[i].about);
    }
    fprintf(to, "\nmarlinspike COMMAND --help has the details. Exit: %s", exits);
    fprintf(to, "Tables show the gyroscope in deg/s; files and --json hold rad/s.\n");
}

/* The manual page that lists the others. */
static void print_man(void)
{
    cli_print_man_title("marlinspike");
    printf(".SH NAME\nmarlinspike \\- calibrates inertial sensors and estimates orientation\n.SH SYNOPSIS\n"
           "\\fBmarlinspike\\fR \\fICOMMAND\\fR [\\fIoptions\\fR] \\fIFILE\\fR...\n.SH COMMANDS\n");
    for (size_t i = 0; i < sizeof commands / sizeof commands[0]; i++) {
        printf(".TP\n\\fBmarlinspike\\-%s\\fR(1)\n", commands[i].name);
        cli_print_man_text(commands[i].about);
        printf("\n");
    }
    printf(".SH \"EXIT STATUS\"\n%s", exits);
}

/* 1 when it was asked for something about the tool itself, which is then printed. */
static int describes_itself(const char *what)
{
    if (strcmp(what, "--help") == 0 || strcmp(what, "help") == 0) {
        print_usage(stdout);
    } else if (strcmp(what, "--version") == 0) {
        cli_print("marlinspike %s%s%s%s\n", marl_version(), MARL_COMMIT[0] ? " (" : "", MARL_COMMIT,
                  MARL_COMMIT[0] ? ")" : "");
    } else if (strcmp(what, "--as-man") == 0) {
        print_man();
    } else if (strcmp(what, "--as-words") == 0) {
        for (size_t i = 0; i < sizeof commands / sizeof commands[0]; i++) {
            cli_print("%s\n", commands[i].name);
        }
    } else {
        return 0;
    }
    return 1;
}

int main(int argc, const char **argv)
{
    cli_watch_memory();
    if (argc < 2) {
        print_usage(stderr);
        return CLI_WRONG_USE;
    }
    if (describes_itself(argv[1])) {
        return cli_print_done();
    }
    marl_nearest_word nearest = {.given = argv[1]};
    for (size_t i = 0; i < sizeof commands / sizeof commands[0]; i++) {
        if (strcmp(argv[1], commands[i].name) == 0) {
            return commands[i].run(argc - 1, argv + 1);
        }
        marl_nearest(&nearest, commands[i].name);
    }
    if (nearest.found != NULL) {
        cli_message("unknown command '%s' (%s?)", argv[1], nearest.found);
        return CLI_WRONG_USE;
    }
    cli_message("unknown command '%s'", argv[1]);
    print_usage(stderr);
    return CLI_WRONG_USE;
}
