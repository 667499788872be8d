/* SPDX-License-Identifier: MIT
 * Settling, drift, jitter at rest and lag. */
#include "measures.h"
#include "series.h"
#include <math.h>
#include <stdlib.h>

#define DEGREE 0.017453292519943295
#define SETTLED_DEG 2.0
#define SETTLED_NS INT64_C(5000000000)
#define LEAST_DRIFT_S 60.0
#define LAG_RANGE_S 1.0
#define LAG_GRID 100       /* coarse steps on either side of zero */
#define LAG_FINE 5         /* fine steps in a coarse one */
#define LAG_LEAST_RATE 5.0 /* deg/s rms of the reference: less tells nothing about lag */
#define LAG_MOST_POINTS 4000

double lab_settle_s(const marl_comparison *c)
{
    size_t from = 0;
    int inside = 0;
    for (size_t i = 0; i < c->n; i++) {
        if (!(c->error[i].total_deg < SETTLED_DEG)) {
            inside = 0;
        } else if (!inside) {
            inside = 1;
            from = i;
        }
        if (inside && c->t_ns[i] - c->t_ns[from] >= SETTLED_NS) {
            return (double)(c->t_ns[from] - c->t_ns[0]) * 1e-9;
        }
    }
    return NAN;
}

/* Least-squares slope of the heading error, its turns counted on. */
double lab_drift_deg_per_h(const marl_comparison *c)
{
    double n = 0, st = 0, sh = 0, stt = 0, sth = 0, turns = 0, before = NAN;
    if ((double)(c->t_ns[c->n - 1] - c->t_ns[0]) * 1e-9 < LEAST_DRIFT_S) {
        return NAN;
    }
    for (size_t i = 0; i < c->n; i++) {
        double h = c->error[i].heading_deg;
        if (!isfinite(h)) {
            continue;
        }
        turns -= isfinite(before) ? 360 * round((h - before) / 360) : 0;
        before = h;
        h += turns;
        double t = (double)(c->t_ns[i] - c->t_ns[0]) * 1e-9 / 3600;
        n++;
        st += t;
        sh += h;
        stt += t * t;
        sth += t * h;
    }
    double spread = n * stt - st * st;
    return spread > 0 ? (n * sth - st * sh) / spread : NAN;
}

/* Sums of the attitudes before each one, in double, signs kept alike along the way: the sum over any window
 * is a difference of two. NULL without memory. */
static double (*running_sums(const marl_series *s))[4]
{
    double(*sum)[4] = calloc(s->n + 1, sizeof *sum);
    double sign = 1;
    for (size_t i = 0; sum != NULL && i < s->n; i++) {
        marl_quat q = s->at[i].q, p = s->at[i > 0 ? i - 1 : 0].q;
        float dot = q.w * p.w + q.x * p.x + q.y * p.y + q.z * p.z;
        sign = dot < 0 ? -sign : sign;
        sum[i + 1][0] = sum[i][0] + sign * (double)q.w;
        sum[i + 1][1] = sum[i][1] + sign * (double)q.x;
        sum[i + 1][2] = sum[i][2] + sign * (double)q.y;
        sum[i + 1][3] = sum[i][3] + sign * (double)q.z;
    }
    return sum;
}

static marl_quat mean_attitude(const double before[4], const double after[4])
{
    marl_quat sum = {(float)(after[0] - before[0]), (float)(after[1] - before[1]),
                     (float)(after[2] - before[2]), (float)(after[3] - before[3])};
    return lab_quat_mix(sum, 1.0, sum, 0.0);
}

/* Whole 1 s windows around each attitude, inside one span of rest. */
double lab_jitter_deg(const marl_series *s, const marl_spans *still)
{
    const int64_t half = INT64_C(500000000);
    double squares = 0, n = 0;
    size_t first = 0, last = 0, span = 0;
    double(*sum)[4] = running_sums(s);
    for (size_t i = 0; sum != NULL && i < s->n; i++) {
        int64_t t = s->at[i].t_ns;
        if (!marl_spans_hold(still, t, &span) || t - half < still->span[span].from_ns ||
            t + half > still->span[span].to_ns) {
            continue;
        }
        while (s->at[first].t_ns < t - half) {
            first++;
        }
        while (last + 1 < s->n && s->at[last + 1].t_ns <= t + half) {
            last++;
        }
        double angle = lab_quat_angle(s->at[i].q, mean_attitude(sum[first], sum[last + 1]));
        squares += angle * angle;
        n++;
    }
    free(sum);
    return n > 0 ? sqrt(squares / n) / DEGREE : NAN;
}

static double rate_rms_deg(const marl_series *s)
{
    double squares = 0, seconds = 0;
    for (size_t i = 1; i < s->n; i++) {
        double dt = (double)(s->at[i].t_ns - s->at[i - 1].t_ns) * 1e-9;
        double angle = lab_quat_angle(s->at[i].q, s->at[i - 1].q) / DEGREE;
        squares += angle * angle / dt;
        seconds += dt;
    }
    return seconds > 0 ? sqrt(squares / seconds) : 0;
}

/* rms error of the estimate against the reference `lag` seconds earlier. */
static double rms_at_lag(const marl_series *estimate, const marl_series *reference, int64_t longest,
                         double lag)
{
    size_t stride = estimate->n / LAG_MOST_POINTS + 1, place = 0;
    double squares = 0, n = 0;
    for (size_t i = 0; i < estimate->n; i += stride) {
        marl_quat q;
        int64_t t = estimate->at[i].t_ns - (int64_t)llround(lag * 1e9);
        if (lab_series_at(reference, longest, t, &place, &q)) {
            double angle = lab_quat_angle(estimate->at[i].q, q);
            squares += angle * angle;
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

/* Fills rms[0 .. 2 n] for the shifts centre + (k - n) step, and returns the k of the least. */
static int search_lags(const marl_series *estimate, const marl_series *reference, int64_t longest,
                       double centre, double step, int n, double *rms)
{
    int best = 0;
    for (int k = 0; k <= 2 * n; k++) {
        rms[k] = rms_at_lag(estimate, reference, longest, centre + (k - n) * step);
        best = rms[k] < rms[best] ? k : best;
    }
    return best;
}

/* A grid fine enough for vibration, then a finer one from neighbour to neighbour, then a parabola. */
double lab_lag_ms(const marl_series *estimate, const marl_series *reference)
{
    double step = lab_median_step_s(reference), rms[2 * LAG_GRID + 1];
    if (!(rate_rms_deg(reference) >= LAG_LEAST_RATE) || estimate->n < 2) {
        return NAN;
    }
    int64_t longest = (int64_t)(5 * step * 1e9);
    const double coarse = LAG_RANGE_S / LAG_GRID, fine = coarse / LAG_FINE;
    int best = search_lags(estimate, reference, longest, 0, coarse, LAG_GRID, rms);
    if (best == 0 || best == 2 * LAG_GRID) {
        return NAN; /* the least error lies elsewhere */
    }
    double lag = (best - LAG_GRID) * coarse;
    best = search_lags(estimate, reference, longest, lag, fine, LAG_FINE, rms);
    lag += (best - LAG_FINE) * fine;
    if (best > 0 && best < 2 * LAG_FINE) {
        lag += fine * parabola_offset(rms[best - 1], rms[best], rms[best + 1]);
    }
    return 1e3 * lag;
}
