/* SPDX-License-Identifier: MIT
 * The functions of a board that docs/porting.md leaves to its reader, on the simulated chips: port_page_board SECONDS
 * writes to stdout what the firmware of that page sends, and ends with 0 when it has also kept what it was told to. */
#include "marlinspike/record.h"
#include "marlinspike/sim.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* As the page declares them. */
uint32_t hal_microseconds(void);
void hal_wait_microseconds(uint32_t us);
int hal_i2c_read(int bus, int address, int reg, uint8_t *bytes, int n);
int hal_i2c_write(int bus, int address, int reg, const uint8_t *bytes, int n);
int hal_flash_erase(uint32_t offset);
int hal_flash_write(uint32_t offset, const uint8_t *bytes, uint32_t n);
const uint8_t *hal_flash(void);
uint32_t hal_uart_put(const uint8_t *bytes, uint32_t n);
uint32_t hal_uart_get(uint8_t *bytes, uint32_t most);
int my_firmware(void);

static marl_sim *sim;
static const marl_port *port;
static double seconds;

uint32_t hal_microseconds(void)
{
    int64_t t_ns;
    if (port->clock(port->context, &t_ns) != MARL_OK) {
        exit(1);
    }
    return (uint32_t)(t_ns / 1000) + UINT32_C(4293000000); /* a timer that wraps after two seconds */
}

/* Each pass of the loop comes by here. */
void hal_wait_microseconds(uint32_t us)
{
    (void)!port->sleep(port->context, us);
    if (marl_sim_seconds(sim) > seconds) {
        int kept = memcmp(marl_sim_flash(sim), "MRSK", 4) == 0;
        marl_sim_free(sim);
        exit(fflush(stdout) == 0 && kept ? 0 : 1);
    }
}

static int code_of(marl_status status)
{
    return status == MARL_OK ? 0 : status == MARL_ERR_BUS_SILENT ? 1 : 2;
}

int hal_i2c_read(int bus, int address, int reg, uint8_t *bytes, int n)
{
    const marl_place at = {(uint8_t)bus, (uint8_t)address};
    return code_of(port->bus_read(port->context, at, (uint8_t)reg, bytes, (size_t)n));
}

int hal_i2c_write(int bus, int address, int reg, const uint8_t *bytes, int n)
{
    const marl_place at = {(uint8_t)bus, (uint8_t)address};
    return code_of(port->bus_write(port->context, at, (uint8_t)reg, bytes, (size_t)n));
}

int hal_flash_erase(uint32_t offset)
{
    return port->nv_erase(port->context, offset) == MARL_OK ? 0 : 1;
}

int hal_flash_write(uint32_t offset, const uint8_t *bytes, uint32_t n)
{
    return port->nv_write(port->context, offset, bytes, n) == MARL_OK ? 0 : 1;
}

const uint8_t *hal_flash(void)
{
    return marl_sim_flash(sim);
}

/* A queue that is never so long: what it does not take comes again. */
uint32_t hal_uart_put(const uint8_t *bytes, uint32_t n)
{
    static uint32_t calls;
    uint32_t taken = ++calls % 3 == 0 && n > 20 ? n - 20 : n;
    return (uint32_t)fwrite(bytes, 1, taken, stdout);
}

/* After a second a desk asks it to keep its settings, byte by byte. */
uint32_t hal_uart_get(uint8_t *bytes, uint32_t most)
{
    static uint8_t message[MARL_MESSAGE_MAX];
    static size_t n, at;
    const marl_message commit = {.kind = MARL_ITEM_COMMIT, .number = 1};
    if (n == 0 && marl_message_make(&commit, message, &n, NULL) != MARL_OK) {
        exit(1);
    }
    if (marl_sim_seconds(sim) < 1 || at == n || most == 0) {
        return 0;
    }
    bytes[0] = message[at++];
    return 1;
}

int main(int argc, char **argv)
{
    const marl_sheet sheet = marl_sheet_grommet();
    const marl_part part = marl_sim_part(marl_chip_grommet(), (marl_place){0, 0x2a}, &sheet, 0);
    const marl_sim_config config = {.scene = MARL_SCENE_STILL,
                                    .sheet = &sheet,
                                    .seed = 1,
                                    .part = &part,
                                    .parts = 1,
                                    .faults = marl_sim_faults_none()};
    seconds = argc == 2 ? atof(argv[1]) : 0;
    if (marl_sim_create(&sim, &config, NULL) != MARL_OK) {
        return 1;
    }
    port = marl_sim_port(sim);
    return 2 + my_firmware(); /* it only comes back when it fails */
}
