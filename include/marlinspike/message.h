/* SPDX-License-Identifier: MIT
 * Messages to a board, as packets ready for the line. */
#ifndef MARLINSPIKE_MESSAGE_H
#define MARLINSPIKE_MESSAGE_H

#include "marlinspike/calibration.h"
#include "marlinspike/packet.h"
#include "marlinspike/telemetry.h"

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_message {
    marl_item_kind kind; /* IDENTIFY, CALIBRATION, TUNING, COMMIT, ZERO or SAMPLE */
    uint32_t number;
    const marl_calibration_record *calibration; /* of a CALIBRATION */
    const marl_tuning *tuning;                  /* of a TUNING */
    const marl_sample *sample;                  /* of a SAMPLE */
} marl_message;

enum { MARL_MESSAGE_MAX = MARL_PACKET_SIZE(MARL_ITEM_MAX) + 1 };

/* The packet with a zero before it, which ends whatever noise stood on the line. MARL_ERR_ARGUMENT when what
 * the kind needs is missing, MARL_ERR_CAPACITY when it is longer than a board takes. */
MARL_CHECKED marl_status marl_message_make(const marl_message *message, uint8_t bytes[MARL_MESSAGE_MAX],
                                           size_t *n, marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
