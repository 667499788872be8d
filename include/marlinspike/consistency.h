/* SPDX-License-Identifier: MIT
 * Is the noise of one recording like that of another? To see whether a sheet is right, by a recording and one
 * that was simulated by it. */
#ifndef MARLINSPIKE_CONSISTENCY_H
#define MARLINSPIKE_CONSISTENCY_H

#include "marlinspike/noise.h"
#include "marlinspike/spectrum.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Where the second recording differs most from the first, measured by what may be by chance. */
typedef struct marl_difference {
    int holds;
    double at;    /* averaging time in s, or frequency in Hz */
    double ratio; /* of the second one's deviation or density to the first one's */
    double limit; /* greatest ratio (or 1 / ratio) that would hold there */
} marl_difference;

typedef struct marl_consistency {
    unsigned axes; /* bit 0 x, ...: in both at rest; 0 = nothing to compare */
    int holds;     /* all of them */
    marl_difference allan[3], spectrum[3];
} marl_consistency;

/* Allan deviations an octave apart, and the spectrum in thirds of an octave, of one sensor. They hold within
 * 10 %, or within the scatter that 1 % of all sensors with the same noise exceed anywhere, whichever is
 * wider.
 */
marl_consistency marl_compare_noise(const marl_sensor_noise *noise, const marl_sensor_spectrum *spectrum,
                                    const marl_sensor_noise *other_noise,
                                    const marl_sensor_spectrum *other_spectrum);

#ifdef __cplusplus
}
#endif
#endif
