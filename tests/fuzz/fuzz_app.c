/* SPDX-License-Identifier: MIT
 * The application on a board: messages of any content in valid packets, and registers of any content.
 * Settings that it accepts pass their checks; attitudes that it streams are unit. */
#include "fake_board.h"
#include "fuzz.h"
#include "marlinspike/device.h"

static void put_messages(fake_board *board, fuzz_bytes *in)
{
    uint8_t item[MARL_ITEM_MAX], packet[MARL_PACKET_SIZE(MARL_ITEM_MAX)];
    while (in->left > 0 && board->in_n + sizeof packet < sizeof board->in) {
        size_t size = fuzz_byte(in), n;
        size = size < in->left ? size : in->left;
        fuzz_take(in, item, size);
        if (marl_packet_make(item, size, packet, sizeof packet, &n) == MARL_OK) {
            memcpy(board->in + board->in_n, packet, n);
            board->in_n += n;
        }
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static fake_board board;
    static marl_app app;
    static marl_app_renewal renewal;
    static const marl_app_config config = {
        .device = "pod-07", .firmware = "1", .choice = marl_choose_any, .renewal = &renewal};
    fuzz_bytes in = {data, size};
    const char *what;
    uint32_t rest_us;
    marl_part part = {.chip = marl_chip_grommet(), .at = {0, 0x2a}};
    fake_board_make(&board);
    board.at[0] = part.at;
    for (int i = 0; i < 64; i++) {
        board.reg[0][i] = fuzz_byte(&in);
    }
    fuzz_take(&in, board.memory, 64);
    put_messages(&board, &in);
    marl_app_renewal_init(&renewal, size & 3);
    if (marl_app_start(&app, &board.port, &part, 1, &config, &what) != MARL_OK) {
        return 0;
    }
    for (int i = 0; i < 12; i++) {
        board.out_n = 0;
        (void)!marl_app_step(&app, &rest_us);
        board.now_ns += 10000000;
        FUZZ_HOLDS(marl_calibration_check(&app.settings.calibration) == MARL_OK);
        FUZZ_HOLDS(!app.settings.has_tuning || marl_tuning_check(&app.settings.tuning) == MARL_OK);
    }
    return 0;
}
