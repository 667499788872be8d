/* SPDX-License-Identifier: MIT
 * A board of plain memory whose station streams the same bytes everywhere: a Grommet whose readings are small
 * integers, told a calibration and a tuning, asked to keep them. */
#ifndef KNOWN_BOARD_H
#define KNOWN_BOARD_H

#include "device/link/cbor.h"
#include "device/link/telemetry.h"
#include "marlinspike/device.h"
#include <string.h>

enum { KNOWN_MEMORY = 1024, KNOWN_SECTOR = 512, KNOWN_STEPS = 400 };

/* CRC-32 of all bytes that the station sends. */
static const uint32_t known_stream = 0x4c5a1d94u;

typedef struct known_board {
    int64_t now_ns;
    int32_t reads;
    uint8_t reg[256];
    uint8_t memory[KNOWN_MEMORY];
    uint8_t in[600];
    size_t in_n;
    uint32_t crc;
} known_board;

static inline marl_status known_clock(void *context, int64_t *t_ns)
{
    *t_ns = ((known_board *)context)->now_ns;
    return MARL_OK;
}

static inline marl_status known_sleep(void *context, uint32_t us)
{
    ((known_board *)context)->now_ns += INT64_C(1000) * us;
    return MARL_OK;
}

static inline marl_status known_bus_read(void *context, marl_place at, uint8_t reg, uint8_t *bytes, size_t n)
{
    known_board *b = context;
    if (at.address != 0x2a) {
        return MARL_ERR_BUS_SILENT;
    }
    if (n > 2) { /* the burst: new readings each time */
        const marl_chip *chip = marl_chip_grommet();
        int32_t i = b->reads++;
        for (int which = 0; which < MARL_SENSOR_COUNT; which++) {
            for (int axis = 0; axis < 3; axis++) {
                int32_t still = which == MARL_ACCEL && axis == 2 ? 4096
                                : which == MARL_MAG              ? 500 * (axis + 1)
                                                                 : 30;
                marl_chip_word_put(&chip->sensor[which].word, still + (i * (7 + axis + 3 * which)) % 11,
                                   b->reg + chip->sensor[which].reg[axis]);
            }
        }
        b->reg[0x01] = i % 4 == 0 ? 0x07 : 0x03;
    }
    memcpy(bytes, b->reg + reg, n);
    return MARL_OK;
}

static inline marl_status known_bus_write(void *context, marl_place at, uint8_t reg, const uint8_t *bytes,
                                          size_t n)
{
    (void)at;
    memcpy(((known_board *)context)->reg + reg, bytes, n);
    return MARL_OK;
}

static inline marl_status known_nv_read(void *context, uint32_t at, uint8_t *bytes, size_t n)
{
    memcpy(bytes, ((known_board *)context)->memory + at, n);
    return MARL_OK;
}

static inline marl_status known_nv_erase(void *context, uint32_t at)
{
    memset(((known_board *)context)->memory + at, 0xff, KNOWN_SECTOR);
    return MARL_OK;
}

static inline marl_status known_nv_write(void *context, uint32_t at, const uint8_t *bytes, size_t n)
{
    memcpy(((known_board *)context)->memory + at, bytes, n);
    return MARL_OK;
}

static inline marl_status known_bytes_out(void *context, const uint8_t *bytes, size_t n, size_t *accepted)
{
    known_board *b = context;
    b->crc = marl_crc32(b->crc, bytes, n);
    *accepted = n;
    return MARL_OK;
}

static inline marl_status known_bytes_in(void *context, uint8_t *bytes, size_t n, size_t *got)
{
    known_board *b = context;
    *got = n < b->in_n ? n : b->in_n;
    memcpy(bytes, b->in, *got);
    memmove(b->in, b->in + *got, b->in_n - *got);
    b->in_n -= *got;
    return MARL_OK;
}

/* A message as the desk would send it. */
static inline void known_message(known_board *b, marl_item_kind kind, uint32_t number)
{
    uint8_t item[400];
    size_t size = 0;
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
    marl_calibration calibration = marl_calibration_none();
    calibration.gyro.present = 1;
    calibration.gyro.bias = (marl_vec3){0.0078125f, 0.0f, -0.0078125f};
    wire_writer w = marlp_wire_into(item, sizeof item);
    marlp_wire_put_array(&w, 3);
    marlp_wire_put_int(&w, kind);
    marlp_wire_put_int(&w, number);
    if (kind == MARL_ITEM_TUNING) {
        marlp_item_put_tuning(&w, &tuning);
    } else if (kind == MARL_ITEM_CALIBRATION) {
        marlp_item_put_calibration(&w, &calibration);
    } else {
        marlp_wire_put_map(&w, 0);
    }
    b->in[b->in_n++] = 0;
    if (marl_packet_make(w.bytes, w.n, b->in + b->in_n, sizeof b->in - b->in_n, &size) == MARL_OK) {
        b->in_n += size;
    }
}

/* Runs the station; *crc is that of the stream. 0 when something failed. */
static inline int known_board_runs(known_board *b, marl_app *app, uint32_t *crc)
{
    const marl_app_config config = {.device = "pod-07", .firmware = "known", .choice = marl_choose_any};
    const marl_part part = {.chip = marl_chip_grommet(), .at = {0, 0x2a}, .mount = {2, -1, 3}};
    const marl_port port = {b,
                            known_clock,
                            known_sleep,
                            known_bus_read,
                            known_bus_write,
                            NULL,
                            {KNOWN_MEMORY, KNOWN_SECTOR, 8},
                            known_nv_read,
                            known_nv_erase,
                            known_nv_write,
                            known_bytes_out,
                            known_bytes_in,
                            NULL,
                            NULL};
    static const marl_item_kind given[] = {MARL_ITEM_IDENTIFY, MARL_ITEM_CALIBRATION, MARL_ITEM_TUNING,
                                           MARL_ITEM_ZERO, MARL_ITEM_COMMIT};
    memset(b, 0, sizeof *b);
    memset(b->memory, 0xff, sizeof b->memory);
    b->reg[0x00] = 0x6b;
    if (marl_app_start(app, &port, &part, 1, &config, NULL) != MARL_OK) {
        return 0;
    }
    for (uint32_t i = 0; i < KNOWN_STEPS; i++) {
        uint32_t rest_us;
        if (i % 60 == 50 && i / 60 < sizeof given / sizeof given[0]) {
            known_message(b, given[i / 60], i);
        }
        if (marl_app_step(app, &rest_us) != MARL_OK || known_sleep(b, rest_us) != MARL_OK) {
            return 0;
        }
    }
    *crc = b->crc;
    return b->memory[0] == 'M' && app->settings.calibration.has_mount && app->settings.has_tuning;
}

#endif
