/* SPDX-License-Identifier: MIT
 * Parts of the spectrum. While they are found, `density` holds the power, unit^2/Hz. */
#ifndef LAB_SPECTRUM_PARTS_H
#define LAB_SPECTRUM_PARTS_H

#include "marlinspike/inspect.h"

typedef struct lab_band_power {
    size_t from, to; /* bins */
    double hz, power, dof;
} lab_band_power;

/* Degrees of freedom of the mean of so many bins. */
double lab_spectrum_dof(const marl_spectrum *spectrum, double bins);
/* Third-octave bands, without the bins that are marked in `skip` (may be NULL); returns how many. */
size_t lab_spectrum_bands(const marl_spectrum *spectrum, const unsigned char *skip, lab_band_power *band);

/* Lines, whose bins are marked in `skip`. */
void lab_find_lines(marl_spectrum *spectrum, unsigned char *skip);
/* The corner of the sensor's low-pass. */
void lab_find_corner(marl_spectrum *spectrum, const unsigned char *skip);

#endif
