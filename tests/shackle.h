/* SPDX-License-Identifier: MIT
 * A second made-up chip, quite unlike the Grommet: 12 bits left-aligned with the low byte first, one mirrored
 * axis, readings before their ready bits, no temperature, no offset registers for the accelerometer, an
 * identity outside the burst. */
#ifndef SHACKLE_H
#define SHACKLE_H

#include "marlinspike/chip.h"

static inline marl_chip shackle(void)
{
    const marl_chip_word word = {.bytes = 2, .bits = 12, .left_aligned = 1, .little_endian = 1};
    static const marl_chip_choice ranges[] = {{1, 20.0f, 0.01f}, {3, 80.0f, 0.04f}},
                                  gyro_range[] = {{0, 8.0f, 0.004f}},
                                  rates[] = {{2, 50.0f, 0}, {5, 400.0f, 0}};
    static const marl_chip_write setup[] = {{0x6b, 0x01, 2}, {0x6c, 0x40, 0}};
    return (marl_chip){.name = "shackle",
                       .identity = {0x75, 0x7e},
                       .identity_value = 0x12,
                       .start_ms = 3,
                       .setups = 2,
                       .setup = setup,
                       .burst_reg = 0x40,
                       .burst_n = 14,
                       .sensor = {[MARL_ACCEL] = {.present = 1,
                                                  .reg = {0x44, 0x42, 0x40},
                                                  .sign = {1, -1, 1},
                                                  .word = word,
                                                  .ready = {0x4d, 0x10},
                                                  .range = {.at = {0x60, 0x30}, .n = 2, .choice = ranges},
                                                  .rate = {.at = {0x61, 0x0e}, .n = 2, .choice = rates}},
                                  [MARL_GYRO] = {.present = 1,
                                                 .reg = {0x46, 0x48, 0x4a},
                                                 .sign = {1, 1, 1},
                                                 .word = word,
                                                 .ready = {0x4d, 0x20},
                                                 .range = {.n = 1, .choice = gyro_range},
                                                 .rate = {.at = {0x61, 0x70}, .n = 2, .choice = rates},
                                                 .offset = {.present = 1,
                                                            .reg = {0x20, 0x22, 0x24},
                                                            .word = {.bytes = 1, .bits = 8},
                                                            .per_count = 0.002f,
                                                            .sign = 1}}}};
}

#endif
