/* SPDX-License-Identifier: MIT
 * Averaged periodograms, third-octave bands. */
#include "lab/maths/statistics.h"
#include "lab/noise/noise_parts.h"
#include "lab/noise/spectrum_parts.h"
#include "marlinspike/inspect.h"
#include <kiss_fftr.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define OVERLAP_CORRELATION 0.027778 /* of half-overlapping raised cosines, squared */
enum { MIN_SEGMENT = 32 };

/* As long as eight fit side by side. */
static size_t choose_segment(size_t n)
{
    size_t length = MARL_SPECTRUM_SEGMENT;
    while (length > n / 8 && length > MIN_SEGMENT) {
        length /= 2;
    }
    return length;
}

/* What all segments are transformed with. */
typedef struct segments {
    size_t length;
    kiss_fftr_cfg transform;
    kiss_fft_scalar *series;
    kiss_fft_cpx *out;
    double *window;
} segments;

/* Adds the power of one segment. */
static void add_segment(const segments *s, const double *value, double *power)
{
    size_t length = s->length;
    double mean = 0;
    for (size_t i = 0; i < length; i++) {
        mean += value[i] / (double)length;
    }
    for (size_t i = 0; i < length; i++) {
        s->series[i] = (kiss_fft_scalar)((value[i] - mean) * s->window[i]);
    }
    kiss_fftr(s->transform, s->series, s->out);
    for (size_t k = 0; k <= length / 2; k++) {
        power[k] += (double)s->out[k].r * (double)s->out[k].r + (double)s->out[k].i * (double)s->out[k].i;
    }
}

/* Mean power of all segments, two-sided, in unit^2/Hz. */
static marl_status average(const double *value, size_t n, size_t length, marl_spectrum *s, marl_error *error)
{
    kiss_fftr_cfg transform = kiss_fftr_alloc((int)length, 0, NULL, NULL);
    kiss_fft_scalar *series = malloc(length * sizeof *series);
    kiss_fft_cpx *out = malloc((length / 2 + 1) * sizeof *out);
    double *window = malloc(length * sizeof *window), squares = 0;
    int fits = transform != NULL && series != NULL && out != NULL && window != NULL;
    for (size_t i = 0; fits && i < length; i++) {
        window[i] = 0.5 - 0.5 * cos(2 * LAB_PI * (double)i / (double)length);
        squares += window[i] * window[i];
    }
    for (size_t from = 0; fits && from + length <= n; from += length / 2) {
        add_segment(&(segments){length, transform, series, out, window}, value + from, s->density);
        s->segments++;
    }
    for (size_t k = 0; fits && k < s->bins; k++) {
        s->density[k] /= (double)s->segments * squares * s->rate_hz;
    }
    kiss_fftr_free(transform);
    free(series);
    free(out);
    free(window);
    return fits ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
}

static void find_bands(marl_spectrum *s)
{
    lab_band_power band[MARL_SPECTRUM_BANDS];
    s->bands = lab_spectrum_bands(s, NULL, band);
    for (size_t i = 0; i < s->bands; i++) {
        double nu = band[i].dof;
        s->band[i] = (marl_band){band[i].hz, sqrt(band[i].power), NAN, NAN};
        s->band[i].low = sqrt(band[i].power * nu / lab_chi_square(nu, LAB_DEVIATIONS_99));
        s->band[i].high = sqrt(band[i].power * nu / lab_chi_square(nu, -LAB_DEVIATIONS_99));
    }
}

marl_status lab_spectrum_of(const double *value, size_t n, double step_s, marl_spectrum *s, marl_error *error)
{
    size_t length = choose_segment(n);
    memset(s, 0, sizeof *s);
    s->low_pass_hz = s->low_pass_sigma = NAN;
    if (n < MARL_SPECTRUM_MIN) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "%zu readings in a row; a spectrum needs %d", n,
                         MARL_SPECTRUM_MIN);
    }
    s->rate_hz = 1 / step_s;
    s->step_hz = s->rate_hz / (double)length;
    s->bins = length / 2 + 1;
    MARL_TRY(average(value, n, length, s, error));
    double many = (double)s->segments;
    s->dof = 2 * many / (1 + 2 * OVERLAP_CORRELATION * (many - 1) / many);
    unsigned char skip[MARL_SPECTRUM_BINS] = {0};
    find_bands(s);
    lab_find_lines(s, skip);
    lab_find_corner(s, skip);
    s->density[0] = NAN;
    for (size_t k = 1; k < s->bins; k++) {
        s->density[k] = sqrt(s->density[k]);
    }
    return MARL_OK;
}
