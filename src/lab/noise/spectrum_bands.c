/* SPDX-License-Identifier: MIT
 * Mean power of a spectrum in third-octave bands. */
#include "lab/noise/spectrum_parts.h"
#include <math.h>

#define THIRD 1.2599210498948732 /* a third of an octave */
#define NEXT_SHARE 0.444444      /* squared correlation of a bin with the next under a raised cosine ... */
#define SECOND_SHARE 0.027778    /* ... and with the one behind that */
enum { FIRST_BIN = 4 };

double lab_spectrum_dof(const marl_spectrum *s, double bins)
{
    double shared = NEXT_SHARE * (bins - 1) + SECOND_SHARE * fmax(0, bins - 2);
    return s->dof * bins / (1 + 2 * shared / bins);
}

/* Mean power of the bins [from, to), those that are part of a line left out. Returns how many there were. */
static size_t mean_power(const marl_spectrum *s, size_t from, size_t to, const unsigned char *skip,
                         double *mean)
{
    size_t n = 0;
    *mean = 0;
    for (size_t k = from; k < to; k++) {
        if (skip == NULL || !skip[k]) {
            *mean += s->density[k];
            n++;
        }
    }
    *mean /= n > 0 ? (double)n : 1;
    return n;
}

size_t lab_spectrum_bands(const marl_spectrum *s, const unsigned char *skip, lab_band_power *band)
{
    size_t bands = 0, from = FIRST_BIN;
    double edge = (double)FIRST_BIN;
    while (from + 1 < s->bins && bands < MARL_SPECTRUM_BANDS) {
        edge *= THIRD;
        size_t to = (size_t)ceil(edge - 0.5);
        to = to > from ? to : from + 1;
        to = to < s->bins - 1 ? to : s->bins - 1;
        lab_band_power *b = &band[bands];
        size_t n = mean_power(s, from, to, skip, &b->power);
        if (n > 0) {
            b->from = from;
            b->to = to;
            b->hz = s->step_hz * sqrt((double)from * (double)(to - 1));
            b->dof = lab_spectrum_dof(s, (double)n);
            bands++;
        }
        from = to;
        edge = fmax(edge, (double)to);
    }
    return bands;
}
