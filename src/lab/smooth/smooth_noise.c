/* SPDX-License-Identifier: MIT
 * How much a gyroscope's rate is noise, by its readings alone: what no motion of a body does from row to row. */
#include "lab/maths/statistics.h"
#include "lab/smooth/smooth_parts.h"
#include <math.h>
#include <stdlib.h>

#define USUAL_NOISE 1.5e-4 /* rad/s/sqrt(Hz): the least that is assumed, since a low-pass hides some */
#define LARGEST_NOISE 5e-3
#define SLOWEST_HZ 40.0 /* rows: with fewer a step in walking looks like noise */
#define WINDOW_S 1.0
#define QUIET 0.1 /* of the windows: others may vibrate */
/* Fifth differences of white noise have 252 times its variance, and those of a motion of 3 Hz, at 50 Hz, 1 % of its own. */
enum { ORDER = 5 };
static const double weight[ORDER + 1] = {-1, 5, -10, 10, -5, 1};
#define SUM_OF_SQUARES 252.0

/* Variance of a reading by the rows [from, to). */
static double variance_of(const lab_smoother *s, size_t from, size_t to)
{
    double sum = 0, n = 0;
    for (size_t i = from; i + ORDER < to; i++) {
        double d[3] = {0, 0, 0};
        for (size_t k = 0; k <= ORDER; k++) {
            const marl_vec3 *rate = &s->sample[i + k].gyro;
            d[0] += weight[k] * (double)rate->x;
            d[1] += weight[k] * (double)rate->y;
            d[2] += weight[k] * (double)rate->z;
        }
        sum += (d[0] * d[0] + d[1] * d[1] + d[2] * d[2]) / (3 * SUM_OF_SQUARES);
        n++;
    }
    return sum / n;
}

marl_status lab_smooth_find_noise(lab_smoother *s, marl_error *error)
{
    double step = s->usual_step;
    s->noise = USUAL_NOISE;
    if (step * SLOWEST_HZ > 1 || !(step * (double)s->rows > WINDOW_S)) { /* or they came in clumps */
        return MARL_OK;
    }
    size_t window = (size_t)(WINDOW_S / step), n = 0; /* a log has ten seconds */
    double *variance = malloc(s->rows / window * sizeof *variance);
    if (variance == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i + window <= s->rows; i += window) {
        variance[n++] = variance_of(s, i, i + window);
    }
    double density = sqrt(lab_quantile(variance, n, QUIET) * step);
    s->noise = fmin(LARGEST_NOISE, fmax(USUAL_NOISE, density));
    free(variance);
    return MARL_OK;
}
