/* SPDX-License-Identifier: MIT
 * What all commands share: options, messages, exit codes, JSON. */
#ifndef CLI_H
#define CLI_H

#include "marlinspike/lab.h"
#include "marlinspike/show.h"
#include <jansson.h>
#include <popt.h>

/* One call of a command: its options as read, its files. */
typedef struct cli {
    poptContext context;
    const struct poptOption *own; /* the command's table, whose texts are freed at the end */
    const char **words;           /* argv as popt has it */
    char name[64];                /* "marlinspike COMMAND" */
    const char *const *file;
    int files;
    int json, quiet;
} cli;

typedef struct cli_command {
    const char *name;
    const char *about;
    int (*run)(int argc, const char **argv); /* argv[0] is the command's name */
} cli_command;

int cli_simulate(int argc, const char **argv);
int cli_inspect(int argc, const char **argv);
int cli_calibrate(int argc, const char **argv);
int cli_zero(int argc, const char **argv);
int cli_verify(int argc, const char **argv);
int cli_correct(int argc, const char **argv);
int cli_export(int argc, const char **argv);
int cli_replay(int argc, const char **argv);
int cli_smooth(int argc, const char **argv);
int cli_compare(int argc, const char **argv);
int cli_record(int argc, const char **argv);
int cli_live(int argc, const char **argv);
int cli_send(int argc, const char **argv);
int cli_search(int argc, const char **argv);
int cli_tuning(int argc, const char **argv);
int cli_demo(int argc, const char **argv);

enum {
    CLI_DONE = 0,
    CLI_DOES_NOT_HOLD = 1,
    CLI_WRONG_USE = 2,
    CLI_INPUT = 3,
    CLI_INSUFFICIENT = 4,
    CLI_MACHINE = 5
};

/* What an option's text names; the `val` of its entry in the table. */
enum {
    CLI_READS = 1,   /* a file, LOG=ATT, FILE:MAP, or a text that is no file */
    CLI_TUNING,      /* FILTER or FILE, with or without :NAME=VALUE,... */
    CLI_CALIBRATION, /* a calibration that is read */
    CLI_UPDATES,     /* a calibration that is read and replaced */
    CLI_WRITES,      /* a file */
    CLI_WRITES_ROWS, /* a log or attitudes: a file, or a FIFO */
    CLI_SOURCE,      /* log:FILE is read; others are no files */
    CLI_BOARD,       /* sim:FILE is read and replaced; others are no files */
    CLI_NO_FILE
};

/* cli_open returns this when the command shall run; anything else is the exit code. */
#define CLI_GO (-1)

/* The usage line behind "marlinspike", what its first argument names, the least and most number of files, and an
 * example. */
typedef struct cli_usage {
    const char *files;
    int first;
    int min, max;
    const char *about;
    const char *example;
} cli_usage;

/* Reads the options. --help, --json and --quiet are added to the command's own table. Wrong use when a file
 * would be written that is an input, or twice. */
int cli_open(cli *c, int argc, const char **argv, const struct poptOption *own, const cli_usage *usage);
void cli_close(cli *c);

/* Prints the error, if there is one, and returns the exit code. */
int cli_exit(const marl_error *error);
/* Text on stdout, and a message on stderr: whatever stands in names of files and devices, no control
 * character reaches the terminal. */
void cli_print(const char *format, ...) __attribute__((format(printf, 1, 2)));
void cli_message(const char *format, ...) __attribute__((format(printf, 1, 2)));
/* Sentences on stdout, in lines of at most 100 columns, those after the first with `indent` blanks before them.
 * Ends the line. A message is broken in the same way where stderr is a terminal, and is one line elsewhere. */
void cli_print_prose(int indent, const char *format, ...) __attribute__((format(printf, 2, 3)));

/* Keeps other runs from changing files in this file's folder until this one ends, so that what is read,
 * changed and written back here loses nothing of theirs. Waits where another run is at it. A file system that
 * cannot lock does without. */
void cli_lock_until_exit(const char *path);

/* " (WORD?)" of the word that is near, or "". */
void cli_meant(const marl_nearest_word *nearest, char *text, size_t size);

/* Fails with the names of all scenes, and the nearest. */
marl_status cli_unknown_scene(const char *scene, marl_error *error);

enum { CLI_MAPS_MAX = 2 };

/* The options of every command that reads logs. */
typedef struct cli_reading {
    char *decimal, *sheet, *window, **columns;
    marl_sheet sheet_read;
    marl_column_map map[CLI_MAPS_MAX]; /* as many as were given */
    int maps, calibrated;
    marl_log_options options;
} cli_reading;

