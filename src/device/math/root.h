/* SPDX-License-Identifier: MIT
 * The square root of the path from sample to attitude: correctly rounded on every machine. Parts with
 * an FPU use its instruction; others an integer method, because the C library's root drags in errno. */
#ifndef MARL_ROOT_H
#define MARL_ROOT_H

#include "device/math/exact.h"

/* IEEE 754 square root, rounded to nearest even: NaN for x < 0 and for NaN, -0 for -0. */
float marlp_root(float x);

/* The same bits by integer arithmetic alone, digit by digit. */
float marlp_root_soft(float x);

#endif
