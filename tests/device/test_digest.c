/* SPDX-License-Identifier: MIT */
#include "check_main.h"
#include "marlinspike/quat.h"
#include <math.h>

/* The check value of CRC-32 and the digest's one way to write each attitude. */
START_TEST(digest_is_crc_32_of_canonical_bits)
{
    ck_assert_uint_eq(marl_crc32(0, "123456789", 9), 0xcbf43926u);
    ck_assert_uint_eq(marl_crc32(marl_crc32(0, "12345", 5), "6789", 4), 0xcbf43926u);
    marl_quat q = {0.5f, -0.5f, 0.5f, 0.5f}, minus = {-0.5f, 0.5f, -0.5f, -0.5f};
    ck_assert_uint_eq(marl_digest_add(0, 7, q), marl_digest_add(0, 7, minus));
    ck_assert_uint_ne(marl_digest_add(0, 7, q), marl_digest_add(0, 8, q));
    ck_assert_uint_eq(marl_digest_add(0, 7, (marl_quat){1, 0, 0, 0}),
                      marl_digest_add(0, 7, (marl_quat){1, -0.0f, 0, -0.0f}));
    ck_assert_uint_eq(marl_digest_add(0, 7, (marl_quat){NAN, 0, 0, 0}),
                      marl_digest_add(0, 7, (marl_quat){-NAN, 0, 0, 0}));
}
END_TEST

MARL_SUITE("digest", digest_is_crc_32_of_canonical_bits)
