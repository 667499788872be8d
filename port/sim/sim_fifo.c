/* SPDX-License-Identifier: MIT
 * The FIFO of a simulated chip: frames of what its sensors take at the same moment. */
#include "sim.h"
#include <math.h>
#include <string.h>

static size_t depth_of(const sim_chip *chip)
{
    size_t depth = chip->part->chip->fifo.depth;
    return depth < SIM_FRAMES ? depth : SIM_FRAMES;
}

static size_t slot(const sim_fifo *fifo, size_t i)
{
    return (fifo->start + i) % SIM_FRAMES;
}

/* The frame of this moment; a new one repeats the one before until its readings come. Returns where it stands. */
static size_t frame_of(marl_sim *sim, sim_chip *chip, double ready_s)
{
    sim_fifo *fifo = &chip->fifo;
    for (size_t i = fifo->n; i-- > 0;) {
        if (fabs(fifo->ready_s[slot(fifo, i)] - ready_s) < 1e-6) {
            return slot(fifo, i);
        }
    }
    if (fifo->n == depth_of(chip)) { /* the oldest gives way */
        fifo->start = (uint16_t)slot(fifo, 1);
        fifo->n--;
        sim->counts.overwritten++;
        lab_sim_put_bits(chip, &chip->part->chip->fifo.overflow, 0xffff);
    }
    size_t at = slot(fifo, fifo->n);
    memcpy(fifo->bytes[at], fifo->bytes[slot(fifo, (size_t)fifo->n + SIM_FRAMES - 1)],
           sizeof fifo->bytes[at]);
    fifo->ready_s[at] = ready_s;
    fifo->n++;
    return at;
}

void lab_sim_fifo_add(marl_sim *sim, sim_chip *chip, unsigned which, double ready_s)
{
    const marl_chip *table = chip->part->chip;
    const marl_chip_sensor *s = &table->sensor[which];
    uint8_t *frame = chip->fifo.bytes[frame_of(sim, chip, ready_s)];
    for (int k = 0; k < 3; k++) {
        memcpy(frame + table->fifo.at[which] + k * s->word.bytes, chip->reg + lab_sim_at(chip, s->reg[k]),
               s->word.bytes);
    }
    if (table->fifo.holds & MARL_FRESH_TEMP) {
        memcpy(frame + table->fifo.at[3], chip->reg + lab_sim_at(chip, table->temp.reg),
               table->temp.word.bytes);
    }
}

void lab_sim_fifo_take(sim_chip *chip, uint8_t *bytes, size_t n)
{
    sim_fifo *fifo = &chip->fifo;
    size_t frame = chip->part->chip->fifo.bytes;
    for (size_t given = 0; given < n; given += frame) {
        size_t part = n - given < frame ? n - given : frame;
        memcpy(bytes + given, fifo->bytes[fifo->start], part);
        if (fifo->n > 0) {
            fifo->start = (uint16_t)slot(fifo, 1);
            fifo->n--;
        }
    }
    lab_sim_fifo_show(chip);
}

void lab_sim_fifo_show(sim_chip *chip)
{
    const marl_chip_fifo *table = &chip->part->chip->fifo;
    if (table->present) {
        marl_chip_word_put(&table->count, chip->fifo.n * table->bytes / table->count_unit,
                           chip->reg + lab_sim_at(chip, table->count_reg));
    }
}
