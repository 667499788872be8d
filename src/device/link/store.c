/* SPDX-License-Identifier: MIT
 * The store. A record: magic, number, length, CRC-32 over number, length and contents (each 4 bytes,
 * little-endian), contents, 0xff up to the end of a unit. */
#include "marlinspike/app.h"
#include "marlinspike/quat.h"
#include <string.h>

#define MAGIC UINT32_C(0x4b53524d)
enum { HEAD = MARL_STORE_HEAD, MAX_UNIT = 32 };

typedef struct head {
    uint32_t number, n, crc;
} head;

static uint32_t half(const marl_port *port)
{
    uint32_t sectors = port->nv.size / port->nv.sector;
    return sectors / 2 * port->nv.sector;
}

static void put_word(uint8_t *to, uint32_t value)
{
    for (int i = 0; i < 4; i++) {
        to[i] = (uint8_t)(value >> (8 * i));
    }
}

static uint32_t get_word(const uint8_t *from)
{
    return (uint32_t)from[0] | (uint32_t)from[1] << 8 | (uint32_t)from[2] << 16 | (uint32_t)from[3] << 24;
}

/* CRC of the contents as they stand in memory, behind that of number and length. */
static marl_status memory_crc(const marl_port *port, uint32_t at, uint32_t n, uint32_t *crc)
{
    uint8_t block[MAX_UNIT];
    while (n > 0) {
        uint32_t now = n < MAX_UNIT ? n : MAX_UNIT;
        if (port->nv_read(port->context, at, block, now) != MARL_OK) {
            return MARL_ERR_STORE;
        }
        *crc = marl_crc32(*crc, block, now);
        at += now;
        n -= now;
    }
    return MARL_OK;
}

/* MARL_ERR_EMPTY when no whole record stands at the start of this half. */
static marl_status read_head(const marl_port *port, uint32_t at, head *h)
{
    uint8_t bytes[HEAD];
    if (port->nv_read(port->context, at, bytes, HEAD) != MARL_OK) {
        return MARL_ERR_STORE;
    }
    *h = (head){get_word(bytes + 4), get_word(bytes + 8), get_word(bytes + 12)};
    if (get_word(bytes) != MAGIC || h->n > half(port) - HEAD) {
        return MARL_ERR_EMPTY;
    }
    uint32_t crc = marl_crc32(0, bytes + 4, 8);
    MARL_TRY(memory_crc(port, at + HEAD, h->n, &crc));
    return crc == h->crc ? MARL_OK : MARL_ERR_EMPTY;
}

/* Where the newest whole record stands. */
static marl_status find(const marl_port *port, uint32_t *at, head *newest)
{
    head h[2];
    marl_status first = read_head(port, 0, &h[0]), second = read_head(port, half(port), &h[1]);
    if (first == MARL_ERR_STORE || second == MARL_ERR_STORE) {
        return MARL_ERR_STORE;
    }
    if (first != MARL_OK && second != MARL_OK) {
        return MARL_ERR_EMPTY;
    }
    /* numbers may wrap */
    int use_second =
        first != MARL_OK || (second == MARL_OK && h[1].number - h[0].number < UINT32_C(0x80000000));
    *at = use_second ? half(port) : 0;
    *newest = h[use_second];
    return MARL_OK;
}

marl_status marl_store_load(const marl_port *port, uint8_t *bytes, size_t size, size_t *n)
{
    uint32_t at;
    head h;
    *n = 0;
    MARL_TRY(find(port, &at, &h));
    if (h.n > size) {
        return MARL_ERR_CAPACITY;
    }
    *n = h.n;
    return port->nv_read(port->context, at + HEAD, bytes, h.n) == MARL_OK ? MARL_OK : MARL_ERR_STORE;
}

marl_status marl_store_load_before(const marl_port *port, uint8_t *bytes, size_t size, size_t *n,
                                   uint32_t *saves)
{
    uint32_t at;
    head newest, h;
    *n = 0;
    MARL_TRY(find(port, &at, &newest));
    if (saves != NULL) {
        *saves = newest.number;
    }
    at = at == 0 ? half(port) : 0;
    MARL_TRY(read_head(port, at, &h));
    if (h.n > size) {
        return MARL_ERR_CAPACITY;
    }
    *n = h.n;
    return port->nv_read(port->context, at + HEAD, bytes, h.n) == MARL_OK ? MARL_OK : MARL_ERR_STORE;
}

static marl_status erase_for(const marl_port *port, uint32_t at, uint32_t n)
{
    for (uint32_t done = 0; done < n; done += port->nv.sector) {
        if (port->nv_erase(port->context, at + done) != MARL_OK) {
            return MARL_ERR_STORE;
        }
    }
    return MARL_OK;
}

/* Byte i of head and contents. */
static uint8_t byte_of(const uint8_t bytes_head[HEAD], const uint8_t *bytes, size_t n, size_t i)
{
    return i < HEAD ? bytes_head[i] : i < HEAD + n ? bytes[i - HEAD] : 0xff;
}

static marl_status write_units(const marl_port *port, uint32_t at, const uint8_t bytes_head[HEAD],
                               const uint8_t *bytes, size_t n)
{
    uint8_t unit[MAX_UNIT];
    for (uint32_t i = 0; i < HEAD + n; i += port->nv.unit) {
        for (uint32_t k = 0; k < port->nv.unit; k++) {
            unit[k] = byte_of(bytes_head, bytes, n, i + k);
        }
        if (port->nv_write(port->context, at + i, unit, port->nv.unit) != MARL_OK) {
            return MARL_ERR_STORE;
        }
    }
    return MARL_OK;
}

marl_status marl_store_save(const marl_port *port, const uint8_t *bytes, size_t n)
{
    uint32_t at = half(port);
    head old = {0, 0, 0}, kept;
    uint8_t bytes_head[HEAD];
    if (n > half(port) - HEAD) {
        return MARL_ERR_CAPACITY;
    }
    marl_status status = find(port, &at, &old);
    if (status == MARL_ERR_STORE) {
        return status;
    }
    at = at == 0 ? half(port) : 0; /* the other half; the first when the store is empty */
    put_word(bytes_head, MAGIC);
    put_word(bytes_head + 4, old.number + 1);
    put_word(bytes_head + 8, (uint32_t)n);
    put_word(bytes_head + 12, marl_crc32(marl_crc32(0, bytes_head + 4, 8), bytes, n));
    status = erase_for(port, at, (uint32_t)(HEAD + n));
    status = status != MARL_OK ? status : write_units(port, at, bytes_head, bytes, n);
    status = status != MARL_OK ? status : read_head(port, at, &kept);
    return status == MARL_OK ? MARL_OK : MARL_ERR_STORE;
}
