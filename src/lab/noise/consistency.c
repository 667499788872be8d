/* SPDX-License-Identifier: MIT
 * Noise against noise. */
#include "lab/maths/statistics.h"
#include "marlinspike/inspect.h"
#include <math.h>

#define MIN_LIMIT 1.1
#define CHANCE 0.01
enum { OCTAVE = 4, MAX_PLACES = MARL_ALLAN_MAX };

/* One estimate at each place, with its scatter (of its logarithm, one deviation). */
typedef struct estimates {
    size_t n;
    double at[MAX_PLACES], value[MAX_PLACES], scatter[MAX_PLACES];
} estimates;

static void add(estimates *e, double at, double value, double low, double high)
{
    if (value > 0 && isfinite(high) && low > 0 && e->n < MAX_PLACES) {
        e->at[e->n] = at;
        e->value[e->n] = value;
        e->scatter[e->n] = fmax(log(high / value), log(value / low)) / LAB_DEVIATIONS_99;
        e->n++;
    }
}

static estimates of_allan(const marl_allan *allan)
{
    estimates e = {0};
    for (size_t i = 0; i < allan->n; i += OCTAVE) {
        const marl_allan_point *p = &allan->point[i];
        add(&e, p->tau_s, p->deviation, p->low, p->high);
    }
    return e;
}

static estimates of_bands(const marl_spectrum *s)
{
    estimates e = {0};
    for (size_t i = 0; i < s->bands; i++) {
        add(&e, s->band[i].hz, s->band[i].density, s->band[i].low, s->band[i].high);
    }
    return e;
}

/* The value at a place, by straight lines between the logarithms; 0 outside. */
static int read_at(const estimates *e, double at, double *value, double *scatter)
{
    for (size_t i = 0; i + 1 < e->n; i++) {
        if (at >= e->at[i] * (1 - 1e-9) && at <= e->at[i + 1] * (1 + 1e-9)) {
            double share = log(at / e->at[i]) / log(e->at[i + 1] / e->at[i]);
            *value = exp(log(e->value[i]) + share * log(e->value[i + 1] / e->value[i]));
            *scatter = e->scatter[i] + share * (e->scatter[i + 1] - e->scatter[i]);
            return 1;
        }
    }
    return 0;
}

static marl_difference compare(const estimates *a, const estimates *b, double deviations)
{
    marl_difference worst = {1, NAN, NAN, NAN};
    double max = -1;
    for (size_t i = 0; i < a->n; i++) {
        double value, scatter;
        if (!read_at(b, a->at[i], &value, &scatter)) {
            continue;
        }
        double ratio = value / a->value[i];
        double limit = fmax(log(MIN_LIMIT), deviations * hypot(scatter, a->scatter[i]));
        if (fabs(log(ratio)) / limit > max) {
            max = fabs(log(ratio)) / limit;
            worst = (marl_difference){max <= 1, a->at[i], ratio, exp(limit)};
        }
    }
    return worst;
}

marl_consistency marl_compare_noise(const marl_sensor_noise *noise, const marl_sensor_spectrum *spectrum,
                                    const marl_sensor_noise *other_noise,
                                    const marl_sensor_spectrum *other_spectrum)
{
    estimates e[2][2][3];
    marl_consistency like = {.holds = 1};
    size_t places = 0;
    if (!spectrum->at_rest || !other_spectrum->at_rest) {
        return (marl_consistency){0};
    }
    like.axes = noise->axes & other_noise->axes & spectrum->axes & other_spectrum->axes;
    for (int k = 0; k < 3; k++) {
        e[0][0][k] = of_allan(&noise->allan[k]);
        e[0][1][k] = of_allan(&other_noise->allan[k]);
        e[1][0][k] = of_bands(&spectrum->spectrum[k]);
        e[1][1][k] = of_bands(&other_spectrum->spectrum[k]);
        places += like.axes & (1u << k) ? e[0][0][k].n + e[1][0][k].n : 0;
    }
    /* both sides, at any of the places */
    double deviations = places > 0 ? lab_normal_deviation(CHANCE / 2 / (double)places) : 0;
    for (int k = 0; k < 3; k++) {
        if (like.axes & (1u << k)) {
            like.allan[k] = compare(&e[0][0][k], &e[0][1][k], deviations);
            like.spectrum[k] = compare(&e[1][0][k], &e[1][1][k], deviations);
            like.holds = like.holds && like.allan[k].holds && like.spectrum[k].holds;
        }
    }
    like.holds = like.holds && like.axes != 0;
    return like;
}
