/* SPDX-License-Identifier: MIT
 * send --calibrate: what the desk makes of the readings that the board streams meanwhile. */
#ifndef SEND_DESK_H
#define SEND_DESK_H

#include "cli/common/cli.h"

typedef struct send_desk {
    marl_log log;
    size_t capacity;
    int accepted;
    double bias[3], sigma[3]; /* of the sensor, in its unit */
    char refused[300];        /* why not; empty: nothing was streamed */
} send_desk;

/* Keeps a row. MARL_ERR_SYSTEM without memory, or beyond two million rows. */
MARL_CHECKED marl_status send_desk_add(send_desk *desk, const marl_log_row *row, marl_error *error);
/* Calibrates as `calibrate` does; that it refuses the readings is no failure. `columns` are those of the stream. */
MARL_CHECKED marl_status send_desk_fit(send_desk *desk, unsigned columns, const marl_renewal_report *report,
                                       double gravity, marl_error *error);
/* One line: how far the board's bias is from the desk's. */
void send_desk_print(const send_desk *desk, const marl_renewal_report *report, double scale,
                     const char *unit);
json_t *send_desk_json(const send_desk *desk);
void send_desk_free(send_desk *desk);

#endif
