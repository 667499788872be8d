/* SPDX-License-Identifier: MIT
 * Comparison with a reference: errors and what is made of them. */
#include "marlinspike/compare.h"
#include "lab/compare/measures.h"
#include "lab/log/series.h"
#include "lab/maths/statistics.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

/* The arc whose tangent is s / c, c >= 0; most errors are small, and the series is faster. */
static double arc(double s, double c)
{
    double t = s / c, u = t * t;
    return u < 0.0025 ? t * (1 - u * (1.0 / 3 - u * (0.2 - u / 7))) : atan2(s, c);
}

/* Sine, squared, of half of the tilt of 179 degrees from which on there is no heading. */
#define UPSIDE_DOWN 0.99992384

marl_error_angles marl_error_between(marl_quat estimate, marl_quat reference)
{
    marl_quat e = marl_quat_product(estimate, marl_quat_conjugate(reference));
    double sign = e.w < 0 ? -1 : 1, w = sign * (double)e.w, z = sign * (double)e.z;
    double x = (double)e.x, y = (double)e.y, level = x * x + y * y;
    marl_error_angles angles;
    angles.total_deg = 2 * arc(sqrt(level + z * z), w) / MARL_DEGREE;
    angles.tilt_deg = 2 * arc(sqrt(level), sqrt(w * w + z * z)) / MARL_DEGREE;
    /* the twist about z turns counter-clockwise, a compass clockwise */
    double twist = 2 * arc(z, w);
    angles.heading_deg = angles.tilt_deg > 179 ? NAN : (twist == 0 ? 0 : -twist / MARL_DEGREE);
    if (angles.heading_deg <= -180) {
        angles.heading_deg += 360;
    }
    return angles;
}

#define SMALL_SINE2 0.0025 /* of half an angle of 5.7 degrees: the series below is within 1e-9 of it */

/* Square of the angle whose half has this sine, squared; radians. */
static double square_of_angle(double sine2)
{
    if (sine2 < SMALL_SINE2) {
        return 4 * sine2 * (1 + sine2 * (1.0 / 3 + sine2 * (8.0 / 45 + sine2 * (4.0 / 35))));
    }
    double half = asin(sqrt(sine2 < 1 ? sine2 : 1));
    return 4 * half * half;
}

void lab_error_squares(marl_quat estimate, marl_quat reference, unsigned parts, lab_error_square *sum)
{
    marl_quat e = marl_quat_product(estimate, marl_quat_conjugate(reference));
    double x = (double)e.x, y = (double)e.y, z = (double)e.z, level = x * x + y * y;
    sum->n++;
    sum->total += square_of_angle(level + z * z);
    if (parts & LAB_SQUARES_OF_PARTS) {
        double w = (double)e.w;
        int upright = level < UPSIDE_DOWN;
        sum->tilt += square_of_angle(level);
        sum->heading += upright ? square_of_angle(z * z / (w * w + z * z)) : 0;
        sum->headings += (size_t)upright;
    }
}

/* Which samples count, and scratch memory for the sorting. */
typedef struct selection {
    const unsigned char *held; /* of each sample the set of conditions that hold */
    unsigned char wanted;      /* 0 = all samples */
    double *value;
} selection;

static int counts(const selection *s, size_t i)
{
    return s->wanted == 0 || (s->held[i] & s->wanted) != 0;
}

static marl_measure measure(const marl_comparison *c, const selection *s,
                            double (*of)(const marl_error_angles *))
{
    marl_measure m = {NAN, NAN, NAN, NAN};
    size_t n = 0;
    double sum = 0, squares = 0, largest = 0;
    for (size_t i = 0; i < c->n; i++) {
        double v = fabs(of(&c->error[i]));
        if (counts(s, i) && isfinite(v)) {
            s->value[n++] = v;
            sum += v;
            squares += v * v;
            largest = v > largest ? v : largest;
        }
    }
    if (n > 0) {
        m.rms = sqrt(squares / (double)n);
        m.mean = sum / (double)n;
        m.p95 = lab_quantile(s->value, n, 0.95);
        m.max = largest;
    }
    return m;
}

