/* SPDX-License-Identifier: MIT
 * The gyroscope's arrangement from whole turns, through the accelerations of a hand. */
#ifndef LAB_AXES_BLOCKS_H
#define LAB_AXES_BLOCKS_H

#include "marlinspike/log.h"

typedef struct lab_axes_blocks {
    double *left; /* (m/s^2)^2: of each arrangement, block by block: blocks times arrangements */
    size_t blocks;
    double changed; /* the same without any turning, summed over the blocks */
} lab_axes_blocks;

/* In blocks of some seconds each force is turned back by what the gyroscope, so arranged, has turned since the block's
 * beginning. Gravity then stays where it is, and what a hand does averages out, since its speed is limited; with
 * another arrangement gravity is smeared. What is left: the variance of the forces turned back. At most 200 blocks are
 * looked at. To be freed, also on failure. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_axes_blocks_make(lab_axes_blocks *all, const marl_log *log, marl_error *error);
void lab_axes_blocks_free(lab_axes_blocks *all);

#endif