#define CLI_READING_OPTIONS(reading)                                                                         \
    {"decimal", '\0', POPT_ARG_STRING, &(reading).decimal, 0, "decimal sign of the log: . or ,", "C"},       \
        {"columns",                                                                                          \
         '\0',                                                                                               \
         POPT_ARG_ARGV,                                                                                      \
         &(reading).columns,                                                                                 \
         CLI_READS,                                                                                          \
         "of a log from elsewhere, such as 't=1[ms]; accel=2,3,4[g]'; or a file that holds such a map",      \
         "MAP"},                                                                                             \
        {"window",                                                                                           \
         '\0',                                                                                               \
         POPT_ARG_STRING,                                                                                    \
         &(reading).window,                                                                                  \
         0,                                                                                                  \
         "only this part of the log, in seconds of its own time; either may be left out",                    \
         "FROM:TO"},                                                                                         \
        {"calibrated",                                                                                       \
         '\0',                                                                                               \
         POPT_ARG_NONE,                                                                                      \
         &(reading).calibrated,                                                                              \
         0,                                                                                                  \
         "the log's readings are calibrated already, as those of a log with corrected=yes",                  \
         NULL},                                                                                              \
    {                                                                                                        \
        "sheet", '\0', POPT_ARG_STRING, &(reading).sheet, CLI_READS,                                         \
            "sensor sheet: for a log in counts, and for a filter's defaults", "F"                            \
    }

/* For so many logs that may have a map each. */
MARL_CHECKED marl_status cli_reading_prepare(cli_reading *reading, int files, marl_error *error);

/* --start: how a replay begins. */
typedef struct cli_start {
    marl_start_kind from;
    marl_quat q; /* given, or of the reference; enu */
} cli_start;

/* NULL: from the vectors. MARL_ERR_USE when it is none of vectors, reference, W,X,Y,Z. */
MARL_CHECKED marl_status cli_start_read(cli_start *start, const char *text, marl_error *error);

/* --every, --drop, --jitter, --gap: decimation, dropout, jitter, a gap. */
typedef struct cli_degradation {
    int every;
    double drop, jitter;
    char *gap;
} cli_degradation;

#define CLI_NO_DEGRADATION                                                                                   \
    {                                                                                                        \
        1, 0, 0, NULL                                                                                        \
    }
#define CLI_DEGRADATION_OPTIONS(degradation)                                                                 \
    {"every", '\0', POPT_ARG_INT, &(degradation).every, 0, "see one row in N only", "N"},                    \
        {"drop", '\0', POPT_ARG_DOUBLE, &(degradation).drop, 0, "lose this share of the rows, 0 to 1", "P"}, \
        {"jitter",                                                                                           \
         '\0',                                                                                               \
         POPT_ARG_DOUBLE,                                                                                    \
         &(degradation).jitter,                                                                              \
         0,                                                                                                  \
         "let the time stamps be off by S seconds rms",                                                      \
         "S"},                                                                                               \
    {                                                                                                        \
        "gap", '\0', POPT_ARG_STRING, &(degradation).gap, 0,                                                 \
            "lose the rows between these times of the log, s", "FROM:TO"                                     \
    }

/* MARL_ERR_USE when one is out of range. */
MARL_CHECKED marl_status cli_degradation_read(marl_degradation *degradation, const cli_degradation *given,
                                              marl_error *error);

/* --body: what turns on a page; NULL: the default. MARL_ERR_USE for another name. */
MARL_CHECKED marl_status cli_body_check(const char *given, marl_error *error);
const char *cli_body_name(const char *given);

/* Readings per sensor that were left out; and those that were used with a weight under one half. */
json_t *cli_invalid_json(const marl_estimator_counts *counts);
json_t *cli_downweighted_json(const marl_estimator_counts *counts);

/* One list for stderr and for --json. */
void cli_print_warnings(const marl_warnings *warnings);
json_t *cli_warnings_json(const marl_warnings *warnings);

/* The unit in which a sensor's values are shown, in SI, and its name: m/s^2, deg/s, uT. */
double cli_unit_of(marl_sensor sensor);
const char *cli_unit_name(marl_sensor sensor);

/* NaN becomes null. */
json_t *cli_number(double value);
/* A text for a report; what is no text in it is replaced. */
json_t *cli_text(const char *text);
json_t *cli_numbers(const double *value, size_t n);
/* To be called once at the start: a failed allocation while JSON is made then makes its printing fail. */
void cli_watch_memory(void);
/* 1 after such a failure: what was made since may lack parts. */
int cli_memory_failed(void);
/* Prints the one object on stdout and releases it. Returns 0, or 5 when stdout is closed. */
int cli_print_json(json_t *root);
/* Flushes stdout: a table that could not be printed is not done. */
int cli_print_done(void);

#endif
