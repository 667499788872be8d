/* SPDX-License-Identifier: MIT
 * The spectrum of a sensor: its noise by frequency, the corner of its own low-pass, and lines. */
#ifndef MARLINSPIKE_SPECTRUM_H
#define MARLINSPIKE_SPECTRUM_H

#include "marlinspike/error.h"
#include "marlinspike/inspect.h"

#ifdef __cplusplus
extern "C" {
#endif

enum {
    MARL_SPECTRUM_MIN = 256, /* readings */
    MARL_SPECTRUM_SEGMENT = 8192,
    MARL_SPECTRUM_BINS = MARL_SPECTRUM_SEGMENT / 2 + 1,
    MARL_SPECTRUM_BANDS = 48,
    MARL_SPECTRUM_LINES = 8
};

/* A third of an octave. */
typedef struct marl_band {
    double hz;        /* geometric middle */
    double density;   /* as below */
    double low, high; /* 99 % of the time the true value lies between */
} marl_band;

/* Something that swings at one frequency. */
typedef struct marl_line {
    double hz;
    double amplitude; /* of the swing, in the sensor's unit */
    double above;     /* its density over that of its surroundings */
} marl_line;

typedef struct marl_spectrum {
    double rate_hz, step_hz; /* of the readings; between bins */
    size_t segments;         /* that were averaged, half overlapping */
    double dof;              /* equivalent degrees of freedom of a bin */
    size_t bins;
    double
        density[MARL_SPECTRUM_BINS]; /* unit/sqrt(Hz) at bin * step_hz: square root of the two-sided density,
                                        so that white noise stands at its `white`; bin 0 is left out (NaN) */
    size_t bands;
    marl_band band[MARL_SPECTRUM_BANDS];
    size_t lines;
    marl_line line[MARL_SPECTRUM_LINES]; /* strongest first */
    double low_pass_hz, low_pass_sigma;  /* corner of a flattest second-order low-pass that the noise went
                                            through, and its standard error; NaN where none is seen */
} marl_spectrum;

/* Averaged periodograms of half-overlapping segments under a raised cosine: "The use of fast Fourier
 * transform for the estimation of power spectra" (1967). A line stands out of its surroundings so far that
 * noise does so in one spectrum of a thousand. The corner is that of the best fit of filtered white noise,
 * flicker, walk and unfiltered noise to the bands, seen where leaving it out costs more than three
 * deviations. MARL_ERR_INSUFFICIENT under MARL_SPECTRUM_MIN readings, MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_spectrum_of(const double *value, size_t n, double step_s,
                                          marl_spectrum *spectrum, marl_error *error);

/* The spectra of one sensor. */
typedef struct marl_sensor_spectrum {
    unsigned axes;  /* bit 0 x, ...: which are there; 0 = none */
    int at_rest;    /* else from the longest run of readings without a gap, motion and all; without corner */
    double seconds; /* that it is from */
    int64_t from_ns;
    marl_spectrum spectrum[3];
} marl_sensor_spectrum;

/* From the longest rest without a gap, or from the longest run without a gap at all. `axes` is 0 when that
 * has fewer than MARL_SPECTRUM_MIN readings. */
MARL_CHECKED marl_status marl_spectrum_of_log(const marl_log *log, const marl_inspection *inspection,
                                              marl_sensor sensor, int at_rest, marl_sensor_spectrum *spectrum,
                                              marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
