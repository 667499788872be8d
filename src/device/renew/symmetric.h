/* SPDX-License-Identifier: MIT
 * Symmetric 3 x 3 matrices, by six elements: xx yy zz xy xz yz. */
#ifndef MARL_SYMMETRIC_H
#define MARL_SYMMETRIC_H

#include "marlinspike/quat.h"

marl_vec3 marlp_symmetric_apply(const float a[6], marl_vec3 v);
void marlp_symmetric_square(const float a[6], float q[6]);
float marlp_symmetric_determinant(const float a[6]);
/* 0 when it is not positive. */
int marlp_symmetric_inverse(const float a[6], float out[6]);
/* The positive root; 0 when there is none. Method: "The matrix sign function and computations in systems" (1976). */
int marlp_symmetric_root(const float a[6], float out[6]);

#endif
