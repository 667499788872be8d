/* SPDX-License-Identifier: MIT
 * A comparison as the compare command holds it, and how it is shown. */
#ifndef CLI_COMPARE_H
#define CLI_COMPARE_H

#include "cli.h"

#define CLI_MOST_RUNS 32

/* One tuning on the log. */
typedef struct cli_run {
    marl_named_tuning tuning;
    marl_error error; /* MARL_OK, or why it could not run */
    marl_comparison comparison;
    marl_estimator_counts counts;
    uint32_t digest;
    int heading_is_magnetic;
} cli_run;

typedef struct cli_comparison {
    marl_log log;
    marl_series reference;
    marl_spans still;
    const marl_calibration_record *calibration; /* NULL: readings as they are */
    const char *calibration_path;
    cli_start start;
    cli_warnings warnings;
    size_t runs;
    cli_run run[CLI_MOST_RUNS];
} cli_comparison;

int cli_compare_json(const cli_comparison *job);
int cli_compare_table(const cli_comparison *job, const char *reference, const char *figure);
MARL_CHECKED marl_status cli_compare_figure(const cli_comparison *job, const char *path, marl_error *error);

#endif
