/* SPDX-License-Identifier: MIT
 * Least squares over a recording, with standard errors that hold when residuals hang together over seconds:
 * the gradient's scatter from block to block ("A heteroskedasticity-consistent covariance matrix estimator
 * and a direct test for heteroskedasticity", 1980, with blocks of time in the place of single rows). */
#ifndef LAB_BLOCK_FIT_H
#define LAB_BLOCK_FIT_H

#include <stddef.h>
#include <stdint.h>

enum { LAB_BLOCK_FIT_MAX = 14 };
#define LAB_BLOCK_NS INT64_C(5000000000) /* the least */

typedef struct lab_block_fit {
    int n; /* unknowns */
    size_t rows, blocks;
    int64_t block_ns, block_from_ns;
    double normal[LAB_BLOCK_FIT_MAX * LAB_BLOCK_FIT_MAX]; /* upper triangle of J'J, n by n */
    double gradient[LAB_BLOCK_FIT_MAX];                   /* J'r */
    double block[LAB_BLOCK_FIT_MAX];                      /* J'r of the block that is open */
    double scatter[LAB_BLOCK_FIT_MAX * LAB_BLOCK_FIT_MAX];
    double squares; /* r'r */
} lab_block_fit;

void lab_block_fit_init(lab_block_fit *fit, int n, int64_t block_ns);
/* One row of J and its residual; times must rise. */
void lab_block_fit_add(lab_block_fit *fit, int64_t t_ns, const double *row, double residual);
/* The step that makes the residuals smallest, r - J step, and its covariance (n by n, NaN with too few
 * blocks). 0 when the unknowns cannot be separated at all. */
int lab_block_fit_solve(lab_block_fit *fit, double *step, double *covariance);

#endif
