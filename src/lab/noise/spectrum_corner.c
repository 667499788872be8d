/* SPDX-License-Identifier: MIT
 * The corner of a sensor's own low-pass, from the shape of its noise. */
#include "lab/maths/positive_fit.h"
#include "lab/noise/spectrum_parts.h"
#include <math.h>

#define BEND 8.0
#define MIN_CHI_SQUARE 9.0 /* chi-square falls by so much: three deviations */
enum { FILTERED, FLICKER, WALK, UNFILTERED, TERMS, ALIASES = 3, TRIES = 24, ROUNDS = 20, MIN_BANDS = 6 };

/* The flattest second-order low-pass, with what sampling folds back. */
static double passed(double hz, double corner, double rate)
{
    double sum = 0;
    for (int k = -ALIASES; k <= ALIASES; k++) {
        double r = (hz + k * rate) / corner;
        sum += 1 / (1 + r * r * r * r);
    }
    return sum;
}

/* The shares of the bands with the low-pass at a corner; at 0 there is none. */
static void shape(const marl_spectrum *s, const lab_band_power *band, double corner, lab_variances *v)
{
    for (size_t i = 0; i < v->n; i++) {
        double sum = 0, inverse = 0, square = 0, count = (double)(band[i].to - band[i].from);
        for (size_t k = band[i].from; k < band[i].to; k++) {
            double hz = s->step_hz * (double)k;
            sum += corner > 0 ? passed(hz, corner, s->rate_hz) : 1;
            inverse += 1 / hz;
            square += 1 / (hz * hz);
        }
        v->share[i][FILTERED] = sum / count;
        v->share[i][FLICKER] = inverse / count;
        v->share[i][WALK] = square / count;
        v->share[i][UNFILTERED] = 1;
    }
}

static double chi_at(const marl_spectrum *s, const lab_band_power *band, double corner, lab_variances *v,
                     lab_positive_fit *fit)
{
    shape(s, band, corner, v);
    unsigned all = 1u << FILTERED | 1u << FLICKER | 1u << WALK | (corner > 0 ? 1u << UNFILTERED : 0);
    lab_positive_fit_find(v, all, fit);
    return fit->chi;
}

/* Goes down from a place on the logarithmic grid in ever smaller steps, until chi-square rises by no more
 * than BEND on both sides of its least; there it is a parabola, and where it has risen by 1 is one deviation.
 */
static void report_corner(marl_spectrum *s, const lab_band_power *band, lab_variances *v, double place,
                          double step, const double *around)
{
    double chi[3] = {around[-1], around[0], around[1]};
    lab_positive_fit fit;
    for (int round = 0; round < ROUNDS && chi[0] - 2 * chi[1] + chi[2] > BEND; round++) {
        step /= 2;
        chi[0] = chi_at(s, band, exp(place - step), v, &fit);
        chi[2] = chi_at(s, band, exp(place + step), v, &fit);
        for (int down; (down = chi[0] < chi[1] ? -1 : chi[2] < chi[1] ? 1 : 0) != 0;) {
            place += down * step;
            chi[1 - down] = chi[1];
            chi[1] = chi[1 + down];
            chi[1 + down] = chi_at(s, band, exp(place + down * step), v, &fit);
        }
    }
    double bend = chi[0] - 2 * chi[1] + chi[2];
    s->low_pass_hz = exp(place + 0.5 * step * (chi[0] - chi[2]) / bend);
    s->low_pass_sigma = s->low_pass_hz * step * sqrt(2 / bend);
}

void lab_find_corner(marl_spectrum *s, const unsigned char *skip)
{
    lab_band_power band[MARL_SPECTRUM_BANDS];
    lab_variances v = {.terms = TERMS};
    lab_positive_fit fit;
    v.n = lab_spectrum_bands(s, skip, band);
    v.n = v.n < LAB_FIT_POINTS ? v.n : LAB_FIT_POINTS;
    for (size_t i = 0; i < v.n; i++) {
        v.variance[i] = band[i].power;
        v.dof[i] = band[i].dof;
    }
    if (v.n < MIN_BANDS || !(v.variance[0] > 0)) {
        return;
    }
    double without = chi_at(s, band, 0, &v, &fit), chi[TRIES];
    double low = band[1].hz, high = 0.5 * s->rate_hz, step = log(high / low) / (TRIES - 1);
    int best = 0;
    for (int i = 0; i < TRIES; i++) {
        chi[i] = chi_at(s, band, low * exp(i * step), &v, &fit);
        best = chi[i] < chi[best] ? i : best;
    }
    if (best == 0 || best == TRIES - 1 || !(without - chi[best] > MIN_CHI_SQUARE)) {
        return;
    }
    report_corner(s, band, &v, log(low) + best * step, step, chi + best);
}
