/* SPDX-License-Identifier: MIT
 * The desk's end of a device stream: bytes in, rows out. Packets (docs/schema/stream.cddl) and CSV lines
 * are recognised by their content; a stream may start in the middle and lose bytes anywhere. Back to the
 * board go messages, as packets ready for the line. */
#ifndef MARLINSPIKE_RECEIVER_H
#define MARLINSPIKE_RECEIVER_H

#include "marlinspike/calibration.h"
#include "marlinspike/log.h"
#include "marlinspike/packet.h"
#include "marlinspike/telemetry.h"

#ifdef __cplusplus
extern "C" {
#endif

typedef enum marl_stream_kind {
    MARL_STREAM_UNKNOWN,
    MARL_STREAM_PACKETS,
    MARL_STREAM_LINES
} marl_stream_kind;

typedef struct marl_stream_report {
    marl_stream_kind kind;
    marl_log_report rows;        /* as of a log; lines count from 1 where the kind is LINES */
    unsigned long bytes;         /* that came in */
    unsigned long bytes_skipped; /* that belonged to no good packet, or to no whole line behind a header */
    unsigned long items, items_lost; /* the gaps in the packet numbers */
    unsigned long events;            /* of the board, about its chips */
    char first_event[160];
    char firmware[MARL_DEVICE_NAME];
    int identified;  /* the board has sent its identity */
    uint8_t sensors; /* MARL_FRESH_..., of its identity */
    char fault[600]; /* of the first header or row of CSV lines that had one, with file and line */
    int restarted;   /* the board restarted: the stream ends there */
    int64_t last_ns; /* time of the last row */
} marl_stream_report;

/* What a board answered to the item of that number. */
typedef struct marl_ack {
    uint32_t answered;
    marl_outcome outcome;
    char text[100];
} marl_ack;

typedef struct marl_receiver marl_receiver;

/* `options` as for a log, for CSV lines; may be NULL. `name` stands in messages. */
MARL_CHECKED marl_status marl_receiver_create(marl_receiver **receiver, const char *name,
                                              const marl_log_options *options, marl_error *error);
void marl_receiver_free(marl_receiver *receiver); /* NULL is allowed */

/* Feeds bytes. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_receiver_feed(marl_receiver *receiver, const uint8_t *bytes, size_t n,
                                            marl_error *error);
/* No more bytes will come: what waited for them becomes a row. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_receiver_finish(marl_receiver *receiver, marl_error *error);

/* The next row in the order of time. MARL_ERR_NOT_READY when more bytes are needed, MARL_END when the
 * board has restarted and its clock with it. */
MARL_CHECKED marl_status marl_receiver_next(marl_receiver *receiver, marl_log_row *row);
/* The next acknowledgement, MARL_ERR_NOT_READY when there is none. */
MARL_CHECKED marl_status marl_receiver_ack(marl_receiver *receiver, marl_ack *ack);

/* Device and columns as far as they are known: columns are those of the header, or of all rows so far
 * together with the sensors that the board named. */
const marl_log_info *marl_receiver_info(const marl_receiver *receiver);
const marl_stream_report *marl_receiver_report(const marl_receiver *receiver);

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
