/* SPDX-License-Identifier: MIT
 * The streaming application: reads the board, estimates, streams, answers messages and keeps settings. The
 * firmware calls marl_app_step in a loop; between the calls it may sleep or do its own work. */
#ifndef MARLINSPIKE_APP_H
#define MARLINSPIKE_APP_H

#include "marlinspike/board.h"
#include "marlinspike/packet.h"
#include "marlinspike/pipeline.h"
#include "marlinspike/telemetry.h"

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_app_config {
    const char *device;   /* name, one word of less than MARL_DEVICE_NAME characters */
    const char *firmware; /* version, a short text */
    uint8_t as_lines; /* stream CSV lines instead of packets; messages are taken and answered as packets */
    uint8_t silent;   /* samples are not streamed, only acknowledgements and events */
} marl_app_config;

/* What the store keeps. */
typedef struct marl_settings {
    marl_calibration calibration;
    marl_tuning tuning;
    uint8_t has_tuning; /* then attitudes are estimated and streamed */
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
    size_t waiting, sent; /* bytes in `out`, and how many of them are gone */
    uint8_t in[MARL_ITEM_MAX + 4];
    uint8_t item[MARL_ITEM_MAX];
    uint8_t out[MARL_PACKET_SIZE(MARL_ITEM_MAX) + 1];
} marl_app;

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
