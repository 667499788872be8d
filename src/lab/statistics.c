/* SPDX-License-Identifier: MIT
 * Small statistics in double. */
#include "statistics.h"
#include <math.h>
#include <stdlib.h>

void lab_moments_add(lab_moments *moments, double value)
{
    moments->n++;
    double from_old = value - moments->mean;
    moments->mean += from_old / (double)moments->n;
    moments->squares += from_old * (value - moments->mean);
}

double lab_moments_deviation(const lab_moments *moments)
{
    return moments->n < 2 ? NAN : sqrt(moments->squares / (double)(moments->n - 1));
}

static int rising(const void *a, const void *b)
{
    double x = *(const double *)a, y = *(const double *)b;
    return (x > y) - (x < y);
}

double lab_quantile(double *value, size_t n, double q)
{
    qsort(value, n, sizeof *value, rising);
    double place = q * (double)(n - 1);
    size_t below = (size_t)place;
    if (below + 1 >= n) {
        return value[n - 1];
    }
    return value[below] + (place - (double)below) * (value[below + 1] - value[below]);
}

double lab_chi_square(double nu, double z)
{
    double a = 2 / (9 * nu), root = 1 - a + z * sqrt(a);
    return root > 0 ? nu * root * root * root : 0;
}

double lab_normal_deviation(double probability)
{
    double t = sqrt(-2 * log(probability));
    return t -
           (2.515517 + t * (0.802853 + t * 0.010328)) / (1 + t * (1.432788 + t * (0.189269 + t * 0.001308)));
}
