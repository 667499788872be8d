/* SPDX-License-Identifier: MIT
 * Settling, loss, drift and jitter at rest. */
#include "lab/compare/measures.h"
#include "lab/log/series.h"
#include <math.h>
#include <stddef.h>
#include <stdlib.h>
#include <string.h>

#define SETTLED_DEG 2.0
#define SETTLED_NS INT64_C(5000000000)
#define LOST_DEG 45.0
#define LOST_NS INT64_C(10000000000)
#define MIN_DRIFT_S 60.0

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

double lab_lost_s(const marl_comparison *c)
{
    size_t from = 0;
    int beyond = 0;
    for (size_t i = 0; i < c->n; i++) {
        int now = c->error[i].tilt_deg > LOST_DEG;
        from = now && !beyond ? i : from;
        beyond = now;
        if (beyond && c->t_ns[i] - c->t_ns[from] >= LOST_NS) {
            return (double)(c->t_ns[from] - c->t_ns[0]) * 1e-9;
        }
    }
    return NAN;
}

/* Least-squares slope of the heading error, its turns counted on. */
double lab_drift_deg_per_h(const marl_comparison *c)
{
    double n = 0, st = 0, sh = 0, stt = 0, sth = 0, turns = 0, before = NAN;
    if ((double)(c->t_ns[c->n - 1] - c->t_ns[0]) * 1e-9 < MIN_DRIFT_S) {
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

/* Sums of the attitudes before each one, in double, with consistent signs: the sum over any window
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
marl_status lab_find_jitter_deg(const marl_series *s, const marl_spans *still, double *jitter,
                                marl_error *error)
{
    const int64_t half = INT64_C(500000000);
    double squares = 0, n = 0;
    size_t first = 0, last = 0, span = 0;
    double(*sum)[4] = running_sums(s);
    if (sum == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < s->n; i++) {
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
    *jitter = n > 0 ? sqrt(squares / n) / MARL_DEGREE : NAN;
    return MARL_OK;
}

static const marl_scalar scalars[MARL_SCALAR_COUNT] = {
    [MARL_SCALAR_SETTLE] = {"settle_s", "settle", "s", 6, 1, offsetof(marl_comparison, settle_s)},
    [MARL_SCALAR_JITTER] = {"jitter_deg", "jitter", "deg", 6, 3, offsetof(marl_comparison, jitter_deg)},
    [MARL_SCALAR_LAG] = {"lag_ms", "lag", "ms", 5, 0, offsetof(marl_comparison, lag_ms)},
    [MARL_SCALAR_DRIFT] = {"drift_deg_per_h", "drift", "deg/h", 6, 0,
                           offsetof(marl_comparison, drift_deg_per_h)},
};

const marl_scalar *marl_scalar_row(marl_scalar_id id)
{
    return &scalars[id];
}

double marl_scalar_value(const marl_comparison *comparison, marl_scalar_id id)
{
    double value;
    memcpy(&value, (const char *)comparison + scalars[id].offset, sizeof value);
    return value;
}
