/* SPDX-License-Identifier: MIT
 * Traces thinned for the eye, and attitudes for a turning body. */
#include "marlinspike/trace.h"
#include <math.h>

enum { MAX_BUCKETS = 700, MAX_FRAMES = 3000 };
#define FRAME_S 0.05 /* at least */
#define NEAR_S 0.5   /* attitudes farther apart are not interpolated */

marl_trace_grid marl_trace_grid_of(double from_s, double to_s, size_t values)
{
    marl_trace_grid g = {.from_s = from_s, .buckets = values / 2 < MAX_BUCKETS ? values / 2 : MAX_BUCKETS};
    g.buckets = g.buckets > 0 ? g.buckets : 1;
    g.width_s = fmax(1e-6, to_s - from_s) / (double)g.buckets;
    return g;
}

double marl_trace_grid_time(const marl_trace_grid *grid, size_t row)
{
    return grid->from_s + (0.5 * (double)row + 0.25) * grid->width_s;
}

void marl_trace_thin(const marl_trace_grid *g, const double *t, const double *value, size_t n, double *rows)
{
    size_t i = 0;
    for (size_t b = 0; b < g->buckets; b++) {
        double end = g->from_s + (double)(b + 1) * g->width_s;
        size_t low = SIZE_MAX, high = SIZE_MAX;
        for (; i < n && (t[i] < end || b + 1 == g->buckets); i++) {
            if (isfinite(value[i])) {
                low = low == SIZE_MAX || value[i] < value[low] ? i : low;
                high = high == SIZE_MAX || value[i] > value[high] ? i : high;
            }
        }
        rows[2 * b] = low != SIZE_MAX ? value[low < high ? low : high] : (double)NAN;
        rows[2 * b + 1] = low != SIZE_MAX ? value[low < high ? high : low] : (double)NAN;
    }
}

marl_frames marl_frames_of(double from_s, double to_s)
{
    marl_frames f = {from_s, fmax(FRAME_S, (to_s - from_s) / (MAX_FRAMES - 1)), 0};
    f.n = (size_t)((to_s - from_s) / f.step_s) + 1;
    return f;
}

/* *at is where to go on. 0 where there is none near. */
static int attitude_at(const marl_series *s, double t, size_t *at, marl_quat *q)
{
    while (*at + 1 < s->n && 1e-9 * (double)s->at[*at + 1].t_ns <= t) {
        (*at)++;
    }
    if (*at + 1 >= s->n) {
        return 0;
    }
    double from = 1e-9 * (double)s->at[*at].t_ns, to = 1e-9 * (double)s->at[*at + 1].t_ns;
    if (t < from || to - from > NEAR_S) {
        return 0;
    }
    *q = marl_slerp(s->at[*at].q, s->at[*at + 1].q, (t - from) / (to - from));
    return 1;
}

void marl_frames_attitudes(const marl_frames *frames, const marl_series *series, marl_quat *q)
{
    size_t at = 0;
    for (size_t i = 0; i < frames->n; i++) {
        if (!attitude_at(series, frames->from_s + (double)i * frames->step_s, &at, &q[i])) {
            q[i] = (marl_quat){0, 0, 0, 0};
        }
    }
}

void marl_frames_errors(const marl_frames *frames, const marl_trace *trace, double *error)
{
    size_t at = 0;
    for (size_t i = 0; i < frames->n; i++) {
        double t = frames->from_s + (double)i * frames->step_s;
        while (at + 1 < trace->n && trace->t[at + 1] <= t) {
            at++;
        }
        int there = trace->n > 0 && fabs(trace->t[at] - t) < NEAR_S;
        error[i] = there ? trace->value[MARL_TRACE_TOTAL][at] : (double)NAN;
    }
}
