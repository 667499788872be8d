/* SPDX-License-Identifier: MIT
 * Times of the frames of a FIFO. */
#ifndef MARL_BOARD_FRAMES_H
#define MARL_BOARD_FRAMES_H

#include "marlinspike/chip.h"

/* Counts the frames that wait at `now` and sets what they are stamped with; the nominal period is in us.
 * MARL_ERR_NOT_READY when none waits. */
marl_status marlp_frames_count(const marl_port *port, const marl_part *part, marl_part_state *state,
                               uint32_t period_us, int64_t now);

/* Fetches the next of the frames counted. */
marl_status marlp_frames_next(const marl_port *port, const marl_part *part, marl_part_state *state,
                              marl_sample *sample);

#endif
