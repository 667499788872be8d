/* SPDX-License-Identifier: MIT
 * A digest of attitudes, to prove that two machines computed the same bits: CRC-32 (IEEE 802.3) over
 * time (8 bytes) and the canonical bits of w, x, y, z (4 bytes each), all little-endian. */
#ifndef MARLINSPIKE_DIGEST_H
#define MARLINSPIKE_DIGEST_H

#include "marlinspike/quat.h"
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* CRC-32 of `n` bytes, continued from `crc`; begin with 0. */
uint32_t marl_crc32(uint32_t crc, const void *data, size_t n);

/* Adds one attitude to a digest; begin with 0. */
uint32_t marl_digest_add(uint32_t digest, int64_t t_ns, marl_quat q);

#ifdef __cplusplus
}
#endif
#endif
