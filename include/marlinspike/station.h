/* SPDX-License-Identifier: MIT
 * What firmware does all day, in one place: read the board, estimate, stream, answer, keep. A station is
 * moved on by calling marl_station_step in a loop; between the calls the firmware may sleep or do its own
 * work. */
#ifndef MARLINSPIKE_STATION_H
#define MARLINSPIKE_STATION_H

#include "marlinspike/board.h"
#include "marlinspike/correction.h"
#include "marlinspike/csv_line.h"
#include "marlinspike/estimator.h"
#include "marlinspike/packet.h"
#include "marlinspike/still.h"
#include "marlinspike/telemetry.h"

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_station_config {
    const char *device;   /* name, one word of less than MARL_DEVICE_NAME characters */
    const char *firmware; /* version, a short text */
    uint8_t as_lines; /* stream CSV lines instead of packets; messages are taken and answered as packets */
    uint8_t silent;   /* samples are not streamed, only answers and notices */
} marl_station_config;

/* What the store keeps. */
typedef struct marl_settings {
    marl_calibration calibration;
    marl_tuning tuning;
    uint8_t has_tuning; /* then attitudes are estimated and streamed */
} marl_settings;

typedef struct marl_station {
    const marl_port *port;
    marl_station_config config;
    marl_board board;
    marl_settings settings;
    marl_estimator estimator;
    marl_still still;                            /* watches corrected readings, before the mount */
    marl_status reported[MARL_BOARD_MOST_PARTS]; /* the fault that was last told of each part */
    marl_packet_reader reader;
    uint32_t number;      /* of the next item */
    uint32_t unsent;      /* items and lines for which there was no room */
    uint32_t rows;        /* lines sent, to repeat the header */
    float degC;           /* last temperature, or NaN */
    uint8_t fed;          /* samples come in by the stream; its own are not read */
    size_t waiting, sent; /* bytes in `out`, and how many of them are gone */
    uint8_t in[MARL_ITEM_MOST + 4];
    uint8_t item[MARL_ITEM_MOST];
    uint8_t out[MARL_PACKET_SIZE(MARL_ITEM_MOST) + 1];
} marl_station;

/* Checks everything, loads the settings that the store keeps (none when the port has no memory or it is
 * empty), starts the chips and sends the identity. MARL_ERR_ARGUMENT when something is missing, named in
 * *what (may be NULL). The failure of a chip is no failure of the station: it is told by a notice and tried
 * again. */
MARL_CHECKED marl_status marl_station_start(marl_station *station, const marl_port *port,
                                            const marl_part *part, uint8_t parts,
                                            const marl_station_config *config, const char **what);

/* Takes what has come in, reads what is fresh, sends. *rest_us is how long the firmware may sleep before the
 * next call without missing a sample. Fails only where the port's clock or stream does. */
MARL_CHECKED marl_status marl_station_step(marl_station *station, uint32_t *rest_us);

#ifdef __cplusplus
}
#endif
#endif
