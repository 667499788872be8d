/* SPDX-License-Identifier: MIT
 * The simulated flash: erased by sectors to 0xff, written by units, each once between erases; an erase or
 * write in which the power goes is done in part. */
#include "lab/maths/random.h"
#include "sim.h"
#include <string.h>

#define ERASE_S 20e-3
#define WRITE_S 100e-6

/* Counts down to the cut; 1 when it is now. */
static int cut_now(marl_sim *sim)
{
    return sim->flash_left > 0 && --sim->flash_left == 0;
}

marl_status lab_sim_nv_read(void *context, uint32_t at, uint8_t *bytes, size_t n)
{
    marl_sim *sim = context;
    if (!sim->powered) {
        return MARL_ERR_SYSTEM;
    }
    if (at > MARL_SIM_FLASH_SIZE || n > MARL_SIM_FLASH_SIZE - at) {
        return MARL_ERR_STORE;
    }
    memcpy(bytes, sim->flash + at, n);
    return MARL_OK;
}

marl_status lab_sim_nv_erase(void *context, uint32_t at)
{
    marl_sim *sim = context;
    if (!sim->powered) {
        return MARL_ERR_SYSTEM;
    }
    if (at % MARL_SIM_FLASH_SECTOR != 0 || at >= MARL_SIM_FLASH_SIZE) {
        return MARL_ERR_STORE;
    }
    if (cut_now(sim)) { /* some bytes are erased, some hold what they held, some something between */
        for (uint32_t i = 0; i < MARL_SIM_FLASH_SECTOR; i++) {
            sim->flash[at + i] |= (uint8_t)(256 * lab_random_uniform(&sim->random));
        }
        lab_sim_power_off(sim);
        return MARL_ERR_SYSTEM;
    }
    memset(sim->flash + at, 0xff, MARL_SIM_FLASH_SECTOR);
    lab_sim_pass(sim, ERASE_S);
    return MARL_OK;
}

marl_status lab_sim_nv_write(void *context, uint32_t at, const uint8_t *bytes, size_t n)
{
    marl_sim *sim = context;
    if (!sim->powered) {
        return MARL_ERR_SYSTEM;
    }
    if (at % MARL_SIM_FLASH_UNIT != 0 || n % MARL_SIM_FLASH_UNIT != 0 || at > MARL_SIM_FLASH_SIZE ||
        n > MARL_SIM_FLASH_SIZE - at) {
        return MARL_ERR_STORE;
    }
    for (size_t i = 0; i < n; i++) {
        if (sim->flash[at + i] != 0xff) {
            return MARL_ERR_STORE;
        }
    }
    if (cut_now(sim)) {
        for (size_t i = 0; i < n; i++) {
            sim->flash[at + i] &= (uint8_t)(bytes[i] | (uint8_t)(256 * lab_random_uniform(&sim->random)));
        }
        lab_sim_power_off(sim);
        return MARL_ERR_SYSTEM;
    }
    memcpy(sim->flash + at, bytes, n);
    lab_sim_pass(sim, WRITE_S);
    return MARL_OK;
}

uint8_t *marl_sim_flash(marl_sim *sim)
{
    return sim->flash;
}

void marl_sim_cut_flash(marl_sim *sim, unsigned long n)
{
    sim->flash_left = n;
}
