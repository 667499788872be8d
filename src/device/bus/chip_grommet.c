/* SPDX-License-Identifier: MIT
 * The made-up nine-axis Grommet chip.
 *
 *   0x00 identity 0x6b        0x20 power: bit 0 runs          0x30 gyro offsets, 2 bytes each
 *   0x01 ready: 0 gyro,       0x21 gyro: 0-1 range, 4-6 filter 0x36 accel offsets, 2 bytes each
 *        1 accel, 2 mag,      0x22 accel: 0-1 range, 4-6 filter
 *        4-7 always 0         0x23 rates: 0-2 gyro and accel, 4-5 mag
 *   0x02 gyro x, y, z   0x08 accel x, y, z   0x0e mag x, y, z   0x14 temperature
 *
 * All readings have 16 bits, high byte first. */
#include "marlinspike/chip.h"
#include <stddef.h>

#define G 9.80665
#define DEG 0.017453292519943295

#define WORD16                                                                                               \
    {                                                                                                        \
        .bytes = 2, .bits = 16                                                                               \
    }
#define RANGE(code, full_scale, unit)                                                                        \
    {                                                                                                        \
        code, (float)((full_scale) * (unit)), (float)((full_scale) * (unit) / 32768.0)                       \
    }
#define RATES                                                                                                \
    {                                                                                                        \
        .at = {0x23, 0x07}, .n = 6, .choice = rates                                                          \
    }
const marl_chip *marl_chip_grommet(void)
{
    static const marl_chip_choice accel_ranges[] = {RANGE(0, 2.0, G), RANGE(1, 4.0, G), RANGE(2, 8.0, G),
                                                    RANGE(3, 16.0, G)},
                                  gyro_ranges[] = {RANGE(0, 250.0, DEG), RANGE(1, 500.0, DEG),
                                                   RANGE(2, 1000.0, DEG), RANGE(3, 2000.0, DEG)},
                                  mag_range[] = {RANGE(0, 1200.0, 1.0)},
                                  rates[] = {{0, 25.0f, 0.0f},  {1, 50.0f, 0.0f},  {2, 100.0f, 0.0f},
                                             {3, 200.0f, 0.0f}, {4, 500.0f, 0.0f}, {5, 1000.0f, 0.0f}},
                                  mag_rates[] = {{0, 10.0f, 0.0f},
                                                 {1, 25.0f, 0.0f},
                                                 {2, 50.0f, 0.0f},
                                                 {3, 100.0f, 0.0f}},
                                  filters[] = {{0, 0.0f, 0.0f},  {1, 10.0f, 0.0f}, {2, 20.0f, 0.0f},
                                               {3, 41.0f, 0.0f}, {4, 92.0f, 0.0f}, {5, 184.0f, 0.0f}};
    static const marl_chip_write setup[] = {{0x20, 0x01, 5}};
    static const marl_chip grommet = {
        .name = "grommet",
        .identity = {0x00, 0xff},
        .identity_value = 0x6b,
        .start_ms = 20,
        .setups = 1,
        .setup = setup,
        .burst_reg = 0x00,
        .burst_n = 22,
        .zeros = {0x01, 0xf0},
        .sensor = {[MARL_ACCEL] = {.present = 1,
                                   .reg = {0x08, 0x0a, 0x0c},
                                   .sign = {1, 1, 1},
                                   .word = WORD16,
                                   .ready = {0x01, 0x02},
                                   .range = {.at = {0x22, 0x03}, .n = 4, .choice = accel_ranges},
                                   .rate = RATES,
                                   .filter = {.at = {0x22, 0x70}, .n = 6, .choice = filters},
                                   .offset = {.present = 1,
                                              .reg = {0x36, 0x38, 0x3a},
                                              .word = WORD16,
                                              .per_count = (float)(0.0005 * G),
                                              .sign = 1}},
                   [MARL_GYRO] = {.present = 1,
                                  .reg = {0x02, 0x04, 0x06},
                                  .sign = {1, 1, 1},
                                  .word = WORD16,
                                  .ready = {0x01, 0x01},
                                  .range = {.at = {0x21, 0x03}, .n = 4, .choice = gyro_ranges},
                                  .rate = RATES,
                                  .filter = {.at = {0x21, 0x70}, .n = 6, .choice = filters},
                                  .offset = {.present = 1,
                                             .reg = {0x30, 0x32, 0x34},
                                             .word = WORD16,
                                             .per_count = (float)(0.03125 * DEG),
                                             .sign = -1}},
                   [MARL_MAG] = {.present = 1,
                                 .reg = {0x0e, 0x10, 0x12},
                                 .sign = {1, 1, 1},
                                 .word = WORD16,
                                 .ready = {0x01, 0x04},
                                 .range = {.n = 1, .choice = mag_range},
                                 .rate = {.at = {0x23, 0x30}, .n = 4, .choice = mag_rates}}},
        .temp = {.present = 1, .reg = 0x14, .word = WORD16, .per_count = 0.0078125f, .at_zero = 25.0f},
    };
    return &grommet;
}
