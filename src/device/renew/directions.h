/* SPDX-License-Identifier: MIT
 * Which directions a tumble has shown: 60 cells of equal area around the middle of the surface. Where the middle was
 * wrong at first, readings that lie far from each other are counted again. */
#ifndef MARL_DIRECTIONS_H
#define MARL_DIRECTIONS_H

#include "marlinspike/renew.h"

void marlp_directions_init(marl_renewal_tumble *tumble);
void marlp_directions_add(marl_renewal_tumble *tumble, marl_vec3 unit);
/* By tumble->seen_by, which is another surface than before. */
void marlp_directions_recount(marl_renewal_tumble *tumble);
float marlp_directions_coverage(const marl_renewal_tumble *tumble);
/* The axis around which least has been seen: 0 to 5 for +x -x +y -y +z -z; 6 when all have been. */
uint8_t marlp_directions_missing(const marl_renewal_tumble *tumble);

#endif
