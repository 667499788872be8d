/* SPDX-License-Identifier: MIT
 * Symmetric positive equations of a few unknowns, by the root of their matrix (Cholesky). Row-major squares of n x n, of
 * which the lower triangle is read and written. */
#ifndef MARL_NORMAL_H
#define MARL_NORMAL_H

/* The root in place; 0 when the matrix is not positive as far as floats can show. */
int marlp_normal_factor(int n, float *matrix);
/* By that root, L: x becomes L^-1 x, whose square is the variance of what has the derivatives x. */
void marlp_normal_forward(int n, const float *root, float *x);
/* By that root: x becomes the solution for the right side x. */
void marlp_normal_solve(int n, const float *root, float *x);

#endif
