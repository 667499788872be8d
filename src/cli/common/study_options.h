/* SPDX-License-Identifier: MIT
 * The logs and references of a study on the command line: what compare and search share. */
#ifndef CLI_STUDY_OPTIONS_H
#define CLI_STUDY_OPTIONS_H

#include "cli/common/cli.h"

typedef struct cli_study {
    cli_reading reading;
    char *reference, *calibration, *reference_world, *match, *match_by, *time_offset;
    char **pair;
    marl_named_tuning matched; /* of --match-by */
    marl_calibration_record record;
} cli_study;

#define CLI_STUDY_OPTIONS(study)                                                                             \
    {"reference",                                                                                            \
     '\0',                                                                                                   \
     POPT_ARG_STRING,                                                                                        \
     &(study).reference,                                                                                     \
     CLI_READS,                                                                                              \
     "the attitude to compare LOG with; smooth: LOG itself, smoothed",                                       \
     "ATT"},                                                                                                 \
        {"case",   '\0', POPT_ARG_ARGV, &(study).pair, CLI_READS, "a log and its reference; repeat it",      \
         "LOG=ATT"},                                                                                         \
        {"calibration",                                                                                      \
         '\0',                                                                                               \
         POPT_ARG_STRING,                                                                                    \
         &(study).calibration,                                                                               \
         CLI_CALIBRATION,                                                                                    \
         "correct the readings first",                                                                       \
         "CAL"},                                                                                             \
        {"time-offset",                                                                                      \
         '\0',                                                                                               \
         POPT_ARG_STRING,                                                                                    \
         &(study).time_offset,                                                                               \
         0,                                                                                                  \
         "how much more the reference's clock shows, in seconds (default 0), or auto: found from turning",   \
         "auto|S"},                                                                                          \
        {"match",                                                                                            \
         '\0',                                                                                               \
         POPT_ARG_STRING,                                                                                    \
         &(study).match,                                                                                     \
         0,                                                                                                  \
         "remove constant rotations between the frames: none (default), start, heading, world, world+body",  \
         "HOW"},                                                                                             \
        {"match-by",                                                                                         \
         '\0',                                                                                               \
         POPT_ARG_STRING,                                                                                    \
         &(study).match_by,                                                                                  \
         CLI_TUNING,                                                                                         \
         "the tuning whose attitude is matched, for all of them (default: the smoothed log; start: kalman)", \
         "T"},                                                                                               \
    {                                                                                                        \
        "reference-world", '\0', POPT_ARG_STRING, &(study).reference_world, 0,                               \
            "frame of the reference: enu or ned (default: as in the file, else enu)", "W"                    \
    }

/* The study's options from these. MARL_ERR_USE where they contradict each other or `pair` is no LOG=REFERENCE. */
MARL_CHECKED marl_status cli_study_prepare(const cli *c, cli_study *given, marl_study *study,
                                           marl_error *error);
/* LOG with its reference, and the cases; after the study's other options are set. */
MARL_CHECKED marl_status cli_study_load(const cli *c, cli_study *given, marl_study *study, marl_error *error);

/* Where the reference begins in LOG=REFERENCE, both of which may hold the sign: where it stands between two files,
 * else the last. NULL when it is no such pair. */
char *cli_study_sign(char *pair);

#endif
