/* SPDX-License-Identifier: MIT
 * Allan deviation, the noise of a sensor from it, and whether that of two recordings is alike. */
#ifndef MARLINSPIKE_NOISE_H
#define MARLINSPIKE_NOISE_H

#include "marlinspike/error.h"
#include "marlinspike/inspect.h"
#include "marlinspike/spectrum.h"

#ifdef __cplusplus
extern "C" {
#endif

enum { MARL_ALLAN_MAX = 112 };

/* One averaging time. */
typedef struct marl_allan_point {
    uint32_t samples; /* averaged */
    double tau_s;
    double deviation; /* the sensor's unit */
    double low, high; /* 99 % of the time the true value lies between */
    double dof;       /* equivalent degrees of freedom, for white noise */
} marl_allan_point;

typedef struct marl_allan {
    size_t samples;
    double step_s;
    size_t n;
    marl_allan_point point[MARL_ALLAN_MAX]; /* four an octave, up to a quarter of the recording */
} marl_allan;

/* Overlapping Allan deviation of n readings, step_s apart: "Properties of signal sources and measurement
 * methods" (1981); confidence from the chi-square distribution by "The distribution of chi-square" (1931).
 * MARL_ERR_INSUFFICIENT under 16 readings, MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_allan_of(const double *value, size_t n, double step_s, marl_allan *allan,
                                       marl_error *error);

/* NaN = the recording cannot show it. */
typedef struct marl_noise {
    double white;   /* unit/sqrt(Hz), square root of the two-sided density; Allan deviation white / sqrt(T) */
    double flicker; /* unit; Allan deviation 0.664 flicker at all times */
    double walk;    /* unit/sqrt(s); Allan deviation walk sqrt(T/3) */
    double floor;   /* the least Allan deviation, where the curve has risen again behind it */
    double white_sigma, flicker_sigma, walk_sigma;
    double flicker_max, walk_max; /* where they are NaN: larger ones would have been seen */
} marl_noise;

/* White, flicker and walk together, by a weighted fit to the Allan variances an octave apart, with what a
 * low-pass takes away as a further term where it is seen. Flicker and walk are given only where leaving
 * them out makes the fit worse by three standard deviations. All are NaN when the recording is too short
 * for the fit or never changes. */
void marl_noise_fit(const marl_allan *allan, marl_noise *noise);

/* The noise of one sensor at rest. */
typedef struct marl_sensor_noise {
    unsigned axes;  /* bit 0 x, ...: which were there; 0 = none */
    double seconds; /* of the longest rest without a gap, from which it is */
    int64_t from_ns;
    marl_allan allan[3];
    marl_noise noise[3];
} marl_sensor_noise;

/* A sheet of the sensors whose noise was seen, for the simulator: rate, noise, corner of the spectrum, and
 * the gyroscope's bias from rest; range and resolution from `base` where it has the sensor (it may be NULL),
 * else from the least step between readings. White noise is the root mean square over the axes, flicker and
 * walk the mean of those seen. MARL_ERR_INSUFFICIENT when no sensor's noise was seen. */
MARL_CHECKED marl_status marl_sheet_of_recording(const marl_log *log,
                                                 const marl_sensor_noise noise[MARL_SENSOR_COUNT],
                                                 const marl_sensor_spectrum spectrum[MARL_SENSOR_COUNT],
                                                 const marl_sheet *base, marl_sheet *sheet,
                                                 marl_error *error);

/* From the longest still span of the log without a gap (of over one and a half usual steps). `axes` is 0 when
 * there is none of at least 16 readings. */
MARL_CHECKED marl_status marl_noise_of_log(const marl_log *log, const marl_inspection *inspection,
                                           marl_sensor sensor, marl_sensor_noise *noise, marl_error *error);

/* To see whether a sheet is right, by a recording and one that was simulated by it: where the second differs
 * most from the first, measured by what may be by chance. */
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
