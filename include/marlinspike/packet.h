/* SPDX-License-Identifier: MIT
 * Packets on a line of bytes that may lose or spoil some: contents and their CRC-32 (little-endian), stuffed
 * so that no byte is zero ("Consistent overhead byte stuffing", 1997), with a zero behind. After any fault
 * the next zero begins a good packet again. */
#ifndef MARLINSPIKE_PACKET_H
#define MARLINSPIKE_PACKET_H

#include "marlinspike/status.h"
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Bytes that a packet of n bytes of contents takes on the line at most. */
#define MARL_PACKET_SIZE(n) ((n) + 4 + ((n) + 4) / 254 + 2)

/* *size is the number of bytes made. MARL_ERR_CAPACITY when `most` is less than MARL_PACKET_SIZE(n). */
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
    uint32_t skipped;  /* bytes that belonged to no good packet */
    size_t used_bytes; /* bytes of the open packet, as they came */
} marl_packet_reader;

/* `bytes` holds the contents of a packet and its CRC; longer packets count as broken. The first bytes, up to
 * a zero, may be the rest of a packet whose begin was missed: they count as skipped only. */
void marl_packet_reader_init(marl_packet_reader *reader, uint8_t *bytes, size_t size);

/* Takes one byte. MARL_OK: a packet is complete, its contents are *n bytes at reader->bytes, until the next
 * call. MARL_ERR_NOT_READY: not yet. MARL_ERR_MESSAGE: a packet ended and was broken. */
MARL_CHECKED marl_status marl_packet_feed(marl_packet_reader *reader, uint8_t byte, size_t *n);

#ifdef __cplusplus
}
#endif
#endif
