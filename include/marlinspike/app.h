/* SPDX-License-Identifier: MIT
 * The streaming application and what goes over its line. The usual order of calls:
 *
 *   marl_app_start(&app, &port, parts, n, &config, &what);
 *   marl_app_step(&app, &rest_us);                       in a loop; sleep rest_us between
 *
 * Firmware without the application may use packets, CSV lines and the store by themselves. */
#ifndef MARLINSPIKE_APP_H
#define MARLINSPIKE_APP_H

#include "marlinspike/chip.h"
#include "marlinspike/estimator.h"
#include "marlinspike/renew.h"
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* ---- packet ---- */

/* Packets on a line of bytes that may lose or spoil some: contents and their CRC-32 (little-endian), stuffed
 * so that no byte is zero ("Consistent overhead byte stuffing", 1997), with a zero behind. After any fault
 * the next zero begins a good packet again. */

/* Bytes that a packet of n bytes of contents takes on the line at most. */
#define MARL_PACKET_SIZE(n) ((n) + 4 + ((n) + 4) / 254 + 2)

/* *size is the number of bytes made. MARL_ERR_CAPACITY when `max` is less than MARL_PACKET_SIZE(n). */
MARL_CHECKED marl_status marl_packet_make(const uint8_t *contents, size_t n, uint8_t *out, size_t max,
                                          size_t *size);

/* Finds packets in a stream, byte by byte. */
typedef struct marl_packet_reader {
    uint8_t *bytes; /* the caller's */
    size_t size;
    size_t n;         /* bytes unstuffed so far */
    uint8_t block;    /* bytes left of the open block, */
    uint8_t full;     /* which was one of 254: no zero stands behind it */
    uint8_t skipping; /* what is coming in cannot be a packet: until the next zero */
    uint8_t started;  /* the first zero has come */
    uint32_t packets, broken;
    uint32_t skipped; /* bytes that belonged to no good packet */
    size_t received;  /* bytes of the open packet, as they came */
} marl_packet_reader;

/* `bytes` holds the contents of a packet and its CRC; longer packets count as broken. The first bytes, up to
 * a zero, may be the rest of a packet whose start was missed: they count as skipped only. */
void marl_packet_reader_init(marl_packet_reader *reader, uint8_t *bytes, size_t size);

/* Takes one byte. MARL_OK: a packet is complete, its contents are *n bytes at reader->bytes, until the next
 * call. MARL_ERR_NOT_READY: not yet. MARL_ERR_MESSAGE: a packet ended and was broken. */
MARL_CHECKED marl_status marl_packet_feed(marl_packet_reader *reader, uint8_t byte, size_t *n);

/* ---- telemetry ---- */

/* The items of the device stream, a CBOR sequence (RFC 8742) whose every item stands in a packet (above).
 * An item is the array [kind, number, body]; `number` counts the items of one direction, so that a loss is
 * seen, and `body` is a map with small whole keys, of which unknown ones are passed over. The schema is
 * docs/schema/stream.cddl. */

typedef enum marl_item_kind {
    MARL_ITEM_SAMPLE = 1,   /* both ways: readings, an attitude, or both */
    MARL_ITEM_IDENTITY = 2, /* from the board: at its start, and when asked */
    MARL_ITEM_ACK = 3,      /* from the board: to every item that asks for something */
    MARL_ITEM_EVENT = 4,    /* from the board: a chip failed or works again */
    MARL_ITEM_RENEWAL = 5,  /* from the board: how far a calibration of its own is, and its result */
    MARL_ITEM_IDENTIFY = 16,
    MARL_ITEM_CALIBRATION = 17,
    MARL_ITEM_TUNING = 18,
    MARL_ITEM_COMMIT = 19,    /* keep calibration, mount and tuning over power cuts */
    MARL_ITEM_ZERO = 20,      /* the attitude of now is what is called level (and north) */
    MARL_ITEM_OFFSETS = 21,   /* move the biases of the calibration into the chips' offset registers */
    MARL_ITEM_CALIBRATE = 22, /* renew a calibration on the board itself (renew.h), or stop that */
    MARL_ITEM_UNDO = 23       /* back to the settings before the last change */
} marl_item_kind;

