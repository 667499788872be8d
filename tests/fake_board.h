/* SPDX-License-Identifier: MIT
 * A port made of plain memory, for tests of the device layer: registers as set by hand, a clock that is wound
 * by hand, faults by the number of the transfer. */
#ifndef FAKE_BOARD_H
#define FAKE_BOARD_H

#include "marlinspike/port.h"
#include <string.h>

enum { FAKE_CHIPS = 2, FAKE_MEMORY = 1024, FAKE_SECTOR = 256, FAKE_UNIT = 8, FAKE_LINE = 1 << 16 };

typedef struct fake_board {
    marl_port port;
    int64_t now_ns;
    marl_place at[FAKE_CHIPS];
    uint8_t reg[FAKE_CHIPS][256];
    int transfers;
    marl_status fault;             /* that transfers give ... */
    int fault_from, fault_until;   /* ... from this number on and before that one */
    int garble_from, garble_until; /* these read other bytes each time */
    int dead_reg;                  /* keeps its value whatever is written; -1: none */
    uint8_t memory[FAKE_MEMORY];
    int memory_left; /* erases and writes until it fails; -1: never */
    int reads_left;  /* reads of it until they fail; -1: never */
    int forgets;     /* writes are taken and not kept */
    uint8_t out[FAKE_LINE], in[FAKE_LINE];
    size_t out_n, out_capacity, in_n, in_at;
} fake_board;

static inline int fake_chip(const fake_board *b, marl_place at)
{
    for (int i = 0; i < FAKE_CHIPS; i++) {
        if (b->at[i].bus == at.bus && b->at[i].address == at.address) {
            return i;
        }
    }
    return -1;
}

static inline marl_status fake_transfer(fake_board *b, marl_place at, int *chip)
{
    int n = b->transfers++;
    b->now_ns += 10000;
    *chip = fake_chip(b, at);
    if (*chip < 0) {
        return MARL_ERR_BUS_SILENT;
    }
    return n >= b->fault_from && n < b->fault_until ? b->fault : MARL_OK;
}

static inline marl_status fake_read(void *context, marl_place at, uint8_t reg, uint8_t *bytes, size_t n)
{
    fake_board *b = context;
    int chip, number = b->transfers;
    marl_status status = fake_transfer(b, at, &chip);
    if (status == MARL_OK) {
        memcpy(bytes, b->reg[chip] + reg, n);
        for (size_t i = 0; i < n && number >= b->garble_from && number < b->garble_until; i++) {
            bytes[i] = (uint8_t)(0xf7 ^ (37 * number + (int)i));
        }
    }
    return status;
}

static inline marl_status fake_write(void *context, marl_place at, uint8_t reg, const uint8_t *bytes,
                                     size_t n)
{
    fake_board *b = context;
    int chip;
    marl_status status = fake_transfer(b, at, &chip);
    for (size_t i = 0; i < n && status == MARL_OK; i++) {
        if (reg + (int)i != b->dead_reg) {
            b->reg[chip][reg + i] = bytes[i];
        }
    }
    return status;
}

static inline marl_status fake_clock(void *context, int64_t *t_ns)
{
    *t_ns = ((fake_board *)context)->now_ns;
    return MARL_OK;
}

static inline marl_status fake_sleep(void *context, uint32_t us)
{
    ((fake_board *)context)->now_ns += INT64_C(1000) * us;
    return MARL_OK;
}

static inline marl_status fake_nv_read(void *context, uint32_t at, uint8_t *bytes, size_t n)
{
    fake_board *b = context;
    if (b->reads_left == 0) {
        return MARL_ERR_BUS_LATE;
    }
    b->reads_left -= b->reads_left > 0;
    memcpy(bytes, b->memory + at, n);
    return MARL_OK;
}

static inline int fake_memory_fails(fake_board *b)
{
    b->memory_left -= b->memory_left > 0;
    return b->memory_left == 0;
}

static inline marl_status fake_nv_erase(void *context, uint32_t at)
{
    fake_board *b = context;
    if (fake_memory_fails(b)) {
        return MARL_ERR_STORE;
    }
    memset(b->memory + at, 0xff, FAKE_SECTOR);
    return MARL_OK;
}

static inline marl_status fake_nv_write(void *context, uint32_t at, const uint8_t *bytes, size_t n)
{
    fake_board *b = context;
    if (fake_memory_fails(b)) {
        return MARL_ERR_STORE;
    }
    if (!b->forgets) {
        memcpy(b->memory + at, bytes, n);
    }
    return MARL_OK;
}

static inline marl_status fake_bytes_out(void *context, const uint8_t *bytes, size_t n, size_t *accepted)
{
    fake_board *b = context;
    *accepted = n < b->out_capacity ? n : b->out_capacity;
    memcpy(b->out + b->out_n, bytes, *accepted);
    b->out_n += *accepted;
    b->out_capacity -= *accepted;
    return MARL_OK;
}

static inline marl_status fake_bytes_in(void *context, uint8_t *bytes, size_t n, size_t *got)
{
    fake_board *b = context;
    *got = n < b->in_n - b->in_at ? n : b->in_n - b->in_at;
    memcpy(bytes, b->in + b->in_at, *got);
    b->in_at += *got;
    return MARL_OK;
}

/* Chips at bus 0 address 0x10 and bus 1 address 0x10; the context is the board itself. */
static inline void fake_board_make(fake_board *b)
{
    memset(b, 0, sizeof *b);
    b->at[0] = (marl_place){0, 0x10};
    b->at[1] = (marl_place){1, 0x10};
    b->dead_reg = -1;
    b->memory_left = -1;
    b->reads_left = -1;
    b->out_capacity = FAKE_LINE;
    memset(b->memory, 0xff, sizeof b->memory);
    b->port = (marl_port){.context = b,
                          .clock = fake_clock,
                          .sleep = fake_sleep,
                          .bus_read = fake_read,
                          .bus_write = fake_write,
                          .nv = {FAKE_MEMORY, FAKE_SECTOR, FAKE_UNIT},
                          .nv_read = fake_nv_read,
                          .nv_erase = fake_nv_erase,
                          .nv_write = fake_nv_write,
                          .bytes_out = fake_bytes_out,
                          .bytes_in = fake_bytes_in};
}

#endif
