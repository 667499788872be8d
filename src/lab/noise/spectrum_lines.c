/* SPDX-License-Identifier: MIT
 * Lines in a spectrum: bins that stand out of their surroundings. */
#include "lab/maths/statistics.h"
#include "lab/noise/spectrum_parts.h"
#include <math.h>
#include <stdlib.h>

#define FALSE_ALARMS 1e-3 /* in a spectrum without lines */
/* The median of the 32 bins beside a line is itself known to 1.25 / sqrt(32) of a bin's deviation. */
#define MEDIAN_SIGMA 0.22
enum { REACH = 3, SIDE = 16, MIN_SIDE = 8 };

/* Median power of a side; NaN when it is too short. */
static double side(const marl_spectrum *s, const unsigned char *skip, size_t from, size_t to)
{
    double value[SIDE];
    size_t n = 0;
    for (size_t k = from; k < to && n < SIDE; k++) {
        if (!skip[k]) {
            value[n++] = s->density[k];
        }
    }
    return n >= MIN_SIDE ? lab_quantile(value, n, 0.5) : NAN;
}

/* What the power would be at a bin without a line: between its sides, which a slope makes unequal; at the
 * ends there is one side. */
static double surroundings(const marl_spectrum *s, const unsigned char *skip, size_t k)
{
    size_t low = k > REACH + SIDE ? k - REACH - SIDE : 1;
    double below = k > REACH + 1 ? side(s, skip, low, k - REACH) : NAN;
    double above =
        side(s, skip, k + REACH + 1, k + REACH + 1 + SIDE < s->bins ? k + REACH + 1 + SIDE : s->bins);
    /* below the first sides flicker rises steeply: no line is reported there */
    return isnan(below) ? NAN : isnan(above) ? below : sqrt(below * above);
}

/* Its frequency by the centre of its bins, its size by their power above the surroundings. A swing that comes
 * and goes has a foot: the bins down to `limit` are part of it. */
static void add_line(marl_spectrum *s, unsigned char *skip, size_t k, double around, double limit)
{
    double sum = 0, moment = 0, above = s->density[k] / around;
    size_t from = k > REACH ? k - REACH : 1, to = k + REACH < s->bins ? k + REACH + 1 : s->bins;
    while (from > 1 && s->density[from - 1] > limit * around) {
        from--;
    }
    while (to < s->bins && s->density[to] > limit * around) {
        to++;
    }
    for (size_t i = from; i < to; i++) {
        double more = fmax(0, s->density[i] - around);
        skip[i] = 1;
        if (i + 2 >= k && i <= k + 2) {
            sum += more;
            moment += more * (double)i;
        }
    }
    if (s->lines < MARL_SPECTRUM_LINES) { /* both sides of the spectrum hold half of the swing's a^2 / 2 */
        s->line[s->lines++] = (marl_line){s->step_hz * moment / sum, 2 * sqrt(sum * s->step_hz), sqrt(above)};
    }
}

static int stronger(const void *a, const void *b)
{
    double x = ((const marl_line *)a)->amplitude, y = ((const marl_line *)b)->amplitude;
    return (x < y) - (x > y);
}

/* The strongest first, so that it does not stand in the surroundings of others. */
void lab_find_lines(marl_spectrum *s, unsigned char *skip)
{
    double z = lab_normal_deviation(FALSE_ALARMS / (double)s->bins);
    double limit = lab_chi_square(s->dof, z) / s->dof * (1 + 3 * MEDIAN_SIGMA * sqrt(2 / s->dof));
    for (size_t found = 0; found < MARL_SPECTRUM_LINES; found++) {
        size_t best = 0;
        double max = limit;
        for (size_t k = 1; k + 1 < s->bins; k++) {
            double around = skip[k] ? NAN : surroundings(s, skip, k);
            if (around > 0 && s->density[k] > max * around) {
                max = s->density[k] / around;
                best = k;
            }
        }
        if (best == 0) {
            break;
        }
        add_line(s, skip, best, surroundings(s, skip, best), limit);
    }
    qsort(s->line, s->lines, sizeof s->line[0], stronger);
}
