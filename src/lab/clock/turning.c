/* SPDX-License-Identifier: MIT
 * Mean angular rates over windows of time. */
#include "lab/clock/turning.h"
#include "lab/log/series.h"
#include "lab/maths/statistics.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define JUMP 2.0                           /* degrees, beyond what the gyroscope's fastest reading allows */
#define NORMAL_QUARTILE 0.6744897501960817 /* median of the absolute value, deviation 1 */

marl_status lab_turning_make(lab_turning *turning, size_t n, marl_error *error)
{
    turning->n = n;
    turning->rate = calloc(n + 1, sizeof *turning->rate);
    turning->change = calloc(n + 1, sizeof *turning->change);
    turning->known = calloc(n + 1, 1);
    if (turning->rate == NULL || turning->change == NULL || turning->known == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    return MARL_OK;
}

void lab_turning_free(lab_turning *turning)
{
    free(turning->rate);
    free(turning->change);
    free(turning->known);
    *turning = (lab_turning){0, NULL, NULL, NULL};
}

/* The rotation vector from a to b in the body of a, over so many seconds. */
static void mean_rate(marl_quat a, marl_quat b, double seconds, double rate[3])
{
    marl_quat e = marl_quat_product(marl_quat_conjugate(a), b);
    double w = (double)e.w, v[3] = {(double)e.x, (double)e.y, (double)e.z};
    double sine = sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]);
    double angle = 2 * atan2(sine, fabs(w)) * (w < 0 ? -1 : 1);
    for (int i = 0; i < 3; i++) {
        rate[i] = sine > 0 ? angle / sine * v[i] / seconds : 0;
    }
}

marl_status lab_turning_of_series(lab_turning *turning, const marl_series *series, const int64_t *edge_ns,
                                  int64_t step_ns, marl_error *error)
{
    int64_t longest_step = lab_longest_step_ns(series);
    size_t place = 0;
    marl_quat *q = calloc(turning->n + 2, sizeof *q);
    char *there = calloc(turning->n + 2, 1);
    if (q == NULL || there == NULL) {
        free(q);
        free(there);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t k = 0; k < turning->n + 2; k++) {
        there[k] = (char)lab_series_at(series, longest_step, edge_ns[k], &place, &q[k]);
    }
    for (size_t k = 0; k < turning->n; k++) {
        int64_t length = edge_ns[k + 2] - edge_ns[k];
        turning->known[k] = (char)(there[k] && there[k + 2] && length >= step_ns && length <= 3 * step_ns);
        memset(turning->rate[k], 0, sizeof turning->rate[k]);
        if (turning->known[k]) {
            mean_rate(q[k], q[k + 2], 1e-9 * (double)length, turning->rate[k]);
        }
    }
    free(q);
    free(there);
    return MARL_OK;
}

void lab_turning_forget_jumps(lab_turning *turning, const marl_series *series, const int64_t *edge_ns,
                              double fastest)
{
    size_t k = 0;
    for (size_t i = 1; i < series->n; i++) {
        const marl_attitude *a = &series->at[i - 1], *b = &series->at[i];
        double most = JUMP * MARL_DEGREE + fastest * 1e-9 * (double)(b->t_ns - a->t_ns);
        if (lab_quat_angle(a->q, b->q) <= most) {
            continue;
        }
        while (k < turning->n && edge_ns[k + 2] <= a->t_ns) {
            k++;
        }
        for (size_t at = k; at < turning->n && edge_ns[at] < b->t_ns; at++) {
            turning->known[at] = 0;
            memset(turning->rate[at], 0, sizeof turning->rate[at]);
        }
    }
}

double lab_gyro_fastest(const marl_log *log)
{
    double most = 0;
    for (size_t i = 0; i < log->n; i++) {
        const marl_vec3 w = log->row[i].sample.gyro;
        if (log->row[i].sample.fresh & MARL_FRESH_GYRO) {
            most = fmax(most, sqrt((double)(w.x * w.x + w.y * w.y + w.z * w.z)));
        }
    }
    return most;
}

double lab_gyro_step_s(const marl_log *log)
{
    double *step = malloc((log->n + 1) * sizeof *step), median = NAN;
    size_t n = 0;
    int64_t before = 0;
    int started = 0;
    for (size_t i = 0; step != NULL && i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (s->fresh & MARL_FRESH_GYRO) {
            step[n] = (double)(s->t_ns - before) * 1e-9;
            n += started ? 1 : 0;
            before = s->t_ns;
            started = 1;
        }
    }
    if (n > 0) {
        median = lab_quantile(step, n, 0.5);
    }
    free(step);
    return median;
}

