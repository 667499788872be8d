/* SPDX-License-Identifier: MIT
 * A memory of any content: what it holds is loaded or not, and a saved record is loaded again. */
#include "fake_board.h"
#include "fuzz.h"
#include "marlinspike/app.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static fake_board board;
    uint8_t record[FAKE_MEMORY / 2], back[FAKE_MEMORY];
    size_t n;
    fuzz_bytes in = {data, size};
    fake_board_make(&board);
    size_t length = fuzz_byte(&in);
    fuzz_take(&in, record, length);
    fuzz_take(&in, board.memory, sizeof board.memory);
    if (marl_store_load(&board.port, back, sizeof back, &n) == MARL_OK) {
        FUZZ_HOLDS(n <= sizeof back);
    }
    FUZZ_HOLDS(marl_store_save(&board.port, record, length) == MARL_OK);
    FUZZ_HOLDS(marl_store_load(&board.port, back, sizeof back, &n) == MARL_OK);
    FUZZ_HOLDS(n == length && memcmp(back, record, n) == 0);
    return 0;
}
