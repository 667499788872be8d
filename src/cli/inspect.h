/* SPDX-License-Identifier: MIT
 * An inspection as the inspect command holds it, and how it is shown. */
#ifndef CLI_INSPECT_H
#define CLI_INSPECT_H

#include "cli.h"

typedef struct cli_inspected {
    marl_log log;
    marl_inspection inspection;
    marl_sensor_noise noise[MARL_SENSOR_COUNT];
    marl_axes axes;
    cli_warnings warnings;
} cli_inspected;

int cli_inspect_json(const cli_inspected *seen);
int cli_inspect_table(const cli_inspected *seen);
MARL_CHECKED marl_status cli_inspect_figure(const cli_inspected *seen, const char *path, marl_error *error);

#endif
