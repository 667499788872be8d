/* SPDX-License-Identifier: MIT
 * The simulated bus: who answers, how long it takes, what goes wrong. */
#include "lab/maths/random.h"
#include "sim.h"
#include <math.h>
#include <string.h>

/* 8 MHz and a little in front; the port waits for a chip this long. */
#define BYTE_S 1e-6
#define BEFORE_S 2e-6
#define PATIENCE_S 3e-3

static sim_chip *chip_at(marl_sim *sim, marl_place at)
{
    for (int i = 0; i < sim->config.parts; i++) {
        marl_place place = sim->chip[i].part->at;
        if (place.bus == at.bus && place.address == at.address) {
            return &sim->chip[i];
        }
    }
    return NULL;
}

/* The chip that takes part in a transfer, or why none does. */
static marl_status start(marl_sim *sim, marl_place at, size_t n, sim_chip **chip)
{
    const marl_sim_faults *faults = &sim->config.faults;
    marl_status status = MARL_OK;
    lab_sim_pass(sim, BEFORE_S + BYTE_S * (double)n);
    *chip = chip_at(sim, at);
    sim->counts.transfers++;
    if (!sim->powered) {
        return MARL_ERR_SYSTEM;
    }
    if (*chip != NULL) {
        lab_sim_chip_advance(sim, *chip);
    }
    if (*chip == NULL || sim->now_s - (*chip)->on_s < 0.5e-3 * (*chip)->part->chip->start_ms ||
        lab_sim_chance(sim, faults->silent)) {
        status = MARL_ERR_BUS_SILENT;
    } else if (lab_sim_chance(sim, faults->late)) {
        lab_sim_pass(sim, PATIENCE_S);
        status = MARL_ERR_BUS_LATE;
    }
    sim->counts.failed_transfers += status != MARL_OK;
    return status;
}

marl_status lab_sim_bus_read(void *context, marl_place at, uint8_t reg, uint8_t *bytes, size_t n)
{
    marl_sim *sim = context;
    sim_chip *chip;
    MARL_TRY(start(sim, at, n, &chip));
    const marl_chip_fifo *fifo = &chip->part->chip->fifo;
    if (lab_sim_at(chip, reg) + n > SIM_REGISTERS) {
        return MARL_ERR_ARGUMENT;
    }
    if (fifo->present && reg == fifo->data) {
        lab_sim_fifo_take(chip, bytes, n);
    } else {
        memcpy(bytes, chip->reg + lab_sim_at(chip, reg), n);
        lab_sim_chip_read_done(chip, reg, n);
    }
    if (lab_sim_chance(sim, sim->config.faults.garbage)) {
        for (size_t i = 0; i < n; i++) {
            bytes[i] = (uint8_t)(256 * lab_random_uniform(&sim->random));
        }
        sim->counts.garbled_transfers++;
    }
    return MARL_OK;
}

marl_status lab_sim_bus_write(void *context, marl_place at, uint8_t reg, const uint8_t *bytes, size_t n)
{
    marl_sim *sim = context;
    sim_chip *chip;
    MARL_TRY(start(sim, at, n, &chip));
    size_t to = lab_sim_at(chip, reg), identity = lab_sim_at(chip, chip->part->chip->identity.reg);
    if (to + n > SIM_REGISTERS) {
        return MARL_ERR_ARGUMENT;
    }
    for (size_t i = 0; i < n; i++) {
        if (to + i < identity || to + i >= lab_sim_at(chip, 1) + identity) { /* that is mask-programmed */
            chip->reg[to + i] = bytes[i];
        }
    }
    lab_sim_chip_written(sim, chip);
    return MARL_OK;
}

/* The interrupt noted the moment of the edge, by the board's clock. */
marl_status lab_sim_data_ready(void *context, marl_place at, int64_t *t_ns)
{
    marl_sim *sim = context;
    sim_chip *chip = chip_at(sim, at);
    if (chip == NULL || !sim->powered) {
        return MARL_ERR_NOT_READY;
    }
    lab_sim_chip_advance(sim, chip);
    if (isinf(chip->edge_s)) {
        return MARL_ERR_NOT_READY;
    }
    MARL_TRY(sim->port.clock(sim, t_ns));
    *t_ns -= (int64_t)((sim->now_s - chip->edge_s) * 1e9);
    chip->edge_s = INFINITY;
    return MARL_OK;
}
