/* SPDX-License-Identifier: MIT
 * Least squares with standard errors from blocks of time. */
#include "lab/maths/block_fit.h"
#include "lab/maths/linear.h"
#include <math.h>
#include <string.h>

enum { MIN_BLOCKS = 2 };

void lab_block_fit_init(lab_block_fit *fit, int n, int64_t block_ns)
{
    memset(fit, 0, sizeof *fit);
    fit->n = n;
    fit->block_ns = block_ns;
}

static void close_block(lab_block_fit *fit)
{
    for (int i = 0; i < fit->n; i++) {
        for (int k = 0; k < fit->n; k++) {
            fit->scatter[i * fit->n + k] += fit->block[i] * fit->block[k];
        }
    }
    memset(fit->block, 0, sizeof fit->block);
    fit->blocks++;
}

void lab_block_fit_add(lab_block_fit *fit, int64_t t_ns, const double *row, double residual)
{
    if (fit->rows == 0) {
        fit->block_from_ns = t_ns;
    }
    if (t_ns - fit->block_from_ns >= fit->block_ns) {
        close_block(fit);
        fit->block_from_ns = t_ns;
    }
    for (int i = 0; i < fit->n; i++) {
        for (int k = i; k < fit->n; k++) {
            fit->normal[i * fit->n + k] += row[i] * row[k];
        }
        fit->gradient[i] += row[i] * residual;
        fit->block[i] += row[i] * residual;
    }
    fit->squares += residual * residual;
    fit->rows++;
}

/* inverse scatter inverse; on the diagonal not less than what white residuals would give, since few blocks
 * may agree by chance. */
static void sandwich(const lab_block_fit *fit, const double *inverse, double *covariance)
{
    int n = fit->n;
    double half[LAB_BLOCK_FIT_MAX * LAB_BLOCK_FIT_MAX] = {0};
    double blocks = (double)fit->blocks, rows = (double)fit->rows;
    double white = rows > n ? fit->squares / (rows - n) : NAN;
    memset(covariance, 0, (size_t)(n * n) * sizeof *covariance);
    for (int i = 0; i < n * n; i++) {
        for (int k = 0; k < n; k++) {
            half[i] += inverse[i / n * n + k] * fit->scatter[k * n + i % n];
        }
    }
    for (int i = 0; i < n * n; i++) {
        for (int k = 0; k < n; k++) {
            covariance[i] += half[i / n * n + k] * inverse[k * n + i % n];
        }
        covariance[i] *= blocks >= MIN_BLOCKS ? blocks / (blocks - 1) : NAN;
    }
    for (int i = 0; i < n; i++) {
        double min = white * inverse[i * n + i], *found = &covariance[i * n + i];
        *found = *found < min ? min : *found;
    }
}

int lab_block_fit_solve(lab_block_fit *fit, double *step, double *covariance)
{
    double inverse[LAB_BLOCK_FIT_MAX * LAB_BLOCK_FIT_MAX];
    int n = fit->n;
    close_block(fit);
    memcpy(inverse, fit->normal, sizeof inverse);
    if (!lab_invert_positive(n, inverse)) {
        return 0;
    }
    for (int i = 0; i < n; i++) {
        step[i] = 0;
        for (int k = 0; k < n; k++) {
            step[i] += inverse[i * n + k] * fit->gradient[k];
        }
    }
    sandwich(fit, inverse, covariance);
    return 1;
}
