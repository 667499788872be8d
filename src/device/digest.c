/* SPDX-License-Identifier: MIT
 * CRC-32 and the digest of attitudes. */
#include "marlinspike/digest.h"
#include <string.h>

uint32_t marl_crc32(uint32_t crc, const void *data, size_t n)
{
    static const uint32_t nibble[16] = {
        0x00000000u, 0x1db71064u, 0x3b6e20c8u, 0x26d930acu, 0x76dc4190u, 0x6b6b51f4u,
        0x4db26158u, 0x5005713cu, 0xedb88320u, 0xf00f9344u, 0xd6d6a3e8u, 0xcb61b38cu,
        0x9b64c2b0u, 0x86d3d2d4u, 0xa00ae278u, 0xbdbdf21cu};
    const uint8_t *byte = data;
    crc = ~crc;
    for (size_t i = 0; i < n; i++) {
        crc = (crc >> 4) ^ nibble[(crc ^ byte[i]) & 15u];
        crc = (crc >> 4) ^ nibble[(crc ^ (byte[i] >> 4)) & 15u];
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
