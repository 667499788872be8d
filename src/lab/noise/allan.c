/* SPDX-License-Identifier: MIT
 * The overlapping Allan deviation. */
#include "lab/maths/statistics.h"
#include "lab/noise/noise_parts.h"
#include "marlinspike/inspect.h"
#include <math.h>
#include <stdlib.h>

#define MIN 16
#define PER_OCTAVE 4

/* Degrees of freedom under white noise. */
static double dof(double n, double m)
{
    return (1.5 * (n - 1) / m - 2 * (n - 2) / n) * 4 * m * m / (4 * m * m + 5);
}

/* Second differences of the sum over m readings, at every place. */
static double variance(const double *sum, size_t n, size_t m)
{
    double squares = 0;
    size_t places = n - 2 * m + 1;
    for (size_t k = 0; k < places; k++) {
        double d = sum[k + 2 * m] - 2 * sum[k + m] + sum[k];
        squares += d * d;
    }
    return squares / (2 * (double)places * (double)m * (double)m);
}

static void add_point(marl_allan *allan, const double *sum, size_t m)
{
    marl_allan_point *p = &allan->point[allan->n++];
    double nu = dof((double)allan->samples, (double)m), found = variance(sum, allan->samples, m);
    p->samples = (uint32_t)m;
    p->tau_s = (double)m * allan->step_s;
    p->deviation = sqrt(found);
    p->dof = nu;
    p->low = sqrt(found * nu / lab_chi_square(nu, LAB_DEVIATIONS_99));
    double min = lab_chi_square(nu, -LAB_DEVIATIONS_99);
    p->high = min > 0 ? sqrt(found * nu / min) : INFINITY;
}

marl_status lab_allan_of(const double *value, size_t n, double step_s, marl_allan *allan, marl_error *error)
{
    *allan = (marl_allan){.samples = n, .step_s = step_s};
    if (n < MIN) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "%zu readings in a row; at least %d are needed", n,
                         MIN);
    }
    double *sum = malloc((n + 1) * sizeof *sum), mean = 0;
    if (sum == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < n; i++) {
        mean += value[i] / (double)n;
    }
    sum[0] = 0;
    for (size_t i = 0; i < n; i++) { /* without the mean, so that the sum stays small */
        sum[i + 1] = sum[i] + (value[i] - mean);
    }
    size_t before = 0;
    for (int k = 0; allan->n < MARL_ALLAN_MAX; k++) {
        size_t m = (size_t)floor(pow(2, (double)k / PER_OCTAVE) + 0.5);
        if (m > n / 4) {
            break;
        }
        if (m != before) {
            add_point(allan, sum, m);
        }
        before = m;
    }
    free(sum);
    return MARL_OK;
}
