/* SPDX-License-Identifier: MIT
 * The simulated bus: who answers, how long it takes, what goes wrong. */
#include "lab/maths/random.h"
#include "sim.h"
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
    if (reg + n > SIM_REGISTERS) {
        return MARL_ERR_ARGUMENT;
    }
    memcpy(bytes, chip->reg + reg, n);
    lab_sim_chip_read_done(chip, reg, n);
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
    if (reg + n > SIM_REGISTERS) {
        return MARL_ERR_ARGUMENT;
    }
    for (size_t i = 0; i < n; i++) {
        if (reg + i != chip->part->chip->identity.reg) { /* that is mask-programmed */
            chip->reg[reg + i] = bytes[i];
        }
    }
    lab_sim_chip_written(sim, chip);
    return MARL_OK;
}
