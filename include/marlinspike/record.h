/* SPDX-License-Identifier: MIT
 * Recording from a device stream. The usual order of calls:
 *
 *   marl_receiver_create(&receiver, name, NULL, &error);
 *   marl_guide_create(&guide, MARL_GUIDE_POSES, 0, &error);
 *   marl_receiver_feed(receiver, bytes, n, &error);          as bytes come in
 *   marl_receiver_next(receiver, &row);                      until MARL_ERR_NOT_READY
 *   marl_guide_feed(guide, &row.sample);                     until marl_guide_done(guide) */
#ifndef MARLINSPIKE_RECORD_H
#define MARLINSPIKE_RECORD_H

#include "marlinspike/app.h"
#include "marlinspike/files.h"
#include "marlinspike/log.h"

#ifdef __cplusplus
extern "C" {
#endif

/* ---- guide ---- */

/* Guides for recordings: what is in, what is missing, what the hand should do now, and when it is enough.
 * Each recording has its own (still, turns, poses, tumble, soak); a guide watches raw samples as they come.
 * */

/* What is enough:
 *   still    30 s at rest
 *   turns    about each axis, both ways, a turn within 20 % of the angle, at rest before and after
 *   poses    2 s at rest on each of the six faces and in 6 more attitudes, 15 deg from each other
 *   tumble   80 % of 60 cells of equal area hold a direction of the magnetometer from the middle of its
 * extremes
 *   soak     20 degC from the coldest to the warmest, and no new extreme for 30 s
 *   seconds  so many seconds */
typedef enum marl_guide_kind {
    MARL_GUIDE_STILL,
    MARL_GUIDE_TURNS,
    MARL_GUIDE_POSES,
    MARL_GUIDE_TUMBLE,
    MARL_GUIDE_SOAK,
    MARL_GUIDE_SECONDS,
    MARL_GUIDE_KIND_COUNT
} marl_guide_kind;

const char *marl_guide_name(marl_guide_kind kind);
/* MARL_ERR_ARGUMENT for an unknown name; for "seconds" the number is given instead. */
MARL_CHECKED marl_status marl_guide_from_name(const char *name, marl_guide_kind *kind);

/* Three lines: time, rates and rest; what is in; what to do now. */
enum { MARL_GUIDE_LINES = 3, MARL_GUIDE_WIDTH = 160 };
typedef struct marl_guide_view {
    char line[MARL_GUIDE_LINES][MARL_GUIDE_WIDTH];
} marl_guide_view;

typedef struct marl_guide marl_guide;

/* `amount`: seconds of SECONDS (infinity: without end), degrees of TURNS; unused otherwise. */
MARL_CHECKED marl_status marl_guide_create(marl_guide **guide, marl_guide_kind kind, double amount,
                                           marl_error *error);
void marl_guide_free(marl_guide *guide); /* NULL is allowed */

/* Samples in the order of time. */
void marl_guide_feed(marl_guide *guide, const marl_sample *sample);
int marl_guide_done(const marl_guide *guide);
double marl_guide_progress(const marl_guide *guide); /* 0 to 1 */
double marl_guide_seconds(const marl_guide *guide);  /* since the first sample */
/* Steps of over one and a half usual ones: of the sensor that has most. */
unsigned long marl_guide_gaps(const marl_guide *guide);
/* Readings a second of a sensor over the whole recording; NaN when it has fewer than two. */
double marl_guide_rate(const marl_guide *guide, marl_sensor sensor);
enum { MARL_GUIDE_CELLS = 60 };
/* Of a tumble: the directions of the field, from the middle of its extremes, that are missing: unit vectors in the
 * sensor's axes, one a cell. Returns how many; 0 for other kinds. */
size_t marl_guide_missing(const marl_guide *guide, double direction[MARL_GUIDE_CELLS][3]);
void marl_guide_show(const marl_guide *guide, marl_guide_view *view);

/* ---- receiver ---- */

/* The desk's end of a device stream: bytes in, rows out. Packets (docs/schema/stream.cddl) and CSV lines
 * are recognised by their content; a stream may start in the middle and lose bytes anywhere. Back to the
 * board go messages, as packets ready for the line. */

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
    unsigned long items_unknown;     /* packets without an item of a board, as far as this version knows */
    unsigned long events;            /* of the board, about its chips */
    char first_event[160];
    char firmware[MARL_DEVICE_NAME];
    int identified;  /* the board has sent its identity */
    uint8_t sensors; /* MARL_FRESH_..., of its identity */
    char fault[600]; /* of the first header or row of CSV lines that had one, with file and line */
    int64_t last_ns; /* time of the last row */
} marl_stream_report;

