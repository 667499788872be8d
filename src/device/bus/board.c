/* SPDX-License-Identifier: MIT
 * Reading the chips of a board in turn. */
#include "device/bus/board_frames.h"
#include "device/bus/transfer.h"

/* Periods without anything fresh after which a chip is started again, and the least such time. */
#define PATIENCE_PERIODS 20u
#define PATIENCE_MIN_US 100000u
/* Asking begins this share of a period before a reading is due, and goes on in steps of a share. */
#define EARLY_SHARE 10u
#define STEP_SHARE 50u
/* Periods without an edge of the data-ready line after which the chip is asked all the same. */
#define LATE_PERIODS 2

/* Frames that gather before they are fetched. */
static uint8_t batch_of(const marl_part *part)
{
    return part->batch > 0 ? part->batch : 1;
}

marl_status marl_board_init(marl_board *board, const marl_port *port, const marl_part *part, uint8_t parts,
                            const char **what)
{
    const char *unnamed;
    what = what != NULL ? what : &unnamed;
    *board = (marl_board){.port = port, .part = part, .parts = parts};
    unsigned needs = MARL_PORT_BUS;
    for (uint8_t i = 0; i < parts && i < MARL_BOARD_MAX_PARTS; i++) {
        needs |= part[i].ready_line ? MARL_PORT_READY : 0u;
    }
    marl_status status = marl_port_check(port, needs, what);
    if (status == MARL_OK && (parts < 1 || parts > MARL_BOARD_MAX_PARTS)) {
        *what = "parts";
        status = MARL_ERR_ARGUMENT;
    }
    for (uint8_t i = 0; i < parts && status == MARL_OK; i++) {
        status = marl_part_check(&part[i], what);
        if (status == MARL_OK && parts > 1 &&
            batch_of(&part[i]) > 1) { /* their times would not be in order */
            *what = "batch";
            status = MARL_ERR_ARGUMENT;
        }
    }
    return status;
}

uint8_t marl_board_sensors(const marl_board *board)
{
    uint8_t all = 0;
    for (uint8_t i = 0; i < board->parts; i++) {
        all = (uint8_t)(all | marlp_part_sensors(&board->part[i]));
    }
    return all;
}

