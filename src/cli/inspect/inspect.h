/* SPDX-License-Identifier: MIT
 * An inspection as the inspect command holds it, and how it is shown. */
#ifndef CLI_INSPECT_H
#define CLI_INSPECT_H

#include "cli/common/cli.h"

typedef struct cli_inspected {
    marl_log log;
    marl_inspection inspection;
    marl_sensor_noise noise[MARL_SENSOR_COUNT];
    marl_sensor_spectrum rest[MARL_SENSOR_COUNT];   /* spectrum at rest */
    marl_sensor_spectrum motion[MARL_SENSOR_COUNT]; /* where rest is the lesser part of the recording */
    marl_axes axes;
    marl_speed_axis speed;
    marl_sensor_delays delays, removed; /* by the motion; of those that --delay took out */
    int looked_for_delays;              /* by --delay auto */
    marl_row_times times;               /* of the rows as they were read */
    int sets_even;                      /* --even-times */
    int drops_spikes;                   /* --drop-spikes */
    size_t spikes_dropped;
    const struct cli_inspected *against; /* the log of --against, or NULL */
    marl_consistency consistency[MARL_SENSOR_COUNT];
    int merged;              /* so many further files are in it */
    int mapped;              /* by maps or guesses of columns */
    marl_clock_offset clock; /* of the last of them */
    char contradiction[200]; /* of its units and the motion; "" = none */
    marl_warnings warnings;
} cli_inspected;

/* The value of --time-offset. */
typedef struct cli_clock {
    int given;
    double offset_s;
} cli_clock;

/* Loads the logs of the command line into one, with a warning for what is wrong with them. What a single file from
 * elsewhere seems to hold is printed when it cannot be read without a map; of several, each is read by what its names
 * say, and those of more than two that cannot be used are left out with a warning. */
MARL_CHECKED marl_status cli_inspect_read(const cli *c, const cli_reading *reading, const cli_clock *clock,
                                          cli_inspected *seen, marl_error *error);
/* `text` is the value of --delay, NULL without. MARL_ERR_USE for one that cannot be, or where no log is written. */
MARL_CHECKED marl_status cli_inspect_check_delay(const char *text, const char *out, marl_error *error);
MARL_CHECKED marl_status cli_inspect_remove_delays(cli_inspected *seen, const char *text, marl_error *error);
MARL_CHECKED marl_status cli_inspect_write(const cli_inspected *seen, const char *path, marl_error *error);

/* The spectrum that is shown: of the motion where there is one, else at rest. */
const marl_sensor_spectrum *cli_inspect_spectrum(const cli_inspected *seen, int sensor);
size_t cli_count_attitudes(const marl_log *log);
/* Is the log of --against like this one in all that both have? */
int cli_inspect_holds(const cli_inspected *seen);
int cli_inspect_json(const cli_inspected *seen);
int cli_inspect_table(const cli_inspected *seen);
MARL_CHECKED marl_status cli_inspect_figure(const cli_inspected *seen, const char *path, marl_error *error);

#endif
