/* SPDX-License-Identifier: MIT
 * Steel near a tumble. */
#ifndef STEEL_H
#define STEEL_H

#include "marlinspike/lab.h"

/* Steel that stands 0.5 to 1 m from the hand, which wanders by some 10 cm and holds the pod 10 cm from its wrist: adds its field,
 * in the body, with `rms` uT about its mean in the world. The log has its truth. */
void steel_add(marl_log *log, double rms, uint64_t seed);

#endif
