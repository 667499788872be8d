/* SPDX-License-Identifier: MIT
 * Transfers that are tried again, and registers of one or two bytes. */
#include "device/bus/transfer.h"
#include <string.h>

#define PAUSE_US 200u /* between the tries of a transfer */

marl_status marlp_bus_read(const marl_port *port, const marl_part *part, uint8_t reg, uint8_t *bytes,
                           size_t n)
{
    marl_status status = port->bus_read(port->context, part->at, reg, bytes, n);
    for (int i = 1; i < MARL_BUS_TRIES && status != MARL_OK; i++) {
        status = port->sleep(port->context, PAUSE_US);
        status = status != MARL_OK ? status : port->bus_read(port->context, part->at, reg, bytes, n);
    }
    return status;
}

marl_status marlp_bus_write(const marl_port *port, const marl_part *part, uint8_t reg, const uint8_t *bytes,
                            size_t n)
{
    marl_status status = port->bus_write(port->context, part->at, reg, bytes, n);
    for (int i = 1; i < MARL_BUS_TRIES && status != MARL_OK; i++) {
        status = port->sleep(port->context, PAUSE_US);
        status = status != MARL_OK ? status : port->bus_write(port->context, part->at, reg, bytes, n);
    }
    return status;
}

marl_status marlp_bus_write_surely(const marl_port *port, const marl_part *part, uint8_t reg,
                                   const uint8_t *bytes, size_t n)
{
    uint8_t back[4];
    for (int i = 0; i < MARL_BUS_TRIES; i++) {
        MARL_TRY(marlp_bus_write(port, part, reg, bytes, n));
        MARL_TRY(marlp_bus_read(port, part, reg, back, n));
        if (memcmp(back, bytes, n) == 0) {
            return MARL_OK;
        }
    }
    return MARL_ERR_BUS_GARBAGE;
}

marl_status marlp_register_read(const marl_port *port, const marl_part *part, uint8_t reg, uint16_t *value)
{
    uint8_t bytes[2] = {0, 0};
    marl_status status = marlp_bus_read(port, part, reg, bytes, register_bytes(part->chip));
    *value = register_value(part->chip, bytes);
    return status;
}

/* The bytes of a register in the order of the bus. */
static void put_value(const marl_chip *chip, uint16_t value, uint8_t bytes[2])
{
    int high_first = chip->registers == MARL_REGISTERS_HIGH_FIRST;
    bytes[high_first] = (uint8_t)(value & 0xffu);
    bytes[!high_first] = (uint8_t)(value >> 8);
}

marl_status marlp_register_write(const marl_port *port, const marl_part *part, uint8_t reg, uint16_t value)
{
    uint8_t bytes[2];
    put_value(part->chip, value, bytes);
    return marlp_bus_write(port, part, reg, bytes, register_bytes(part->chip));
}

marl_status marlp_register_read_surely(const marl_port *port, const marl_part *part, uint8_t reg,
                                       uint16_t *value)
{
    uint16_t before = 0;
    for (int i = 0; i < 2 * MARL_BUS_TRIES; i++) {
        marl_status status = marlp_register_read(port, part, reg, value);
        if (status != MARL_OK || (i > 0 && *value == before)) {
            return status;
        }
        before = *value;
    }
    return MARL_ERR_BUS_GARBAGE;
}

marl_status marlp_register_write_surely(const marl_port *port, const marl_part *part, uint8_t reg,
                                        uint16_t value)
{
    uint8_t bytes[2];
    put_value(part->chip, value, bytes);
    return marlp_bus_write_surely(port, part, reg, bytes, register_bytes(part->chip));
}
