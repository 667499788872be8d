/* SPDX-License-Identifier: MIT
 * A verification, and how it is shown. */
#ifndef CLI_VERIFY_H
#define CLI_VERIFY_H

#include "cli/common/cli.h"

typedef struct cli_verified {
    marl_log log;
    marl_calibration_record record;
    const char *record_path;
    double gravity;
    marl_verification result;
    marl_warnings warnings;
} cli_verified;

MARL_CHECKED marl_status cli_verify_figure(const cli_verified *job, const char *path, marl_error *error);
MARL_CHECKED marl_status cli_verify_page(const cli_verified *job, const char *path, marl_error *error);

#endif