double lab_gyro_noise(const marl_log *log)
{
    double *size = malloc((log->n + 1) * sizeof *size), sum = 0;
    for (int axis = 0; axis < 3 && size != NULL; axis++) {
        double before[2] = {0, 0};
        size_t seen = 0, n = 0;
        for (size_t i = 0; i < log->n; i++) {
            const marl_vec3 *w = &log->row[i].sample.gyro;
            double now = (double)(axis == 0 ? w->x : axis == 1 ? w->y : w->z);
            if (!(log->row[i].sample.fresh & MARL_FRESH_GYRO)) {
                continue;
            }
            if (seen++ >= 2) {
                size[n++] = fabs(now - 2 * before[1] + before[0]);
            }
            before[0] = before[1];
            before[1] = now;
        }
        double median = n > 0 ? lab_quantile(size, n, 0.5) : 0;
        sum += pow(median / NORMAL_QUARTILE, 2) / 6;
    }
    free(size);
    return sum;
}

/* The rate integrated from reading to reading, by straight lines between them. */
typedef struct integral {
    double longest_s; /* a step longer than this is a gap */
    const marl_sample *last, *next;
    size_t row;
    double sum[3]; /* up to `last` */
    unsigned gaps; /* up to `last` */
} integral;

static const marl_sample *next_reading(const marl_log *log, size_t *row)
{
    while (*row < log->n) {
        const marl_sample *s = &log->row[(*row)++].sample;
        if (s->fresh & MARL_FRESH_GYRO) {
            return s;
        }
    }
    return NULL;
}

static void part_of_step(const integral *g, double seconds, double part[3])
{
    double step = (double)(g->next->t_ns - g->last->t_ns) * 1e-9, bend = 0.5 * seconds / step;
    const marl_vec3 a = g->last->gyro, b = g->next->gyro;
    part[0] = seconds * ((double)a.x + ((double)b.x - (double)a.x) * bend);
    part[1] = seconds * ((double)a.y + ((double)b.y - (double)a.y) * bend);
    part[2] = seconds * ((double)a.z + ((double)b.z - (double)a.z) * bend);
}

/* At the edge of a window. */
typedef struct edge {
    double sum[3], rate[3];
    unsigned gaps;
    int there;
} edge;

/* The integral up to t, which must not go back, the rate at t and the gaps before it. Not there beyond the
 * ends and in a gap. */
static edge integral_at(integral *g, const marl_log *log, int64_t t_ns)
{
    edge at = {.there = 0};
    double part[3];
    while (g->next != NULL && g->next->t_ns <= t_ns) {
        double step = (double)(g->next->t_ns - g->last->t_ns) * 1e-9;
        part_of_step(g, step, part);
        for (int i = 0; i < 3; i++) {
            g->sum[i] += part[i];
        }
        g->gaps += step > g->longest_s;
        g->last = g->next;
        g->next = next_reading(log, &g->row);
    }
    if (g->next == NULL || g->last->t_ns > t_ns) {
        return at;
    }
    double step = (double)(g->next->t_ns - g->last->t_ns) * 1e-9;
    if (step > g->longest_s) {
        return at;
    }
    double since = (double)(t_ns - g->last->t_ns) * 1e-9;
    const marl_vec3 a = g->last->gyro, b = g->next->gyro;
    const double from[3] = {(double)a.x, (double)a.y, (double)a.z};
    const double to[3] = {(double)b.x, (double)b.y, (double)b.z};
    part_of_step(g, since, part);
    for (int i = 0; i < 3; i++) {
        at.sum[i] = g->sum[i] + part[i];
        at.rate[i] = from[i] + (to[i] - from[i]) * since / step;
    }
    at.gaps = g->gaps;
    at.there = 1;
    return at;
}

marl_status lab_turning_of_gyro(lab_turning *turning, const marl_log *log, const int64_t *edge_ns,
                                marl_error *error)
{
    integral g = {.longest_s = LAB_GAP_IN_STEPS * lab_gyro_step_s(log)};
    edge *at = calloc(turning->n + 2, sizeof *at);
    if (at == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    g.last = next_reading(log, &g.row);
    g.next = next_reading(log, &g.row);
    for (size_t k = 0; k < turning->n + 2 && g.last != NULL; k++) {
        at[k] = integral_at(&g, log, edge_ns[k]);
    }
    for (size_t k = 0; k < turning->n; k++) {
        const edge *a = &at[k], *b = &at[k + 2];
        double seconds = 1e-9 * (double)(edge_ns[k + 2] - edge_ns[k]);
        int known = a->there && b->there && a->gaps == b->gaps && seconds > 0;
        turning->known[k] = (char)known;
        for (int i = 0; i < 3; i++) {
            turning->rate[k][i] = known ? (b->sum[i] - a->sum[i]) / seconds : 0;
            turning->change[k][i] = known ? (b->rate[i] - a->rate[i]) / seconds : 0;
        }
    }
    free(at);
    return MARL_OK;
}
