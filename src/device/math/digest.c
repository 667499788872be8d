/* SPDX-License-Identifier: MIT
 * CRC-32 and the digest of attitudes. */
#include "device/math/exact.h"
#include "marlinspike/quat.h"
#include <string.h>

/* Byte by byte with two tables of 16: what the low and the high half of a byte do to the remainder adds up.
 */
uint32_t marl_crc32(uint32_t crc, const void *data, size_t n)
{
    static const uint32_t low[16] = {0x00000000u, 0x77073096u, 0xee0e612cu, 0x990951bau,
                                     0x076dc419u, 0x706af48fu, 0xe963a535u, 0x9e6495a3u,
                                     0x0edb8832u, 0x79dcb8a4u, 0xe0d5e91eu, 0x97d2d988u,
                                     0x09b64c2bu, 0x7eb17cbdu, 0xe7b82d07u, 0x90bf1d91u};
    static const uint32_t high[16] = {0x00000000u, 0x1db71064u, 0x3b6e20c8u, 0x26d930acu,
                                      0x76dc4190u, 0x6b6b51f4u, 0x4db26158u, 0x5005713cu,
                                      0xedb88320u, 0xf00f9344u, 0xd6d6a3e8u, 0xcb61b38cu,
                                      0x9b64c2b0u, 0x86d3d2d4u, 0xa00ae278u, 0xbdbdf21cu};
    const uint8_t *byte = data;
    crc = ~crc;
    for (size_t i = 0; i < n; i++) {
        uint32_t x = (crc ^ byte[i]) & 255u;
        crc = (crc >> 8) ^ low[x & 15u] ^ high[x >> 4];
    }
    return ~crc;
}

static void put_little_endian(uint8_t *to, uint64_t value, int bytes)
{
    for (int i = 0; i < bytes; i++) {
        to[i] = (uint8_t)(value >> (8 * i));
    }
}

uint32_t marl_digest_add(uint32_t digest, int64_t t_ns, marl_quat q)
{
    marl_quat c = marl_quat_canonical(q);
    const float part[4] = {c.w, c.x, c.y, c.z};
    uint8_t block[24];
    put_little_endian(block, (uint64_t)t_ns, 8);
    for (int i = 0; i < 4; i++) {
        uint32_t bits;
        memcpy(&bits, &part[i], sizeof bits);
        bits = part[i] == part[i] ? bits : 0x7fc00000u; /* one NaN */
        put_little_endian(block + 8 + 4 * i, bits, 4);
    }
    return marl_crc32(digest, block, sizeof block);
}
