/* SPDX-License-Identifier: MIT
 * Messages to a board and their acknowledgements. */
#include "cli/common/talk.h"
#include <stdio.h>

enum { TRIES = 5 };
#define ACK_S 1.0

marl_status talk_wait(source *to, marl_receiver *receiver, uint32_t number, double seconds, marl_ack *ack,
                      marl_error *error)
{
    uint8_t bytes[4096];
    double start = source_seconds(to);
    while (source_seconds(to) - start < seconds) {
        size_t got;
        marl_log_row row;
        marl_status status = source_read(to, bytes, sizeof bytes, &got, error);
        if (status == MARL_END) {
            return marl_fail(error, MARL_ERR_SYSTEM, "%s: the device vanished", to->name);
        }
        status = status != MARL_OK ? status : marl_receiver_feed(receiver, bytes, got, error);
        if (status != MARL_OK) {
            return status;
        }
        while (marl_receiver_next(receiver, &row) == MARL_OK) { /* samples are not wanted here */
        }
        while (marl_receiver_ack(receiver, ack) == MARL_OK) {
            if (ack->answered == number) {
                return MARL_OK;
            }
        }
    }
    return MARL_ERR_NOT_READY;
}

marl_status talk_ask(source *to, marl_receiver *receiver, const marl_message *message, marl_ack *ack,
                     marl_error *error)
{
    uint8_t bytes[MARL_MESSAGE_MAX];
    size_t n;
    *ack = (marl_ack){0};
    marl_status status = marl_message_make(message, bytes, &n, error);
    for (int i = 0; i < TRIES && status == MARL_OK; i++) {
        status = source_write(to, bytes, n, error);
        if (status == MARL_END) {
            return marl_fail(error, MARL_ERR_SYSTEM, "%s: the device vanished", to->name);
        }
        status = status != MARL_OK ? status : talk_wait(to, receiver, message->number, ACK_S, ack, error);
        if (status != MARL_ERR_NOT_READY) {
            return status;
        }
        status = MARL_OK;
    }
    if (status == MARL_OK) {
        const marl_stream_report *report = marl_receiver_report(receiver);
        int deaf = report->items == 0 && report->bytes > 0 && to->kind == SOURCE_SERIAL;
        status = marl_fail(error, MARL_ERR_SYSTEM, "%s: no acknowledgement after %d tries%s", to->name, TRIES,
                           deaf ? "; bytes came, but no packet: is this the right baud rate?" : "");
    }
    return status;
}

/* Exit code when a board refuses. */
static marl_status status_of(marl_outcome outcome)
{
    switch (outcome) {
    case MARL_OUTCOME_DONE:
        return MARL_OK;
    case MARL_OUTCOME_MOVING:
        return MARL_ERR_INSUFFICIENT;
    case MARL_OUTCOME_STORE_FAILED:
    case MARL_OUTCOME_NO_STORE:
    case MARL_OUTCOME_CHIP_FAILED:
    case MARL_OUTCOME_BUSY:
        return MARL_ERR_SYSTEM;
    default:
        return MARL_ERR_INPUT;
    }
}

marl_status talk_check(const source *to, const marl_receiver *receiver, const marl_ack *ack, const char *what,
                       marl_error *error)
{
    const char *device = marl_receiver_info(receiver)->device;
    if (ack->outcome == MARL_OUTCOME_DONE) {
        return MARL_OK;
    }
    return marl_fail(error, status_of(ack->outcome), "%s: %s refuses the %s: %s", to->name,
                     device[0] ? device : "the board", what, ack->text);
}
