/* SPDX-License-Identifier: MIT
 * The simulated serial line: both ways, with loss and noise, at the speed of its baud rate. */
#include "sim.h"
#include <string.h>

enum { SENDER_ROOM = 4096 }; /* bytes that the board's driver queues */

static void push(sim_queue *q, uint8_t byte)
{
    if (q->n < q->room) {
        q->bytes[(q->begin + q->n++) % q->room] = byte;
    }
}

static size_t pop(sim_queue *q, uint8_t *bytes, size_t n)
{
    size_t got = n < q->n ? n : q->n;
    size_t first = got < q->room - q->begin ? got : q->room - q->begin;
    memcpy(bytes, q->bytes + q->begin, first);
    memcpy(bytes + first, q->bytes, got - first);
    q->begin = (q->begin + got) % q->room;
    q->n -= got;
    return got;
}

/* One byte over the wire. */
static void carry(marl_sim *sim, sim_queue *q, uint8_t byte)
{
    const marl_sim_faults *faults = &sim->config.faults;
    if (sim_chance(sim, faults->lose)) {
        sim->counts.bytes_lost++;
        return;
    }
    if (sim_chance(sim, faults->noise)) {
        byte ^= (uint8_t)(1u << (unsigned)(8 * marl_random_uniform(&sim->random)));
        sim->counts.bytes_spoilt++;
    }
    push(q, byte);
}

/* Bytes that the driver can take now. */
static size_t sender_room(const marl_sim *sim)
{
    double waiting = (sim->sent_s - sim->now_s) * sim->config.baud / 10;
    return waiting <= 0 ? SENDER_ROOM : waiting >= SENDER_ROOM ? 0 : SENDER_ROOM - (size_t)waiting;
}

marl_status sim_bytes_out(void *context, const uint8_t *bytes, size_t n, size_t *taken)
{
    marl_sim *sim = context;
    *taken = 0;
    if (!sim->powered) {
        return MARL_ERR_SYSTEM;
    }
    size_t room = sim->config.baud > 0 ? sender_room(sim) : n;
    room = room < sim->out.room - sim->out.n ? room : sim->out.room - sim->out.n;
    *taken = n < room ? n : room;
    if (sim->config.baud > 0) {
        sim->sent_s =
            (sim->sent_s > sim->now_s ? sim->sent_s : sim->now_s) + (double)*taken * 10 / sim->config.baud;
    }
    for (size_t i = 0; i < *taken && !marl_sim_unplugged(sim); i++) {
        sim->counts.bytes++;
        carry(sim, &sim->out, bytes[i]);
    }
    return MARL_OK;
}

marl_status sim_bytes_in(void *context, uint8_t *bytes, size_t n, size_t *got)
{
    marl_sim *sim = context;
    *got = 0;
    if (!sim->powered) {
        return MARL_ERR_SYSTEM;
    }
    *got = pop(&sim->in, bytes, n);
    return MARL_OK;
}

size_t marl_sim_take(marl_sim *sim, uint8_t *bytes, size_t n)
{
    return pop(&sim->out, bytes, n);
}

void marl_sim_give(marl_sim *sim, const uint8_t *bytes, size_t n)
{
    for (size_t i = 0; i < n && !marl_sim_unplugged(sim); i++) {
        carry(sim, &sim->in, bytes[i]);
    }
}

int marl_sim_unplugged(const marl_sim *sim)
{
    return sim->now_s >= sim->config.faults.unplug_s;
}
