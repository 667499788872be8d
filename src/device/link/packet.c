/* SPDX-License-Identifier: MIT
 * Packets. */
#include "marlinspike/app.h"
#include "marlinspike/quat.h"

/* Where the stuffing stands: `code` is the place of the open block's length. */
typedef struct stuffer {
    uint8_t *out;
    size_t n, code;
} stuffer;

static void close_block(stuffer *s)
{
    s->out[s->code] = (uint8_t)(s->n - s->code);
    s->code = s->n++;
}

static void stuff(stuffer *s, const uint8_t *bytes, size_t n)
{
    for (size_t i = 0; i < n; i++) {
        if (bytes[i] != 0) {
            s->out[s->n++] = bytes[i];
        }
        if (bytes[i] == 0 || s->n - s->code == 255) {
            close_block(s);
        }
    }
}

marl_status marl_packet_make(const uint8_t *contents, size_t n, uint8_t *out, size_t max, size_t *size)
{
    uint32_t crc = marl_crc32(0, contents, n);
    const uint8_t check[4] = {(uint8_t)crc, (uint8_t)(crc >> 8), (uint8_t)(crc >> 16), (uint8_t)(crc >> 24)};
    stuffer s = {.out = out, .n = 1};
    *size = 0;
    if (max < MARL_PACKET_SIZE(n)) {
        return MARL_ERR_CAPACITY;
    }
    stuff(&s, contents, n);
    stuff(&s, check, sizeof check);
    close_block(&s);
    out[s.n - 1] = 0;
    *size = s.n;
    return MARL_OK;
}

void marl_packet_reader_init(marl_packet_reader *reader, uint8_t *bytes, size_t size)
{
    *reader = (marl_packet_reader){.bytes = bytes, .size = size, .full = 1};
}

static void start(marl_packet_reader *r)
{
    r->n = r->received = 0;
    r->block = r->skipping = 0;
    r->full = 1; /* no zero before the first block */
}

/* The contents end where their CRC begins. */
static int is_good(const marl_packet_reader *r, size_t *n)
{
    if (r->skipping || r->block > 0 || r->n < 4) {
        return 0;
    }
    const uint8_t *check = r->bytes + r->n - 4;
    uint32_t crc =
        (uint32_t)check[0] | (uint32_t)check[1] << 8 | (uint32_t)check[2] << 16 | (uint32_t)check[3] << 24;
    *n = r->n - 4;
    return marl_crc32(0, r->bytes, *n) == crc;
}

static marl_status end(marl_packet_reader *r, size_t *n)
{
    size_t received = r->received;
    int good = is_good(r, n), first = !r->started;
    r->started = 1;
    start(r);
    if (received == 0) { /* zeros in a row */
        return MARL_ERR_NOT_READY;
    }
    if (good) {
        r->packets++;
        return MARL_OK;
    }
    *n = 0;
    r->skipped += (uint32_t)received;
    r->broken += !first;
    return first ? MARL_ERR_NOT_READY : MARL_ERR_MESSAGE;
}

static void keep(marl_packet_reader *r, uint8_t byte)
{
    if (r->n == r->size) {
        r->skipping = 1;
    } else {
        r->bytes[r->n++] = byte;
    }
}

marl_status marl_packet_feed(marl_packet_reader *r, uint8_t byte, size_t *n)
{
    *n = 0;
    if (byte == 0) {
        return end(r, n);
    }
    r->received++;
    if (r->skipping) {
        return MARL_ERR_NOT_READY;
    }
    if (r->block > 0) {
        r->block--;
        keep(r, byte);
    } else {
        if (!r->full) {
            keep(r, 0);
        }
        r->block = (uint8_t)(byte - 1);
        r->full = byte == 255;
    }
    return MARL_ERR_NOT_READY;
}
