/* SPDX-License-Identifier: MIT
 * Curves of bias over temperature. */
#include "lab/calibrate/soak_curve.h"
#include "lab/maths/block_fit.h"
#include "lab/maths/statistics.h"
#include <math.h>

/* Noise of a slope over the temperature goes on for as long as the recording: blocks of several lengths, of
 * which the one that scatters most counts. */
static const double blocks_of[] = {24, 12, 6};
enum {
    LENGTHS = sizeof blocks_of / sizeof blocks_of[0],
    RATE_REACH = 4,
    /* means to either side */ WANDER_PARTS = 12
};
#define LAG_WANDERS                                                                                          \
    1.6 /* 1/f noise in step with the warming, beyond the blocks: by `bench verdicts`, seeds 101 on */
#define ALLAN_OF_FLICKER 0.664 /* Allan deviation of 1/f noise of amplitude 1 at any time */

/* degC/s at a mean, by the straight line through its neighbours. */
double lab_soak_rate(const marl_soak_result *r, size_t i)
{
    size_t from = i > RATE_REACH ? i - RATE_REACH : 0, to = i + RATE_REACH < r->n ? i + RATE_REACH : r->n - 1;
    double t = 0, c = 0, tt = 0, tc = 0, n = (double)(to - from + 1);
    for (size_t k = from; k <= to; k++) {
        t += 1e-9 * (double)(r->point[k].t_ns - r->point[i].t_ns) / n;
        c += r->point[k].degC / n;
    }
    for (size_t k = from; k <= to; k++) {
        double d = 1e-9 * (double)(r->point[k].t_ns - r->point[i].t_ns) - t;
        tt += d * d;
        tc += d * (r->point[k].degC - c);
    }
    return tt > 0 ? tc / tt : 0;
}

/* x of a point; what the known curve leaves there. */
static double left_at(const lab_soak_axis *a, const lab_soak_curve *known, size_t i, double *x)
{
    const marl_soak_point *p = &a->of->point[i];
    *x = (p->degC - a->by.reference) / a->by.scale;
    return p->value[a->axis] - known->term[0] - known->term[1] * *x - known->term[2] * *x * *x;
}

static void add_means(const lab_soak_axis *a, int order, lab_soak_extra extra, const lab_soak_curve *known,
                      lab_block_fit *sums)
{
    for (size_t i = 0; i < a->of->n; i++) {
        double x, left = left_at(a, known, i, &x), row[LAB_BLOCK_FIT_MAX] = {1, x, x * x};
        double slope = (known->term[1] + 2 * known->term[2] * x) / a->by.scale;
        double more = extra == LAB_SOAK_CUBE  ? x * x * x
                      : extra == LAB_SOAK_LAG ? slope * lab_soak_rate(a->of, i)
                                              : 0;
        row[order + 1] = more;
        lab_block_fit_add(sums, a->of->point[i].t_ns, row, left - known->extra * more);
    }
}

/* One round on what is known; the scatter of the blocks is that of what the round before left. */
static int fit_round(const lab_soak_axis *a, int order, lab_soak_extra extra, lab_soak_curve *c)
{
    const marl_soak_result *r = a->of;
    int n = order + 1 + (extra != LAB_SOAK_PLAIN);
    double step[LAB_BLOCK_FIT_MAX] = {0}, covariance[LAB_BLOCK_FIT_MAX * LAB_BLOCK_FIT_MAX],
           sigma[LAB_BLOCK_FIT_MAX] = {0};
    const lab_soak_curve known = *c;
    int64_t length = r->point[r->n - 1].t_ns - r->point[0].t_ns;
    for (int k = 0; k < LENGTHS && blocks_of[k] > 2 * n; k++) { /* fewer blocks say too little */
        lab_block_fit sums;
        lab_block_fit_init(&sums, n, (int64_t)((double)length / blocks_of[k]));
        add_means(a, order, extra, &known, &sums);
        if (!lab_block_fit_solve(&sums, step, covariance)) {
            return 0;
        }
        double paid = (double)sums.blocks / fmax(1, (double)sums.blocks - n);
        for (int i = 0; i < n; i++) {
            double found = sqrt(covariance[i * n + i] * paid);
            sigma[i] = found > sigma[i] ? found : sigma[i];
        }
        c->rms = sqrt(sums.squares / (double)(r->n - (size_t)n));
        c->dof = blocks_of[k] - 1;
    }
    for (int i = 0; i <= order; i++) {
        c->term[i] += step[i];
        c->sigma[i] = sigma[i];
    }
    c->extra += extra != LAB_SOAK_PLAIN ? step[order + 1] : 0;
    c->extra_sigma = extra != LAB_SOAK_PLAIN ? sigma[order + 1] : 0;
    return 1;
}

