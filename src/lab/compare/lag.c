/* SPDX-License-Identifier: MIT
 * The lag of an estimate: the shift of least rms error. */
#include "lab/compare/measures.h"
#include "lab/log/series.h"
#include <math.h>
#include <stdlib.h>

#define RANGE 100 /* coarse steps on either side of zero ... */
#define COARSE_NS INT64_C(10000000)
#define FINE 5       /* fine steps in a coarse one */
#define AROUND 2     /* coarse steps around the best that are searched finely */
#define MIN_RATE 5.0 /* deg/s rms of the reference: less does not determine the lag */
#define MAX_POINTS 3000

/* Steps are short, so that the chord stands for the angle. */
static double rate_rms_deg(const marl_series *s)
{
    double squares = 0, seconds = 0;
    for (size_t i = 1; i < s->n; i++) {
        const marl_quat *a = &s->at[i - 1].q, *b = &s->at[i].q;
        double dt = (double)(s->at[i].t_ns - s->at[i - 1].t_ns) * 1e-9;
        double sign = a->w * b->w + a->x * b->x + a->y * b->y + a->z * b->z < 0 ? -1 : 1;
        double w = (double)b->w - sign * (double)a->w, x = (double)b->x - sign * (double)a->x;
        double y = (double)b->y - sign * (double)a->y, z = (double)b->z - sign * (double)a->z;
        squares += 4 * (w * w + x * x + y * y + z * z) / dt;
        seconds += dt;
    }
    return seconds > 0 ? sqrt(squares / seconds) / MARL_DEGREE : 0;
}

/* The reference on the grid of coarse steps around the estimate's time, 0 where it is not known, and some of
 * the estimate's attitudes with their place on it. */
typedef struct grid {
    size_t places, points;
    marl_quat *reference;
    marl_attitude *estimate;
    size_t *place;
} grid;

static void free_grid(grid *g)
{
    free(g->reference);
    free(g->estimate);
    free(g->place);
}

/* Returns 0 without memory. The attitudes taken lie as close to the grid as the estimate has them. */
static int make_grid(const marl_series *estimate, const marl_series *reference, int64_t longest, grid *g)
{
    int64_t from = estimate->at[0].t_ns - RANGE * COARSE_NS, last = estimate->at[estimate->n - 1].t_ns;
    size_t stride = estimate->n / MAX_POINTS + 1, place = 0;
    g->places = (size_t)((last - from) / COARSE_NS) + RANGE + 2;
    g->points = 0;
    g->reference = calloc(g->places, sizeof *g->reference);
    g->estimate = malloc((estimate->n / stride + 1) * sizeof *g->estimate);
    g->place = malloc((estimate->n / stride + 1) * sizeof *g->place);
    if (g->reference == NULL || g->estimate == NULL || g->place == NULL) {
        return 0;
    }
    for (size_t k = 0; k < g->places; k++) {
        if (!lab_series_at(reference, longest, from + (int64_t)k * COARSE_NS, &place, &g->reference[k])) {
            g->reference[k] = (marl_quat){0, 0, 0, 0};
        }
    }
    for (size_t i = 0; i < estimate->n; i += stride) {
        g->estimate[g->points] = estimate->at[i];
        g->place[g->points++] = (size_t)((estimate->at[i].t_ns - from + COARSE_NS / 2) / COARSE_NS);
    }
    return 1;
}

/* Mean square of the chord between the two at a shift of so many coarse steps: rises with the error, and
 * needs no angle. */
static double chord_at(const grid *g, int lag)
{
    double sum = 0, n = 0;
    for (size_t i = 0; i < g->points; i++) {
        const marl_quat *a = &g->estimate[i].q, *b = &g->reference[(size_t)((int)g->place[i] - lag)];
        double dot = fabs((double)(a->w * b->w + a->x * b->x + a->y * b->y + a->z * b->z));
        n += dot > 0;
        sum += dot > 0 ? 1 - dot : 0;
    }
    return n > 0 ? sum / n : INFINITY;
}

/* rms error of the estimate against the reference `lag_ns` earlier, by twice the sine of half its angle,
 * which has its least where the angle has. */
static double rms_at(const grid *g, const marl_series *reference, int64_t longest, int64_t lag_ns)
{
    size_t place = 0;
    double squares = 0, n = 0;
    for (size_t i = 0; i < g->points; i++) {
        marl_quat q;
        if (lab_series_at(reference, longest, g->estimate[i].t_ns - lag_ns, &place, &q)) {
            marl_quat e = marl_quat_product(g->estimate[i].q, marl_quat_conjugate(q));
            double x = (double)e.x, y = (double)e.y, z = (double)e.z;
            squares += 4 * (x * x + y * y + z * z);
            n++;
        }
    }
    return n > 0 ? sqrt(squares / n) : INFINITY;
}

/* The square of the error is a parabola close to its least value: three points give its place. */
static double parabola_offset(double before, double at, double after)
{
    double curvature = before * before - 2 * at * at + after * after;
    return curvature > 0 ? 0.5 * (before * before - after * after) / curvature : 0;
}

static double fine_ms(const grid *g, const marl_series *reference, int64_t longest, int coarse)
{
    enum { STEPS = 2 * AROUND * FINE };
    const int64_t step = COARSE_NS / FINE, from = (coarse - AROUND) * COARSE_NS;
    double rms[STEPS + 1];
    int best = 0;
    for (int k = 0; k <= STEPS; k++) {
        rms[k] = rms_at(g, reference, longest, from + k * step);
        best = rms[k] < rms[best] ? k : best;
    }
    double within = best > 0 && best < STEPS ? parabola_offset(rms[best - 1], rms[best], rms[best + 1]) : 0;
    return 1e-6 * ((double)from + ((double)best + within) * (double)step);
}

/* A grid fine enough for vibration, then a finer one around its best, then a parabola. */
marl_status lab_find_lag_ms(const marl_series *estimate, const marl_series *reference, double *lag,
                            marl_error *error)
{
    int64_t longest = lab_longest_step_ns(reference);
    grid g = {0, 0, NULL, NULL, NULL};
    double min = INFINITY;
    int best = -RANGE;
    *lag = NAN;
    if (estimate->n < 2 || !(rate_rms_deg(reference) >= MIN_RATE)) {
        return MARL_OK;
    }
    int has_grid = make_grid(estimate, reference, longest, &g);
    if (has_grid) {
        for (int k = -RANGE; k <= RANGE; k++) {
            double chord = chord_at(&g, k);
            best = chord < min ? k : best;
            min = chord < min ? chord : min;
        }
        /* at an end of the range the least error lies elsewhere */
        *lag = best > -RANGE && best < RANGE ? fine_ms(&g, reference, longest, best) : NAN;
    }
    free_grid(&g);
    return has_grid ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
}
