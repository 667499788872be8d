/* SPDX-License-Identifier: MIT
 * A board: the list of its chips, read one after the other. A chip that fails is counted, reported and
 * started again when nothing fresh has come from it for a while: after a power dip it has forgotten its
 * settings. */
#ifndef MARLINSPIKE_BOARD_H
#define MARLINSPIKE_BOARD_H

#include "marlinspike/chip.h"

#ifdef __cplusplus
extern "C" {
#endif

enum { MARL_BOARD_MAX_PARTS = 4 };

/* What went wrong with a part since the start. */
typedef struct marl_part_counts {
    uint32_t reads;  /* samples given out */
    uint32_t silent; /* transfers that failed, after all their tries */
    uint32_t late;
    uint32_t garbage; /* also another identity */
    uint32_t restarts;
} marl_part_counts;

typedef struct marl_part_state {
    marl_part_counts counts;
    marl_status fault; /* MARL_OK, or why the last transfer failed */
    uint8_t identity;  /* that the chip gave */
    uint8_t running;   /* configured */
    int64_t due_ns;    /* nothing fresh is to be expected before */
    int64_t fresh_ns;  /* when it last gave something, or was started */
} marl_part_state;

typedef struct marl_board {
    const marl_port *port;
    const marl_part *part; /* the caller's */
    uint8_t parts;
    uint8_t next; /* to be read */
    marl_part_state state[MARL_BOARD_MAX_PARTS];
} marl_board;

/* The caller keeps `part` for as long as the board. MARL_ERR_ARGUMENT when the port or a part is none; *what
 * (may be NULL) names what. Nothing is sent yet. */
MARL_CHECKED marl_status marl_board_init(marl_board *board, const marl_port *port, const marl_part *part,
                                         uint8_t parts, const char **what);

/* Starts every chip; goes on after one that fails. Returns the first failure (see marl_part_start); which
 * part it was and why stands in board->state. */
MARL_CHECKED marl_status marl_board_start(marl_board *board);

/* The next fresh sample of any chip that is due, with its own stamp. MARL_ERR_NOT_READY when none has any;
 * another status when a part failed and no other had any. Calling on after any of these is right. */
MARL_CHECKED marl_status marl_board_read(marl_board *board, marl_sample *sample);

/* How long from now on nothing fresh is to be expected, in us: a chip is asked again from a tenth of its
 * period before the next reading on, in steps of a fiftieth. */
MARL_CHECKED marl_status marl_board_rest(const marl_board *board, uint32_t *us);

/* The shortest time between two readings of any sensor that is used, in us. */
uint32_t marl_board_period_us(const marl_board *board);

/* The sensors that are used: MARL_FRESH_... */
uint8_t marl_board_sensors(const marl_board *board);

#ifdef __cplusplus
}
#endif
#endif
