/* SPDX-License-Identifier: MIT
 * The items of the device stream, a CBOR sequence (RFC 8742) whose every item stands in a packet (packet.h).
 * An item is the array [kind, number, body]; `number` counts the items of one direction, so that a loss is
 * seen, and `body` is a map with small whole keys, of which unknown ones are passed over. The schema is
 * docs/schema/stream.cddl. Here is the device's side: what it sends, and what it reads. */
#ifndef MARLINSPIKE_TELEMETRY_H
#define MARLINSPIKE_TELEMETRY_H

#include "marlinspike/cbor.h"
#include "marlinspike/correction.h"
#include "marlinspike/quat.h"
#include "marlinspike/sample.h"
#include "marlinspike/tuning.h"
#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef enum marl_item_kind {
    MARL_ITEM_SAMPLE = 1,   /* both ways: readings, an attitude, or both */
    MARL_ITEM_IDENTITY = 2, /* from the board: at its start, and when asked */
    MARL_ITEM_ACK = 3,      /* from the board: to every item that asks for something */
    MARL_ITEM_EVENT = 4,    /* from the board: a chip failed or works again */
    MARL_ITEM_IDENTIFY = 16,
    MARL_ITEM_CALIBRATION = 17,
    MARL_ITEM_TUNING = 18,
    MARL_ITEM_COMMIT = 19, /* keep calibration, mount and tuning over power cuts */
    MARL_ITEM_ZERO = 20    /* the attitude of now is what is called level (and north) */
} marl_item_kind;

/* Longest contents of an item, and of the calibration and tuning that the store keeps. */
enum { MARL_ITEM_MAX = 640, MARL_DEVICE_NAME = 64 };

typedef struct marl_item_identity {
    int64_t t_ns;
    const char *device, *firmware;
    uint8_t sensors;    /* MARL_FRESH_... */
    uint32_t period_us; /* of the fastest sensor */
} marl_item_identity;

typedef struct marl_item_event {
    int64_t t_ns;
    uint8_t part, bus, address;
    marl_status fault; /* MARL_OK: works again */
    uint8_t identity;  /* that it gave, with MARL_ERR_IDENTITY */
    uint32_t silent, late, garbage, restarts;
} marl_item_event;

/* Outcomes in an acknowledgement; these numbers never change. */
typedef enum marl_outcome {
    MARL_OUTCOME_DONE = 0,
    MARL_OUTCOME_NOT_UNDERSTOOD = 1,
    MARL_OUTCOME_OUT_OF_RANGE = 2,
    MARL_OUTCOME_OTHER_DEVICE = 3,
    MARL_OUTCOME_MOVING = 4,
    MARL_OUTCOME_STORE_FAILED = 5,
    MARL_OUTCOME_NO_STORE = 6
} marl_outcome;

/* Writing. `q` may be NULL. */
void marl_item_put_sample(marl_cbor_writer *w, uint32_t number, const marl_sample *sample,
                          const marl_quat *q);
void marl_item_put_identity(marl_cbor_writer *w, uint32_t number, const marl_item_identity *identity);
void marl_item_put_ack(marl_cbor_writer *w, uint32_t number, uint32_t answered, marl_outcome outcome,
                       const char *text);
void marl_item_put_event(marl_cbor_writer *w, uint32_t number, const marl_item_event *event);
/* Bodies, as the store keeps them. */
void marl_item_put_calibration(marl_cbor_writer *w, const marl_calibration *calibration);
void marl_item_put_tuning(marl_cbor_writer *w, const marl_tuning *tuning);

/* Reading. MARL_ERR_MESSAGE when it is not such an item. The body follows. */
MARL_CHECKED marl_status marl_item_get_head(marl_cbor_reader *r, marl_item_kind *kind, uint32_t *number);
MARL_CHECKED marl_status marl_item_get_sample(marl_cbor_reader *r, marl_sample *sample);
/* MARL_ERR_MESSAGE, or MARL_ERR_ARGUMENT when a value is none that could be used. `device` is "" when the
 * item names none. */
MARL_CHECKED marl_status marl_item_get_calibration(marl_cbor_reader *r, marl_calibration *calibration,
                                                   char device[MARL_DEVICE_NAME]);
MARL_CHECKED marl_status marl_item_get_tuning(marl_cbor_reader *r, marl_tuning *tuning);

/* Log lines as text instead, for reading on a terminal: the same columns as a log file (docs/formats.md),
 * with a fixed number of decimals, made without stdio. Items carry more and are checked; these are not. */
enum { MARL_CSV_LINE_MAX = 320 };

/* `sensors` (MARL_FRESH_...) and `with_q` select the columns. Both return the length; the text ends with
 * "\n" and a NUL. Decimals: t 9, accel 5, gyro 6, mag 4, temp 3, speed 4, q 7. Readings that are not fresh,
 * not finite or beyond what is plausible are left empty. */
size_t marl_csv_line_header(char line[MARL_CSV_LINE_MAX], uint8_t sensors, int with_q);
size_t marl_csv_line_row(char line[MARL_CSV_LINE_MAX], uint8_t sensors, int with_q, const marl_sample *sample,
                         const marl_quat *q);

#ifdef __cplusplus
}
#endif
#endif