static uint32_t period_of(const marl_part *part)
{
    uint32_t min = 1000000;
    uint8_t use = marlp_part_sensors(part);
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

int marl_board_has_offset(const marl_board *board, marl_sensor sensor)
{
    unsigned flag = 1u << sensor, all = marl_board_sensors(board) & flag;
    for (uint8_t i = 0; i < board->parts; i++) {
        all = (marlp_part_sensors(&board->part[i]) & flag) &&
                      !board->part[i].chip->sensor[sensor].offset.present
                  ? 0
                  : all;
    }
    return all != 0;
}

marl_status marl_board_bias_left(const marl_board *board, marl_sensor sensor, marl_vec3 bias, marl_vec3 *left)
{
    int32_t counts[3];
    *left = bias;
    if (!marl_board_has_offset(board, sensor)) {
        return MARL_ERR_ARGUMENT;
    }
    for (uint8_t i = 0; i < board->parts; i++) {
        if (marlp_part_sensors(&board->part[i]) & 1u << sensor) {
            MARL_TRY(marlp_part_offsets_fit(&board->part[i], sensor, bias, counts, left));
        }
    }
    return MARL_OK;
}

static void count(marl_part_state *state, marl_status status)
{
    state->fault = status;
    state->counts.silent += status == MARL_ERR_BUS_SILENT;
    state->counts.late += status == MARL_ERR_BUS_LATE;
    state->counts.garbage += status == MARL_ERR_BUS_GARBAGE || status == MARL_ERR_IDENTITY;
}

marl_status marl_board_take_bias(marl_board *board, marl_sensor sensor, marl_vec3 bias)
{
    marl_vec3 left;
    marl_status first = MARL_OK;
    MARL_TRY(marl_board_bias_left(board, sensor, bias, &left));
    board->taken[sensor] = bias;
    board->takes = (uint8_t)(board->takes | 1u << sensor);
    for (uint8_t i = 0; i < board->parts; i++) {
        if ((marlp_part_sensors(&board->part[i]) & 1u << sensor) && board->state[i].running) {
            marl_status status = marl_part_write_offset(board->port, &board->part[i], sensor, bias);
            if (status != MARL_OK) { /* nobody knows what stands in them: its next start writes them whole */
                count(&board->state[i], status);
                board->state[i].running = 0;
            }
            first = first != MARL_OK ? first : status;
        }
    }
    return first;
}

/* A chip that was started has forgotten its offset registers. */
static marl_status write_offsets(const marl_board *board, const marl_part *part)
{
    unsigned wanted = board->takes & marlp_part_sensors(part);
    for (unsigned i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (wanted & 1u << i) {
            MARL_TRY(marl_part_write_offset(board->port, part, (marl_sensor)i, board->taken[i]));
        }
    }
    return MARL_OK;
}

/* Wait for a silent chip at start-up only; later it would delay the others. */
static marl_status start_part(marl_board *board, uint8_t i, int wait)
{
    marl_part_state *state = &board->state[i];
    marl_status status = marl_part_start(board->port, &board->part[i], wait, &state->identity);
    status = status == MARL_OK ? write_offsets(board, &board->part[i]) : status;
    count(state, status);
    state->running = status == MARL_OK;
    marl_status clock = board->port->clock(board->port->context, &state->fresh_ns);
    state->due_ns = state->fresh_ns;
    state->frames = state->timed = 0;
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
    uint32_t us = (PATIENCE_PERIODS + 2u * batch_of(part)) * period_of(part);
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

/* The burst, and the edge that announced it. Without an edge the chip is asked all the same when one would be late: it
 * may have come before anybody listened, and a line that stays active gives no other. */
static marl_status read_burst(marl_board *board, uint8_t i, int64_t now, marl_sample *sample)
{
    const marl_part *part = &board->part[i];
    marl_part_state *state = &board->state[i];
    uint32_t period = period_of(part);
    int64_t period_ns = INT64_C(1000) * period, edge = 0;
    marl_status announced = MARL_ERR_NOT_READY;
    if (part->ready_line) {
        announced = board->port->data_ready(board->port->context, part->at, &edge);
        if (announced == MARL_ERR_NOT_READY && now - state->fresh_ns < LATE_PERIODS * period_ns) {
            return announced;
        }
    }
    MARL_TRY(marl_part_read(board->port, part, sample));
    if (announced == MARL_OK && edge > sample->t_ns - period_ns && edge <= sample->t_ns) {
        sample->t_ns = edge;
    }
    state->fresh_ns = sample->t_ns;
    state->due_ns = sample->t_ns + INT64_C(1000) * (period - period / EARLY_SHARE);
    return MARL_OK;
}

/* Frames first, then, once a fetching, the burst with what is in no frame. */
static marl_status read_fifo(marl_board *board, uint8_t i, int64_t now, marl_sample *sample)
{
    const marl_part *part = &board->part[i];
    marl_part_state *state = &board->state[i];
    uint32_t period = period_of(part);
    if (state->frames == 0 && now >= state->due_ns) {
        marl_status status = marlp_frames_count(board->port, part, state, period, now);
        if (status != MARL_OK && status != MARL_ERR_OVERFLOW) {
            return status;
        }
        state->fault = status;
        state->fresh_ns = now;
        state->due_ns =
            now + INT64_C(1000) * period * batch_of(part) - INT64_C(1000) * (period / EARLY_SHARE);
        state->burst_due = (marlp_part_sensors(part) & ~(unsigned)part->chip->fifo.holds) != 0;
    }
    if (state->frames > 0) {
        marl_status status = marlp_frames_next(board->port, part, state, sample);
        state->frames =
            status == MARL_OK ? state->frames : 0; /* whether it is still there, the next count says */
        return status;
    }
    if (state->burst_due) {
        state->burst_due = 0;
        return marl_part_read(board->port, part, sample);
    }
    return MARL_ERR_NOT_READY;
}

/* Stamps that lie before the transfer must not lie before another chip's reading that was given out already. */
static void keep_order(marl_board *board, const marl_part *part, marl_sample *sample)
{
    int64_t behind = board->last_ns - sample->t_ns;
    int from_the_past = part->ready_line || part->chip->fifo.present;
    if (from_the_past && behind >= 0 && behind < INT64_C(1000) * period_of(part)) {
        sample->t_ns = board->last_ns + 1000;
    }
    board->last_ns = sample->t_ns;
}

static marl_status read_part(marl_board *board, uint8_t i, marl_sample *sample)
{
    const marl_part *part = &board->part[i];
    marl_part_state *state = &board->state[i];
    int64_t now;
    MARL_TRY(board->port->clock(board->port->context, &now));
    if (starves(board, i, now)) {
        state->counts.restarts++;
        marl_status status = start_part(board, i, 0);
        return status != MARL_OK ? status : MARL_ERR_NOT_READY;
    }
    if (!state->running) {
        return state->fault != MARL_OK ? state->fault : MARL_ERR_NOT_READY;
    }
    if (now < state->due_ns && state->frames == 0 && !state->burst_due) {
        return MARL_ERR_NOT_READY;
    }
    marl_status status =
        part->chip->fifo.present ? read_fifo(board, i, now, sample) : read_burst(board, i, now, sample);
    if (status == MARL_ERR_NOT_READY) {
        return status;
    }
    if (status != MARL_OK || state->fault != MARL_ERR_OVERFLOW) {
        count(state, status);
    }
    if (status == MARL_OK) {
        state->counts.reads++;
        keep_order(board, part, sample);
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
        int64_t due = state->running ? state->due_ns : state->fresh_ns + patience_ns(&board->part[i]);
        int64_t left = state->frames > 0 || state->burst_due ? 0 : due - now;
        uint32_t step = period_of(&board->part[i]) / STEP_SHARE;
        uint32_t rest = left > 0 && left < INT64_C(1000000000) ? (uint32_t)left / 1000u : 0;
        rest = rest < step ? step : rest;
        *us = i == 0 || rest < *us ? rest : *us;
    }
    *us = *us > 0 ? *us : 1;
    return status;
}
