/* SPDX-License-Identifier: MIT
 * The bytes of a station on a board of plain memory: the same here as on the ARM cores, where the image
 * checks. */
#include "check_main.h"
#include "known_board.h"

START_TEST(the_stream_is_the_known_one)
{
    static known_board board;
    static marl_app app;
    uint32_t crc = 0;
    ck_assert(known_board_runs(&board, &app, &crc));
    ck_assert_msg(crc == known_stream, "0x%08x", crc);
}
END_TEST

MARL_SUITE("app_bytes", the_stream_is_the_known_one)
