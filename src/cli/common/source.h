/* SPDX-License-Identifier: MIT
 * Where a stream comes from, or a message goes to: a simulated board, a serial line, standard input. */
#ifndef SOURCE_H
#define SOURCE_H

#include "cli/common/cli.h"
#include "marlinspike/files.h"
#include "marlinspike/posix.h"
#include "marlinspike/sim.h"

typedef enum source_kind { SOURCE_SIM, SOURCE_SERIAL, SOURCE_STDIN } source_kind;

typedef struct source_options {
    const char *from;   /* sim:SCENE, sim, log:FILE, serial:DEV[@BAUD], - */
    char **chips;       /* chip tables, NULL = the Grommet */
    const char *faults; /* of the simulated board; NULL = none */
    const char *flash;  /* file that keeps the simulated board's memory; NULL = none */
    const char *device; /* name of the simulated board */
    double rate;        /* of its chips; 0 = as in the sheet */
    long long seed;
    int silent; /* it streams no samples */
    const cli_reading *reading;
} source_options;

typedef struct source {
    source_kind kind;
    char name[300]; /* for messages */
    long baud;
    marl_serial *serial;
    marl_sim *sim;
    const char *flash;
    double max_s; /* a simulated scene is over then */
    marl_log log;
    marl_sheet sheet;
    marl_chip_file chip[MARL_BOARD_MAX_PARTS];
    marl_part part[MARL_BOARD_MAX_PARTS];
} source;

MARL_CHECKED marl_status source_open(source *s, const source_options *o, marl_error *error);
/* What has come in, waiting a little; *got may be 0. MARL_END at the end: vanished, over, end of file. */
MARL_CHECKED marl_status source_read(source *s, uint8_t *bytes, size_t n, size_t *got, marl_error *error);
MARL_CHECKED marl_status source_write(source *s, const uint8_t *bytes, size_t n, marl_error *error);
/* Seconds of the source's own time: the simulated board's, or the wall clock's. */
double source_seconds(const source *s);
/* Keeps the simulated board's memory. */
MARL_CHECKED marl_status source_keep(source *s, marl_error *error);
void source_close(source *s);

#endif
