/* SPDX-License-Identifier: MIT
 * How a calibration session is shown. */
#ifndef CLI_CALIBRATE_H
#define CLI_CALIBRATE_H

#include "cli/common/cli.h"

int cli_calibrated_json(const marl_session *session);
/* The table, and under it what became of the result. */
int cli_calibrated_table(const marl_session *session, const char *written, const char *target);
MARL_CHECKED marl_status cli_calibrated_page(const marl_session *session, const char *path,
                                             marl_error *error);

#endif
