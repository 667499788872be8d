/* SPDX-License-Identifier: MIT
 * The simulated serial line: both ways, with loss and noise, at the speed of its baud rate. */
#include "lab/maths/random.h"
#include "sim.h"
#include <string.h>

enum { SENDER_CAPACITY = 4096 }; /* bytes that the board's driver queues */

static void push(sim_queue *q, uint8_t byte)
{
    if (q->n < q->capacity) {
        q->bytes[(q->start + q->n++) % q->capacity] = byte;
    }
}

static size_t pop(sim_queue *q, uint8_t *bytes, size_t n)
{
    size_t got = n < q->n ? n : q->n;
    size_t first = got < q->capacity - q->start ? got : q->capacity - q->start;
    memcpy(bytes, q->bytes + q->start, first);
    memcpy(bytes + first, q->bytes, got - first);
    q->start = (q->start + got) % q->capacity;
    q->n -= got;
    return got;
}

/* One byte over the wire. */
static void carry(marl_sim *sim, sim_queue *q, uint8_t byte)
{
    const marl_sim_faults *faults = &sim->config.faults;
    if (lab_sim_chance(sim, faults->lose)) {
        sim->counts.bytes_lost++;
        return;
    }
    if (lab_sim_chance(sim, faults->noise)) {
        byte ^= (uint8_t)(1u << (unsigned)(8 * lab_random_uniform(&sim->random)));
        sim->counts.bytes_spoilt++;
    }
    push(q, byte);
}

/* Bytes that the driver can take now. */
static size_t sender_capacity(const marl_sim *sim)
{
    double waiting = (sim->sent_s - sim->now_s) * sim->config.baud / 10;
    return waiting <= 0                 ? SENDER_CAPACITY
           : waiting >= SENDER_CAPACITY ? 0
                                        : SENDER_CAPACITY - (size_t)waiting;
}

marl_status lab_sim_bytes_out(void *context, const uint8_t *bytes, size_t n, size_t *accepted)
{
    marl_sim *sim = context;
    *accepted = 0;
    if (!sim->powered) {
        return MARL_ERR_SYSTEM;
    }
    size_t capacity = sim->config.baud > 0 ? sender_capacity(sim) : n;
    capacity = capacity < sim->out.capacity - sim->out.n ? capacity : sim->out.capacity - sim->out.n;
    *accepted = n < capacity ? n : capacity;
    if (sim->config.baud > 0) {
        sim->sent_s =
            (sim->sent_s > sim->now_s ? sim->sent_s : sim->now_s) + (double)*accepted * 10 / sim->config.baud;
    }
    for (size_t i = 0; i < *accepted && !marl_sim_unplugged(sim); i++) {
        sim->counts.bytes++;
        carry(sim, &sim->out, bytes[i]);
    }
    return MARL_OK;
}

marl_status lab_sim_bytes_in(void *context, uint8_t *bytes, size_t n, size_t *got)
{
    marl_sim *sim = context;
    *got = 0;
    if (!sim->powered) {
        return MARL_ERR_SYSTEM;
    }
    *got = pop(&sim->in, bytes, n);
    return MARL_OK;
}

size_t marl_sim_receive(marl_sim *sim, uint8_t *bytes, size_t n)
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
