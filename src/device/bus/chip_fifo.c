/* SPDX-License-Identifier: MIT
 * Frames that wait in a chip. */
#include "device/bus/transfer.h"

marl_status marl_part_count_frames(const marl_port *port, const marl_part *part, uint16_t *frames)
{
    const marl_chip_fifo *fifo = &part->chip->fifo;
    uint16_t lost = 0;
    uint8_t bytes[4], again[4];
    *frames = 0;
    if (!fifo->present) {
        return MARL_OK;
    }
    if (fifo->overflow.mask != 0) {
        MARL_TRY(marlp_register_read(port, part, fifo->overflow.reg, &lost));
    }
    MARL_TRY(marlp_bus_read(port, part, fifo->count_reg, bytes, fifo->count.bytes));
    MARL_TRY(marlp_bus_read(port, part, fifo->count_reg, again, fifo->count.bytes));
    int32_t first = marl_chip_word_get(&fifo->count, bytes), second = marl_chip_word_get(&fifo->count, again);
    int32_t frame = fifo->bytes / fifo->count_unit; /* in the unit of the count */
    /* it grows by a frame or two between the readings; more is a disturbed bus */
    if (first < 0 || second < first || second - first > 2 * frame || first / frame > fifo->depth) {
        return MARL_ERR_BUS_GARBAGE;
    }
    *frames = (uint16_t)(first / frame);
    return lost & fifo->overflow.mask ? MARL_ERR_OVERFLOW : MARL_OK;
}

marl_status marl_part_read_frame(const marl_port *port, const marl_part *part, marl_sample *sample)
{
    uint8_t frame[MARL_CHIP_MAX_BURST];
    const marl_chip_fifo *fifo = &part->chip->fifo;
    unsigned use = marlp_part_sensors(part) & fifo->holds;
    *sample = (marl_sample){0};
    MARL_TRY(port->bus_read(port->context, part->at, fifo->data, frame,
                            fifo->bytes)); /* a second try would lose one */
    for (unsigned i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (use & 1u << i) {
            const uint8_t *x = frame + fifo->at[i];
            unsigned step = part->chip->sensor[i].word.bytes;
            const uint8_t *const at[3] = {x, x + step, x + 2 * step};
            marlp_part_take(part, (marl_sensor)i, at, sample);
        }
    }
    if (use & MARL_FRESH_TEMP) {
        marlp_part_take_temperature(part, frame + fifo->at[3], sample);
    }
    return MARL_OK;
}