/* Longest contents of an item, and of the calibration and tuning that the store keeps. */
enum { MARL_ITEM_MAX = 1024, MARL_DEVICE_NAME = 64 };

/* 1 when these bytes are one CBOR item and nothing else, whatever it holds. Reads no byte beyond them. */
int marl_item_is_whole(const uint8_t *bytes, size_t n);

/* Outcomes in an acknowledgement; these numbers never change. */
typedef enum marl_outcome {
    MARL_OUTCOME_DONE = 0,
    MARL_OUTCOME_NOT_UNDERSTOOD = 1,
    MARL_OUTCOME_OUT_OF_RANGE = 2,
    MARL_OUTCOME_OTHER_DEVICE = 3,
    MARL_OUTCOME_MOVING = 4,
    MARL_OUTCOME_STORE_FAILED = 5,
    MARL_OUTCOME_NO_STORE = 6,
    MARL_OUTCOME_CHIP_FAILED = 7,
    MARL_OUTCOME_BUSY = 8 /* a calibration runs: it must end or be stopped first */
} marl_outcome;

/* Log lines as text instead, for reading on a terminal: the same columns as a log file (docs/formats.md),
 * with a fixed number of decimals, made without stdio. Items carry more and are checked; these are not. */
enum { MARL_CSV_LINE_MAX = 320 };

/* `sensors` (MARL_FRESH_...) and `with_q` select the columns. Both return the length; the text ends with
 * "\n" and a NUL. Decimals: t 9, accel 5, gyro 6, mag 4, temp 3, speed 4, q 7. Readings that are not fresh,
 * not finite or beyond what is plausible are left empty. */
size_t marl_csv_line_header(char line[MARL_CSV_LINE_MAX], uint8_t sensors, int with_q);
size_t marl_csv_line_row(char line[MARL_CSV_LINE_MAX], uint8_t sensors, int with_q, const marl_sample *sample,
                         const marl_quat *q);

/* ---- store ---- */

/* The store: one record of bytes that survives power cuts. The memory is used as two halves; a record goes to
 * the half that does not hold the newest whole one, so that whatever is cut short, the old or the new record
 * is there whole. */

/* The newest whole record, *n bytes of it. MARL_ERR_EMPTY when there is none, MARL_ERR_CAPACITY when it is
 * longer than `size`, MARL_ERR_STORE when the memory cannot be read. */
MARL_CHECKED marl_status marl_store_load(const marl_port *port, uint8_t *bytes, size_t size, size_t *n);

/* The whole record before the newest one, which the other half still has; *saves (may be NULL) is how many records were
 * written since the memory was new: half of them to each half. Errors as above. */
MARL_CHECKED marl_status marl_store_load_before(const marl_port *port, uint8_t *bytes, size_t size, size_t *n,
                                                uint32_t *saves);

/* Writes a record and reads it back. MARL_ERR_CAPACITY when it is longer than half the memory less 16 bytes,
 * MARL_ERR_STORE when the memory fails or does not keep it; then the record before is still there. */
MARL_CHECKED marl_status marl_store_save(const marl_port *port, const uint8_t *bytes, size_t n);

/* ---- app ---- */

/* The streaming application: reads the board, estimates, streams, answers messages and keeps settings. The
 * firmware calls marl_app_step in a loop; between the calls it may sleep or do its own work. */

/* What the application needs to renew calibrations itself, in the firmware's memory; linked only where a firmware names
 * marl_app_renewal_init. It answers MARL_ITEM_CALIBRATE, and the button of the port, and shows how far it is by the lamp
 * of the port. What is found is used at once. A message commits it as it does all settings; what the button began is
 * committed when it is done. */
typedef struct marl_app_renewal marl_app_renewal;