int lab_soak_fit(const lab_soak_axis *a, int order, lab_soak_extra extra, lab_soak_curve *c)
{
    *c = (lab_soak_curve){.rms = 0};
    int fits = 1;
    for (int round = 0; round < 4 && fits;
         round++) { /* the curve alone first, then with the extra: twice each */
        if (round < 2 || extra != LAB_SOAK_PLAIN) {
            fits = fit_round(a, order, round < 2 ? LAB_SOAK_PLAIN : extra, c);
        }
    }
    return fits;
}

double lab_soak_cube(const lab_soak_axis *a)
{
    lab_soak_curve c;
    return lab_soak_fit(a, LAB_SOAK_MAX_ORDER, LAB_SOAK_CUBE, &c) &&
                   fabs(c.extra) > lab_student_deviation(LAB_SOAK_SEEN, c.dof) * c.extra_sigma
               ? fabs(c.extra)
               : 0;
}

int lab_soak_order(const marl_soak_result *r, lab_soak_scale by)
{
    for (int axis = 0; axis < 3; axis++) { /* what has a cube has a square */
        if (lab_soak_cube(&(lab_soak_axis){r, axis, by}) > 0) {
            return LAB_SOAK_MAX_ORDER;
        }
    }
    for (int order = LAB_SOAK_MAX_ORDER; order > 0; order--) {
        for (int axis = 0; axis < 3; axis++) {
            lab_soak_curve c;
            if (lab_soak_fit(&(lab_soak_axis){r, axis, by}, order, LAB_SOAK_PLAIN, &c) &&
                fabs(c.term[order]) > lab_student_deviation(LAB_SOAK_SEEN, c.dof) * c.sigma[order]) {
                return order;
            }
        }
    }
    return 0;
}

/* Mean over `points` means in a row of what the curve leaves. */
static double left_over(const lab_soak_axis *a, const lab_soak_curve *c, size_t from, size_t points)
{
    double sum = 0, x;
    for (size_t i = from; i < from + points; i++) {
        sum += left_at(a, c, i, &x);
    }
    return sum / (double)points;
}

double lab_soak_wander(const lab_soak_axis *a, const lab_soak_curve *c)
{
    size_t points = a->of->n / WANDER_PARTS;
    double squares = 0, pairs = 0;
    for (size_t i = 0; i + 2 * points <= a->of->n; i++) {
        double step = left_over(a, c, i + points, points) - left_over(a, c, i, points);
        squares += step * step;
        pairs++;
    }
    return pairs > 0 ? sqrt(0.5 * squares / pairs) / ALLAN_OF_FLICKER : NAN;
}

double lab_soak_lag(const marl_soak_result *r, lab_soak_scale by, int order, double *sigma)
{
    double weight = 0, sum = 0;
    for (int axis = 0; axis < 3; axis++) {
        lab_soak_curve plain, c;
        const lab_soak_axis a = {r, axis, by};
        int depends = lab_soak_fit(&a, order, LAB_SOAK_PLAIN, &plain) &&
                      fabs(plain.term[1]) > lab_student_deviation(LAB_SOAK_SEEN, plain.dof) * plain.sigma[1];
        if (depends && lab_soak_fit(&a, order, LAB_SOAK_LAG, &c) && c.extra_sigma > 0) {
            weight += 1 / (c.extra_sigma * c.extra_sigma);
            sum += c.extra / (c.extra_sigma * c.extra_sigma);
        }
    }
    *sigma = weight > 0 ? LAG_WANDERS / sqrt(weight) : INFINITY;
    return weight > 0 ? sum / weight : 0;
}