static double total_of(const marl_error_angles *e)
{
    return e->total_deg;
}

static double tilt_of(const marl_error_angles *e)
{
    return e->tilt_deg;
}

static double heading_of(const marl_error_angles *e)
{
    return e->heading_deg;
}

static marl_measures measure_all(const marl_comparison *c, const selection *s)
{
    marl_measures m = {.n = 0};
    for (size_t i = 0; i < c->n; i++) {
        m.n += (size_t)counts(s, i);
    }
    m.share = (double)m.n / (double)c->n;
    m.total = measure(c, s, total_of);
    m.tilt = measure(c, s, tilt_of);
    m.heading = measure(c, s, heading_of);
    return m;
}

static void mark(const marl_comparison *c, const marl_conditions *conditions, unsigned char *held)
{
    for (unsigned k = 0; k < MARL_CONDITION_COUNT; k++) {
        size_t place = 0;
        for (size_t i = 0; i < c->n; i++) {
            held[i] |= (unsigned char)(marl_spans_hold(&conditions->spans[k], c->t_ns[i], &place) << k);
        }
    }
}

static marl_status measure_by_condition(marl_comparison *c, const marl_conditions *conditions,
                                        marl_error *error)
{
    unsigned char *held = calloc(c->n + 1, 1);
    selection s = {held, 0, malloc((c->n + 1) * sizeof *s.value)};
    marl_status status = MARL_OK;
    if (held == NULL || s.value == NULL) {
        status = marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    } else {
        c->all = measure_all(c, &s);
        if (conditions != NULL) {
            mark(c, conditions, held);
        }
        for (int i = 0; i < MARL_CONDITION_COUNT && conditions != NULL; i++) {
            s.wanted = (unsigned char)(1 << i);
            c->by_condition[i] = measure_all(c, &s);
        }
    }
    free(held);
    free(s.value);
    return status;
}

static marl_status align(const marl_series *estimate, const marl_series *reference, marl_comparison *c,
                         marl_error *error)
{
    int64_t longest = lab_longest_step_ns(reference);
    size_t place = 0;
    c->t_ns = calloc(estimate->n + 1, sizeof *c->t_ns);
    c->error = calloc(estimate->n + 1, sizeof *c->error);
    if (c->t_ns == NULL || c->error == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < estimate->n; i++) {
        marl_quat q;
        if (lab_series_at(reference, longest, estimate->at[i].t_ns, &place, &q)) {
            c->t_ns[c->n] = estimate->at[i].t_ns;
            c->error[c->n++] = marl_error_between(estimate->at[i].q, q);
        }
    }
    if (c->n == 0) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "estimate and reference have no time in common: their clocks must agree");
    }
    return MARL_OK;
}

marl_status marl_compare(const marl_series *estimate, const marl_series *reference,
                         const marl_conditions *conditions, marl_comparison *comparison, marl_error *error)
{
    memset(comparison, 0, sizeof *comparison);
    marl_status status = align(estimate, reference, comparison, error);
    status = status != MARL_OK ? status : measure_by_condition(comparison, conditions, error);
    if (status != MARL_OK) {
        marl_comparison_free(comparison);
        return status;
    }
    comparison->settle_s = lab_settle_s(comparison);
    comparison->lost_s = lab_lost_s(comparison);
    comparison->drift_deg_per_h = lab_drift_deg_per_h(comparison);
    comparison->jitter_deg = NAN;
    if (conditions != NULL) {
        const marl_spans *still = &conditions->spans[MARL_CONDITION_STILL];
        status = lab_find_jitter_deg(estimate, still, &comparison->jitter_deg, error);
    }
    status = status != MARL_OK ? status : lab_find_lag_ms(estimate, reference, &comparison->lag_ms, error);
    if (status != MARL_OK) {
        marl_comparison_free(comparison);
    }
    return status;
}

void marl_comparison_free(marl_comparison *comparison)
{
    free(comparison->t_ns);
    free(comparison->error);
    comparison->t_ns = NULL;
    comparison->error = NULL;
    comparison->n = 0;
}
