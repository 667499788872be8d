/* SPDX-License-Identifier: MIT
 * Transfers between a part and the port, each tried MARL_BUS_TRIES times, and registers of either width. */
#ifndef MARL_TRANSFER_H
#define MARL_TRANSFER_H

#include "marlinspike/chip.h"

marl_status marlp_bus_read(const marl_port *port, const marl_part *part, uint8_t reg, uint8_t *bytes,
                           size_t n);
marl_status marlp_bus_write(const marl_port *port, const marl_part *part, uint8_t reg, const uint8_t *bytes,
                            size_t n);
/* Writes bytes and reads them back; MARL_ERR_BUS_GARBAGE when others come back. */
marl_status marlp_bus_write_surely(const marl_port *port, const marl_part *part, uint8_t reg,
                                   const uint8_t *bytes, size_t n);

marl_status marlp_register_read(const marl_port *port, const marl_part *part, uint8_t reg, uint16_t *value);
marl_status marlp_register_write(const marl_port *port, const marl_part *part, uint8_t reg, uint16_t value);
/* Reads until two readings in a row agree: what is written back of them must not come from a disturbed bus. */
marl_status marlp_register_read_surely(const marl_port *port, const marl_part *part, uint8_t reg,
                                       uint16_t *value);
marl_status marlp_register_write_surely(const marl_port *port, const marl_part *part, uint8_t reg,
                                        uint16_t value);

/* Bytes that a register holds. */
static inline uint8_t register_bytes(const marl_chip *chip)
{
    return chip->registers == MARL_REGISTERS_BYTE ? 1 : 2;
}

/* Where a register stands in the burst, bytes; negative when it lies before it. */
static inline int burst_at(const marl_chip *chip, uint8_t reg)
{
    return ((int)reg - (int)chip->burst_reg) * register_bytes(chip);
}

/* A register's value from the bytes that the bus gave. */
static inline uint16_t register_value(const marl_chip *chip, const uint8_t *bytes)
{
    unsigned first = bytes[0], second = chip->registers == MARL_REGISTERS_BYTE ? 0u : bytes[1];
    return (uint16_t)(chip->registers == MARL_REGISTERS_HIGH_FIRST ? first << 8 | second
                                                                   : second << 8 | first);
}

static inline unsigned lowest_bit(uint16_t mask)
{
    return mask & (0u - mask);
}

/* From the chip's axes to the body's. */
marl_vec3 marlp_mounted(const int8_t mount[3], const float chip[3]);

/* marl_part_offset_counts, and MARL_ERR_ARGUMENT when the registers leave more than half a count. */
marl_status marlp_part_offsets_fit(const marl_part *part, marl_sensor sensor, marl_vec3 bias,
                                   int32_t counts[3], marl_vec3 *left);

/* Readings of a burst or frame in SI and in the body's axes; `at` is where each axis stands. */
marl_vec3 marlp_part_convert(const marl_part *part, marl_sensor which, const uint8_t *const at[3]);

/* Puts a reading where it belongs in the sample and marks it as fresh. */
void marlp_part_take(const marl_part *part, marl_sensor which, const uint8_t *const at[3],
                     marl_sample *sample);
void marlp_part_take_temperature(const marl_part *part, const uint8_t *at, marl_sample *sample);

/* What is taken from a part: MARL_FRESH_... */
uint8_t marlp_part_sensors(const marl_part *part);

#endif
