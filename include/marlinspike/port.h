/* SPDX-License-Identifier: MIT
 * The port: what a board must offer. Whoever brings Marlinspike to new hardware fills this struct and
 * writes nothing else; docs/porting.md goes through it step by step. Members are required or optional as
 * documented; marl_port_check reports whether those are there that a use needs. Every call returns in
 * bounded time with a status. */
#ifndef MARLINSPIKE_PORT_H
#define MARLINSPIKE_PORT_H

#include "marlinspike/status.h"
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Bytes of each half of a memory that the store keeps for itself; marl_port_check refuses a memory whose
 * halves hold no more. */
#define MARL_STORE_HEAD 16

/* The place of a chip: two buses, or two chips on one bus, are normal. On SPI the address is the number of
 * the select line. */
typedef struct marl_place {
    uint8_t bus;
    uint8_t address;
} marl_place;

/* Geometry of the non-volatile memory. Erased bytes read as 0xff; a unit is written once between erases. */
typedef struct marl_nv_shape {
    uint32_t size;   /* bytes; a multiple of `sector`, at least two sectors and more than 32 bytes */
    uint32_t sector; /* bytes erased at once, at most 64 KiB */
    uint32_t unit;   /* bytes written at once: 1, 2, 4, 8, 16 or 32 */
} marl_nv_shape;

typedef struct marl_port {
    void *context; /* handed to every call; may be NULL */

    /* Clock and sleep: required always.
     * clock: monotonic time in ns from any origin; its steps are finer than a bus transfer takes (some us).
     * sleep: returns after at least so many us; the work of other tasks may go on meanwhile. */
    marl_status (*clock)(void *context, int64_t *t_ns);
    marl_status (*sleep)(void *context, uint32_t us);

    /* Registers: required to read chips. The chip counts the register on by itself within one transfer.
     * MARL_ERR_BUS_SILENT when nothing acknowledges, MARL_ERR_BUS_LATE when the chip holds the bus longer
     * than the port waits (a few ms). */
    marl_status (*bus_read)(void *context, marl_place at, uint8_t reg, uint8_t *bytes, size_t n);
    marl_status (*bus_write)(void *context, marl_place at, uint8_t reg, const uint8_t *bytes, size_t n);

    /* Data-ready lines: required for parts with `ready_line`. MARL_OK: the chip's line has become active since the last
     * call, at *t_ns of the clock (as the interrupt noted it); MARL_ERR_NOT_READY: it has not. */
    marl_status (*data_ready)(void *context, marl_place at, int64_t *t_ns);

    /* Non-volatile memory: optional, all or none; required to keep calibrations. Offsets from its start.
     * nv_erase: one sector, at its start. nv_write: whole units, at a unit's start, each erased before.
     * MARL_ERR_STORE when the memory fails. */
    marl_nv_shape nv;
    marl_status (*nv_read)(void *context, uint32_t at, uint8_t *bytes, size_t n);
    marl_status (*nv_erase)(void *context, uint32_t at);
    marl_status (*nv_write)(void *context, uint32_t at, const uint8_t *bytes, size_t n);

    /* Stream: optional. bytes_out: queues up to n bytes, reports how many it queued, never waits.
     * bytes_in: hands over what has come in, at most n; none is no error. */
    marl_status (*bytes_out)(void *context, const uint8_t *bytes, size_t n, size_t *used_bytes);
    marl_status (*bytes_in)(void *context, uint8_t *bytes, size_t n, size_t *got);

    /* A button and a lamp for calibrations without a desk (renew.h): optional, each by itself.
     * button: the marl_renewal_kind that was asked for since the last call; 0: none.
     * lamp: shows a marl_renewal_stage: wait, move on, done, refused; called when it changes. */
    uint8_t (*button)(void *context);
    void (*lamp)(void *context, uint8_t stage);
} marl_port;

enum { MARL_PORT_BUS = 1, MARL_PORT_NV = 2, MARL_PORT_OUT = 4, MARL_PORT_IN = 8, MARL_PORT_READY = 16 };

/* MARL_ERR_ARGUMENT when clock, sleep or a member of the groups in `needs` (MARL_PORT_...) is missing, when
 * the memory is there in part, or its shape is invalid. *missing (may be NULL) names the first such member. */
MARL_CHECKED marl_status marl_port_check(const marl_port *port, unsigned needs, const char **missing);

/* For boards whose timer is a 32-bit count of microseconds: carries it on past its end. Begin with zeros;
 * call at least once in 71 minutes. */
typedef struct marl_clock32 {
    uint32_t last, wraps;
} marl_clock32;

int64_t marl_clock32_ns(marl_clock32 *clock, uint32_t us);

#ifdef __cplusplus
}
#endif
#endif
