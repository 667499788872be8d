/* SPDX-License-Identifier: MIT
 * Sums of products at every lag, by the Fourier transform. */
#include "lab/maths/correlate.h"
#include <kiss_fftr.h>
#include <math.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>

/* What the transforms work on. */
typedef struct scratch {
    int size;
    size_t bins;
    kiss_fftr_cfg forward, back;
    kiss_fft_scalar *series;
    kiss_fft_cpx *product;
    size_t na, nb; /* lengths of the series */
} scratch;

static int allocate_scratch(scratch *w, const lab_series_set *a, const lab_series_set *b)
{
    w->size = kiss_fftr_next_fast_size_real((int)(a->n + b->n));
    w->bins = (size_t)w->size / 2 + 1;
    w->forward = kiss_fftr_alloc(w->size, 0, NULL, NULL);
    w->back = kiss_fftr_alloc(w->size, 1, NULL, NULL);
    w->series = malloc((size_t)w->size * sizeof *w->series);
    w->product = malloc(w->bins * sizeof *w->product);
    return w->forward != NULL && w->back != NULL && w->series != NULL && w->product != NULL;
}

static void free_scratch(scratch *w)
{
    kiss_fftr_free(w->forward);
    kiss_fftr_free(w->back);
    free(w->series);
    free(w->product);
}

static void transform(scratch *w, const lab_series_set *set, kiss_fft_cpx *out)
{
    for (size_t s = 0; s < set->count; s++) {
        memset(w->series, 0, (size_t)w->size * sizeof *w->series);
        for (size_t i = 0; i < set->n; i++) {
            w->series[i] = (kiss_fft_scalar)set->series[s][i];
        }
        kiss_fftr(w->forward, w->series, out + s * w->bins);
    }
}

static void multiply_back(scratch *w, const kiss_fft_cpx *a, const kiss_fft_cpx *b, float *sums)
{
    size_t na = w->na, nb = w->nb;
    for (size_t i = 0; i < w->bins; i++) {
        w->product[i] = (kiss_fft_cpx){a[i].r * b[i].r + a[i].i * b[i].i, a[i].i * b[i].r - a[i].r * b[i].i};
    }
    kiss_fftri(w->back, w->product, w->series);
    for (size_t i = 0; i < na + nb - 1; i++) {
        size_t at = i + 1 >= nb ? i + 1 - nb : (size_t)w->size + i + 1 - nb;
        sums[i] = w->series[at] / (float)(w->size > 0 ? w->size : 1);
    }
}

marl_status lab_cross_sums(const lab_series_set *a, const lab_series_set *b, float **sums, marl_error *error)
{
    scratch w = {.na = a->n, .nb = b->n};
    size_t lags = a->n + b->n - 1;
    int fits = a->n > 0 && b->n > 0 && lags < (1u << 28) && allocate_scratch(&w, a, b);
    kiss_fft_cpx *of_a = fits ? malloc(a->count * w.bins * sizeof *of_a) : NULL;
    kiss_fft_cpx *of_b = fits ? malloc(b->count * w.bins * sizeof *of_b) : NULL;
    float *all = fits ? malloc(a->count * b->count * lags * sizeof *all) : NULL;
    fits = of_a != NULL && of_b != NULL && all != NULL;
    if (fits) {
        transform(&w, a, of_a);
        transform(&w, b, of_b);
    }
    for (size_t i = 0; fits && i < a->count * b->count; i++) {
        multiply_back(&w, of_a + i / b->count * w.bins, of_b + i % b->count * w.bins, all + i * lags);
    }
    if (!fits) {
        free(all);
        all = NULL;
    }
    free(of_a);
    free(of_b);
    free_scratch(&w);
    *sums = all;
    return fits ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
}

size_t lab_greatest(const double *r, size_t from, size_t to)
{
    size_t best = SIZE_MAX;
    for (size_t i = from; i < to; i++) {
        if (isfinite(r[i]) && (best == SIZE_MAX || r[i] > r[best])) {
            best = i;
        }
    }
    return best;
}

lab_peak lab_peak_of(const double *share, size_t n, size_t best, double rival)
{
    lab_peak p = {best, best, best, SIZE_MAX, 1};
    double enough = 1 - rival * (1 - share[best]);
    while (p.low > 0 && share[p.low - 1] >= enough) {
        p.low--;
    }
    while (p.high + 1 < n && share[p.high + 1] >= enough) {
        p.high++;
    }
    size_t before = lab_greatest(share, 0, p.low), after = lab_greatest(share, p.high + 1, n);
    p.other = before == SIZE_MAX || (after != SIZE_MAX && share[after] > share[before]) ? after : before;
    p.alone = p.other == SIZE_MAX || share[p.other] < enough;
    return p;
}

double lab_peak_place(double before, double at, double after)
{
    double bend = before - 2 * at + after;
    return bend < 0 ? fmax(-0.5, fmin(0.5, 0.5 * (before - after) / bend)) : 0;
}
