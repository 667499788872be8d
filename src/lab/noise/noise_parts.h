/* SPDX-License-Identifier: MIT
 * Spectrum, Allan deviation and noise coefficients of readings in memory. */
#ifndef LAB_NOISE_PARTS_H
#define LAB_NOISE_PARTS_H

#include "marlinspike/inspect.h"

/* Averaged periodograms of half-overlapping segments under a raised cosine: "The use of fast Fourier
 * transform for the estimation of power spectra" (1967). A line stands out of its surroundings so far that
 * noise does so in one spectrum of a thousand. The corner is that of the best fit of filtered white noise,
 * flicker, walk and unfiltered noise to the bands, seen where leaving it out costs more than three
 * deviations. MARL_ERR_INSUFFICIENT under MARL_SPECTRUM_MIN readings, MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_spectrum_of(const double *value, size_t n, double step_s,
                                         marl_spectrum *spectrum, marl_error *error);

/* Overlapping Allan deviation of n readings, step_s apart: "Properties of signal sources and measurement
 * methods" (1981); confidence from the chi-square distribution by "The distribution of chi-square" (1931).
 * MARL_ERR_INSUFFICIENT under 16 readings, MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_allan_of(const double *value, size_t n, double step_s, marl_allan *allan,
                                      marl_error *error);

/* White, flicker and walk together, by a weighted fit to the Allan variances an octave apart, with what a
 * low-pass takes away as a further term where it is seen. Flicker and walk are given only where leaving
 * them out makes the fit worse by three standard deviations. All are NaN when the recording is too short
 * for the fit or never changes. */
void lab_noise_fit(const marl_allan *allan, marl_noise *noise);

#endif
