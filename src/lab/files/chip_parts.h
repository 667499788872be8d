/* SPDX-License-Identifier: MIT
 * Reading the parts of a chip table; errors name line and key. */
#ifndef LAB_CHIP_PARTS_H
#define LAB_CHIP_PARTS_H

#include "lab/files/json_file.h"
#include "marlinspike/files.h"

/* A byte, or with `wide` 16 bits, as a number or as a text like "0x1f". */
MARL_CHECKED marl_status lab_chip_value(const lab_json_at *at, const char *key, int needed, int wide,
                                        uint16_t *value);
MARL_CHECKED marl_status lab_chip_byte(const lab_json_at *at, const char *key, int needed, uint8_t *value);
/* A whole number in a range. */
MARL_CHECKED marl_status lab_chip_whole(const lab_json_at *at, const char *key, lab_json_range range,
                                        int *value);
MARL_CHECKED marl_status lab_chip_bits(const lab_json_at *outer, const char *key, int needed, int wide,
                                       marl_chip_bits *bits);
/* One of two texts. */
MARL_CHECKED marl_status lab_chip_either(const lab_json_at *at, const char *key, const char *standard,
                                         const char *other, uint8_t *is_other);
/* The object "word". */
MARL_CHECKED marl_status lab_chip_word(const lab_json_at *outer, int needed, marl_chip_word *word);
/* "registers": those of x, y and z. */
MARL_CHECKED marl_status lab_chip_registers(const lab_json_at *at, uint8_t reg[3]);

/* One sensor, when the table has it; chip.registers is known already. */
MARL_CHECKED marl_status lab_chip_sensor(const lab_json_at *root, marl_sensor which, marl_chip_file *file);
/* The FIFO, when the table has one. */
MARL_CHECKED marl_status lab_chip_fifo(const lab_json_at *root, marl_chip *chip);

#endif