typedef struct marl_app_config {
    const char *device;   /* name, one word of less than MARL_DEVICE_NAME characters */
    const char *firmware; /* version, a short text */
    uint8_t as_lines; /* stream CSV lines instead of packets; messages are taken and answered as packets */
    uint8_t silent;   /* samples are not streamed, only acknowledgements and events */
    marl_filter_choice
        choice; /* the filters that a message can choose (estimator.h): marl_choose_any, or fewer */
    marl_app_renewal *renewal; /* NULL: calibrations come from a desk only */
} marl_app_config;

/* What the store keeps. */
typedef struct marl_settings {
    marl_calibration calibration;
    marl_tuning tuning;
    uint8_t has_tuning; /* then attitudes are estimated and streamed */
    marl_vec3
        taken[MARL_SENSOR_COUNT]; /* bias that offset registers take away; the calibration has the rest */
    uint8_t takes;                /* MARL_FRESH_...: of these sensors */
} marl_settings;

typedef struct marl_app {
    const marl_port *port;
    marl_app_config config;
    marl_board board;
    marl_settings settings;
    marl_pipeline pipeline;
    marl_status reported[MARL_BOARD_MAX_PARTS]; /* the fault last reported of each part */
    marl_packet_reader reader;
    uint32_t number;      /* of the next item */
    uint32_t unsent;      /* items and lines for which there was no capacity */
    uint32_t rows;        /* lines sent, to repeat the header */
    uint8_t fed;          /* samples come in by the stream; its own are not read */
    uint8_t changed;      /* the settings are not those that the store keeps */
    uint8_t owes;         /* answers for which the line had no room: they go before anything else */
    uint8_t asked;        /* what the acknowledgement that is owed is of: marl_item_kind, ... */
    uint32_t answers;     /* ... its number, ... */
    marl_status done;     /* ... and what became of it */
    size_t waiting, sent; /* bytes in `out`, and how many of them are gone */
    uint8_t in[MARL_ITEM_MAX + 4];
    uint8_t item[MARL_ITEM_MAX];
    uint8_t out[MARL_PACKET_SIZE(MARL_ITEM_MAX) + 1];
} marl_app;

struct marl_app_renewal {
    marl_status (*ask)(marl_app *app, marl_renewal_kind kind, const marl_renewal_options *options);
    marl_status (*feed)(marl_app *app, const marl_sample *raw);
    void (*forget)(marl_app_renewal *renewal); /* the settings are others now */
    marl_renewal job;
    marl_vec3 gyro_sigma; /* rad/s, standard errors of the bias in use */
    marl_field_watch watch;
    uint8_t does;    /* MARL_APP_... */
    uint8_t running; /* the job is one that somebody asked for */
    uint8_t by_button;
    uint8_t shown; /* the stage that was sent last */
    int64_t shown_ns;
};

/* What it does without being asked.
 * RENEWS_BIAS: the bias of the gyroscope is renewed at the start and at every later rest of ten seconds, in use but not in
 * the store: when what is found has smaller standard errors, or differs from what is in use by more than three.
 * WATCHES_FIELD: it reports (MARL_RENEWAL_AGAIN) when the field contradicts the calibration of the magnetometer. */
enum { MARL_APP_RENEWS_BIAS = 1, MARL_APP_WATCHES_FIELD = 2 };

void marl_app_renewal_init(marl_app_renewal *renewal, unsigned does);

/* Checks everything, loads the settings that the store keeps (none when the port has no memory or it is
 * empty), starts the chips and sends the identity. MARL_ERR_ARGUMENT when something is missing, named in
 * *what (may be NULL). A failing chip does not make this call fail: an event reports it and the driver
 * retries. */
MARL_CHECKED marl_status marl_app_start(marl_app *app, const marl_port *port, const marl_part *part,
                                        uint8_t parts, const marl_app_config *config, const char **what);

/* Takes what has come in, reads what is fresh, sends. *rest_us is how long the firmware may sleep before the
 * next call without missing a sample. Fails only where the port's clock or stream does. */
MARL_CHECKED marl_status marl_app_step(marl_app *app, uint32_t *rest_us);

#ifdef __cplusplus
}
#endif
#endif
