/* SPDX-License-Identifier: MIT
 * Reading the chips of a board in turn. */
#include "marlinspike/chip.h"

/* Periods without anything fresh after which a chip is started again, and the least such time. */
#define PATIENCE_PERIODS 20u
#define PATIENCE_MIN_US 100000u
/* Asking begins this share of a period before a reading is due, and goes on in steps of a share. */
#define EARLY_SHARE 10u
#define STEP_SHARE 50u

marl_status marl_board_init(marl_board *board, const marl_port *port, const marl_part *part, uint8_t parts,
                            const char **what)
{
    *board = (marl_board){.port = port, .part = part, .parts = parts};
    marl_status status = marl_port_check(port, MARL_PORT_BUS, what);
    if (status == MARL_OK && (parts < 1 || parts > MARL_BOARD_MAX_PARTS)) {
        if (what != NULL) {
            *what = "parts";
        }
        status = MARL_ERR_ARGUMENT;
    }
    for (uint8_t i = 0; i < parts && status == MARL_OK; i++) {
        status = marl_part_check(&part[i], what);
    }
    return status;
}

static uint8_t sensors_of(const marl_part *part)
{
    uint8_t use = part->chip->temp.present ? MARL_FRESH_TEMP : 0;
    for (unsigned i = 0; i < MARL_SENSOR_COUNT; i++) {
        use = (uint8_t)(use | (part->chip->sensor[i].present ? 1u << i : 0u));
    }
    return part->use ? (uint8_t)(use & part->use) : use;
}

uint8_t marl_board_sensors(const marl_board *board)
{
    uint8_t all = 0;
    for (uint8_t i = 0; i < board->parts; i++) {
        all = (uint8_t)(all | sensors_of(&board->part[i]));
    }
    return all;
}

static uint32_t period_of(const marl_part *part)
{
    uint32_t min = 1000000;
    uint8_t use = sensors_of(part);
    for (unsigned i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_chip_sensor *s = &part->chip->sensor[i];
        if (use & (1u << i)) {
            float us = 1e6f / s->rate.choice[part->rate[i]].value;
            min = us < (float)min ? (uint32_t)us : min;
        }
    }
    return min > 0 ? min : 1;
}

uint32_t marl_board_period_us(const marl_board *board)
{
    uint32_t min = 1000000;
    for (uint8_t i = 0; i < board->parts; i++) {
        uint32_t period = period_of(&board->part[i]);
        min = period < min ? period : min;
    }
    return min;
}

static void count(marl_part_state *state, marl_status status)
{
    state->fault = status;
    state->counts.silent += status == MARL_ERR_BUS_SILENT;
    state->counts.late += status == MARL_ERR_BUS_LATE;
    state->counts.garbage += status == MARL_ERR_BUS_GARBAGE || status == MARL_ERR_IDENTITY;
}

/* Wait for a silent chip at start-up only; later it would delay the others. */
static marl_status start_part(marl_board *board, uint8_t i, int wait)
{
    marl_part_state *state = &board->state[i];
    marl_status status = marl_part_start(board->port, &board->part[i], wait, &state->identity);
    count(state, status);
    state->running = status == MARL_OK;
    marl_status clock = board->port->clock(board->port->context, &state->fresh_ns);
    state->due_ns = state->fresh_ns;
    return status != MARL_OK ? status : clock;
}

marl_status marl_board_start(marl_board *board)
{
    marl_status first = MARL_OK;
    for (uint8_t i = 0; i < board->parts; i++) {
        marl_status status = start_part(board, i, 1);
        first = first != MARL_OK ? first : status;
    }
    return first;
}

/* Time without data after which a chip is taken to have lost its settings. */
static int64_t patience_ns(const marl_part *part)
{
    uint32_t us = PATIENCE_PERIODS * period_of(part);
    return INT64_C(1000) * (us < PATIENCE_MIN_US ? PATIENCE_MIN_US : us);
}

/* A clock that was set back, as a 32-bit one is when it wraps, gives no time step. */
static int starves(marl_board *board, uint8_t i, int64_t now)
{
    marl_part_state *state = &board->state[i];
    if (now < state->fresh_ns) {
        state->fresh_ns = state->due_ns = now;
    }
    return (uint64_t)now - (uint64_t)state->fresh_ns > (uint64_t)patience_ns(&board->part[i]);
}

static marl_status read_part(marl_board *board, uint8_t i, marl_sample *sample)
{
    marl_part_state *state = &board->state[i];
    int64_t now;
    marl_status status = board->port->clock(board->port->context, &now);
    if (status != MARL_OK) {
        return status;
    }
    if (starves(board, i, now)) {
        state->counts.restarts++;
        status = start_part(board, i, 0);
        return status != MARL_OK ? status : MARL_ERR_NOT_READY;
    }
    if (!state->running) {
        return state->fault != MARL_OK ? state->fault : MARL_ERR_NOT_READY;
    }
    if (now < state->due_ns) {
        return MARL_ERR_NOT_READY;
    }
    status = marl_part_read(board->port, &board->part[i], sample);
    if (status == MARL_ERR_NOT_READY) {
        return status;
    }
    count(state, status);
    if (status == MARL_OK) {
        uint32_t period = period_of(&board->part[i]);
        state->counts.reads++;
        state->fresh_ns = sample->t_ns;
        state->due_ns = sample->t_ns + INT64_C(1000) * (period - period / EARLY_SHARE);
    }
    return status;
}

marl_status marl_board_read(marl_board *board, marl_sample *sample)
{
    marl_status worst = MARL_ERR_NOT_READY;
    for (uint8_t k = 0; k < board->parts; k++) {
        uint8_t i = board->next;
        board->next = (uint8_t)((board->next + 1) % board->parts);
        marl_status status = read_part(board, i, sample);
        if (status == MARL_OK) {
            return MARL_OK;
        }
        worst = status != MARL_ERR_NOT_READY ? status : worst;
    }
    return worst;
}

marl_status marl_board_rest(const marl_board *board, uint32_t *us)
{
    int64_t now;
    *us = 0;
    marl_status status = board->port->clock(board->port->context, &now);
    for (uint8_t i = 0; i < board->parts; i++) {
        const marl_part_state *state = &board->state[i];
        int64_t left =
            (state->running ? state->due_ns : state->fresh_ns + patience_ns(&board->part[i])) - now;
        uint32_t step = period_of(&board->part[i]) / STEP_SHARE;
        uint32_t rest = left > 0 && left < INT64_C(1000000000) ? (uint32_t)left / 1000u : 0;
        rest = rest < step ? step : rest;
        *us = i == 0 || rest < *us ? rest : *us;
    }
    *us = *us > 0 ? *us : 1;
    return status;
}