/* What a board answered to the item of that number. */
typedef struct marl_ack {
    uint32_t answered;
    marl_outcome outcome;
    char text[100];
} marl_ack;

/* How far a calibration is that the board makes itself (renew.h); what was found once it is done. */
typedef struct marl_renewal_report {
    int64_t t_ns;
    marl_renewal_kind kind;
    marl_renewal_stage stage;
    marl_renewal_reason reason;
    marl_renewed found;
} marl_renewal_report;

typedef struct marl_receiver marl_receiver;

/* `options` as for a log, for CSV lines; may be NULL. With a map of columns, lines of any text are rows as soon as its
 * names, or numbers in its columns, are found. `name` stands in messages. */
MARL_CHECKED marl_status marl_receiver_create(marl_receiver **receiver, const char *name,
                                              const marl_log_options *options, marl_error *error);
void marl_receiver_free(marl_receiver *receiver); /* NULL is allowed */

/* Feeds bytes. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_receiver_feed(marl_receiver *receiver, const uint8_t *bytes, size_t n,
                                            marl_error *error);
/* No more bytes will come: what waited for them becomes a row. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_receiver_finish(marl_receiver *receiver, marl_error *error);

/* The next row in the order of time. MARL_ERR_NOT_READY when more bytes are needed. */
MARL_CHECKED marl_status marl_receiver_next(marl_receiver *receiver, marl_log_row *row);
/* The next acknowledgement, MARL_ERR_NOT_READY when there is none. */
MARL_CHECKED marl_status marl_receiver_ack(marl_receiver *receiver, marl_ack *ack);
/* The newest report on a calibration that the board makes itself. MARL_ERR_NOT_READY: none since the last call; *report is
 * then the one before. */
MARL_CHECKED marl_status marl_receiver_renewal(marl_receiver *receiver, marl_renewal_report *report);

/* Device and columns as far as they are known: columns are those of the header, or of all rows so far
 * together with the sensors that the board named. */
const marl_log_info *marl_receiver_info(const marl_receiver *receiver);
const marl_stream_report *marl_receiver_report(const marl_receiver *receiver);

typedef struct marl_message {
    marl_item_kind kind; /* IDENTIFY, CALIBRATION, TUNING, COMMIT, ZERO, OFFSETS or SAMPLE */
    uint32_t number;
    const marl_calibration_record *calibration; /* of a CALIBRATION */
    const marl_tuning *tuning;                  /* of a TUNING */
    const marl_sample *sample;                  /* of a SAMPLE */
    marl_renewal_kind renewal;                  /* of a CALIBRATE; MARL_RENEW_NOTHING: stop */
    const marl_renewal_options *options;        /* of a CALIBRATE; may be NULL */
} marl_message;

enum { MARL_MESSAGE_MAX = MARL_PACKET_SIZE(MARL_ITEM_MAX) + 1 };

/* Enough for every record that the store keeps. */
enum { MARL_STORE_IMAGE_MAX = 2048 };

/* The beginning of a board's memory whose store keeps this calibration and tuning (may be NULL), *n bytes: to be
 * flashed at the memory's start while the rest of it is erased, in place of `send --commit`. Fits every shape of memory
 * whose halves are not shorter. MARL_ERR_CAPACITY when it is longer than a store keeps. */
MARL_CHECKED marl_status marl_store_image(const marl_calibration_record *record, const marl_tuning *tuning,
                                          uint8_t image[MARL_STORE_IMAGE_MAX], size_t *n, marl_error *error);

/* The packet with a zero before it, which ends whatever noise stood on the line. MARL_ERR_ARGUMENT when what
 * the kind needs is missing, MARL_ERR_CAPACITY when it is longer than a board takes. */
MARL_CHECKED marl_status marl_message_make(const marl_message *message, uint8_t bytes[MARL_MESSAGE_MAX],
                                           size_t *n, marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
