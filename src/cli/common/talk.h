/* SPDX-License-Identifier: MIT
 * Messages to a board and their acknowledgements. */
#ifndef TALK_H
#define TALK_H

#include "cli/common/source.h"

/* Reads until the acknowledgement of this number arrives, for so long at most. MARL_ERR_NOT_READY: it did not. */
MARL_CHECKED marl_status talk_wait(source *to, marl_receiver *receiver, uint32_t number, double seconds,
                                   marl_ack *ack, marl_error *error);
/* Sends a message, five times at most, until it is acknowledged. */
MARL_CHECKED marl_status talk_ask(source *to, marl_receiver *receiver, const marl_message *message,
                                  marl_ack *ack, marl_error *error);
/* MARL_OK when the board did it; else the error that names its reason. */
MARL_CHECKED marl_status talk_check(const source *to, const marl_receiver *receiver, const marl_ack *ack,
                                    const char *what, marl_error *error);

#endif
