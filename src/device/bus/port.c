/* SPDX-License-Identifier: MIT
 * Checking a port, and clocks of 32 bits. */
#include "marlinspike/port.h"

static int is_unit(uint32_t n)
{
    return n == 1 || n == 2 || n == 4 || n == 8 || n == 16 || n == 32;
}

static int has_shape(const marl_nv_shape *nv)
{
    return is_unit(nv->unit) && nv->sector > 0 && nv->sector <= 65536 && nv->sector % nv->unit == 0 &&
           nv->size % nv->sector == 0 && nv->size / nv->sector >= 2 &&
           nv->size / nv->sector / 2 * nv->sector > MARL_STORE_HEAD;
}

marl_status marl_port_check(const marl_port *port, unsigned needs, const char **missing)
{
    int nv_any = port->nv_read != NULL || port->nv_erase != NULL || port->nv_write != NULL;
    unsigned nv = nv_any ? MARL_PORT_NV : needs & MARL_PORT_NV;
    const struct {
        int lacks;
        const char *name;
    } rule[] = {
        {port->clock == NULL, "clock"},
        {port->sleep == NULL, "sleep"},
        {(needs & MARL_PORT_BUS) && port->bus_read == NULL, "bus_read"},
        {(needs & MARL_PORT_BUS) && port->bus_write == NULL, "bus_write"},
        {(needs & MARL_PORT_READY) && port->data_ready == NULL, "data_ready"},
        {nv && port->nv_read == NULL, "nv_read"},
        {nv && port->nv_erase == NULL, "nv_erase"},
        {nv && port->nv_write == NULL, "nv_write"},
        {nv && !has_shape(&port->nv), "nv"},
        {(needs & MARL_PORT_OUT) && port->bytes_out == NULL, "bytes_out"},
        {(needs & MARL_PORT_IN) && port->bytes_in == NULL, "bytes_in"},
    };
    for (size_t i = 0; i < sizeof rule / sizeof rule[0]; i++) {
        if (rule[i].lacks) {
            if (missing != NULL) {
                *missing = rule[i].name;
            }
            return MARL_ERR_ARGUMENT;
        }
    }
    return MARL_OK;
}

int64_t marl_clock32_ns(marl_clock32 *clock, uint32_t us)
{
    clock->wraps += us < clock->last;
    clock->last = us;
    return (int64_t)(((uint64_t)clock->wraps << 32 | us) * 1000u);
}
