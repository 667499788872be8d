/* SPDX-License-Identifier: MIT
 * A calibration as the calibrate command holds it, and how it is shown. */
#ifndef CLI_CALIBRATE_H
#define CLI_CALIBRATE_H

#include "cli/common/cli.h"

typedef enum cli_recording_kind {
    CLI_STILL,
    CLI_TURNS,
    CLI_POSES,
    CLI_TUMBLE,
    CLI_SOAK,
    CLI_AXES,
    CLI_MOVES,
    CLI_RECORDING_KINDS
} cli_recording_kind;

typedef struct cli_calibrated {
    cli_recording_kind kind;
    marl_log log;
    marl_warnings warnings;
    marl_calibration_record record; /* what will be written */
    marl_still_result rest;         /* of still */
    marl_turns_result turns;
    marl_poses_result poses;
    marl_tumble_result tumble;
    marl_moves_result moves;
    marl_soak_result soak[2]; /* gyroscope, accelerometer */
    marl_axes_result axes;
    const marl_calibrated *result; /* of the first sensor */
    marl_calibrated still;         /* of still, in the shape of the others */
} cli_calibrated;

typedef struct cli_calibrate_options {
    cli_reading reading;
    char *into, *out, *figure, *page, *hemisphere, *up;
    double turn_angle, gravity, field, latitude;
    int up_axis; /* 1 to 3, negative for down; 0 = not given */
    int quick;
} cli_calibrate_options;

/* What each kind of recording is for. */
typedef struct cli_calibrate_kind {
    const char *name, *next; /* what to record when there is nothing at all */
    marl_status (*run)(const cli_calibrate_options *options, cli_calibrated *job, marl_error *error);
} cli_calibrate_kind;

extern const cli_calibrate_kind cli_calibrate_kinds[CLI_RECORDING_KINDS];

int cli_calibrated_json(const cli_calibrated *job);
/* The table, and under it what became of the result. */
int cli_calibrated_table(const cli_calibrated *job, const char *written, const char *target);
/* Points in three planes, residuals, or the curve: whatever the recording is looked at by. */
MARL_CHECKED marl_status cli_calibrated_figure(const cli_calibrated *job, const char *path,
                                               marl_error *error);
MARL_CHECKED marl_status cli_calibrated_page(const cli_calibrated *job, const char *path, marl_error *error);

#endif
