/* SPDX-License-Identifier: MIT
 * send --calibrate: a calibration that the board makes itself, watched from here. */
#ifndef SEND_RENEWAL_H
#define SEND_RENEWAL_H

#include "cli/common/talk.h"
#include "cli/send/send_desk.h"

/* "still", "poses", "tumble", "stop". MARL_ERR_USE for another word. */
MARL_CHECKED marl_status send_renewal_kind(const char *word, marl_renewal_kind *kind, marl_error *error);
const char *send_renewal_name(marl_renewal_kind kind);

/* Waits until the board is done, shows meanwhile what it wants, and keeps what it streams. MARL_ERR_SYSTEM when it goes silent. */
MARL_CHECKED marl_status send_renewal_watch(const cli *c, source *to, marl_receiver *receiver,
                                            send_desk *desk, marl_renewal_report *report, marl_error *error);
/* MARL_OK when it is done; else the error with the board's reason, and what to do. */
MARL_CHECKED marl_status send_renewal_check(const source *to, const marl_renewal_report *report,
                                            marl_error *error);
void send_renewal_print(const marl_renewal_report *report, const send_desk *desk);
json_t *send_renewal_json(const marl_renewal_report *report, const send_desk *desk);

#endif
