/* SPDX-License-Identifier: MIT
 * Comparison with a reference: errors and what is made of them. */
#include "marlinspike/compare.h"
#include "measures.h"
#include "series.h"
#include "statistics.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define DEGREE 0.017453292519943295

marl_error_angles marl_error_between(marl_quat estimate, marl_quat reference)
{
    marl_quat e = marl_quat_product(estimate, marl_quat_conjugate(reference));
    double w = (double)e.w, x = (double)e.x, y = (double)e.y, z = (double)e.z;
    double level = sqrt(x * x + y * y), upright = sqrt(w * w + z * z);
    marl_error_angles angles;
    angles.total_deg = 2 * atan2(sqrt(x * x + y * y + z * z), fabs(w)) / DEGREE;
    angles.tilt_deg = 2 * atan2(level, upright) / DEGREE;
    /* the twist about z turns counter-clockwise, a compass clockwise */
    double twist = w < 0 ? 2 * atan2(-z, -w) : 2 * atan2(z, w);
    angles.heading_deg = angles.tilt_deg > 179 ? NAN : (twist == 0 ? 0 : -twist / DEGREE);
    if (angles.heading_deg <= -180) {
        angles.heading_deg += 360;
    }
    return angles;
}

/* Of the samples in some spans of time, NULL for all; `room` holds as many values as there are samples. */
static marl_measure measure(const marl_comparison *c, const marl_spans *spans, double *room,
                            double (*of)(const marl_error_angles *))
{
    marl_measure m = {NAN, NAN, NAN, NAN};
    size_t n = 0, place = 0;
    double sum = 0, squares = 0, most = 0;
    for (size_t i = 0; i < c->n; i++) {
        double v = fabs(of(&c->error[i]));
        if (isfinite(v) && (spans == NULL || marl_spans_hold(spans, c->t_ns[i], &place))) {
            room[n++] = v;
            sum += v;
            squares += v * v;
            most = v > most ? v : most;
        }
    }
    if (n > 0) {
        m.rms = sqrt(squares / (double)n);
        m.mean = sum / (double)n;
        m.p95 = lab_quantile(room, n, 0.95);
        m.max = most;
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

static marl_measures measure_all(const marl_comparison *c, const marl_spans *spans, double *room)
{
    marl_measures m = {.n = spans == NULL ? c->n : 0};
    size_t place = 0;
    for (size_t i = 0; i < c->n && spans != NULL; i++) {
        m.n += (size_t)marl_spans_hold(spans, c->t_ns[i], &place);
    }
    m.share = (double)m.n / (double)c->n;
    m.total = measure(c, spans, room, total_of);
    m.tilt = measure(c, spans, room, tilt_of);
    m.heading = measure(c, spans, room, heading_of);
    return m;
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
        return marl_fail(error, MARL_ERR_EVIDENCE,
                         "estimate and reference have no time in common: their clocks must agree");
    }
    return MARL_OK;
}

marl_status marl_compare(const marl_series *estimate, const marl_series *reference,
                         const marl_conditions *conditions, marl_comparison *comparison, marl_error *error)
{
    memset(comparison, 0, sizeof *comparison);
    marl_status status = align(estimate, reference, comparison, error);
    double *room = malloc((comparison->n + 1) * sizeof *room);
    if (status == MARL_OK && room == NULL) {
        status = marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    if (status != MARL_OK || room == NULL) {
        free(room);
        marl_comparison_free(comparison);
        return status;
    }
    comparison->all = measure_all(comparison, NULL, room);
    for (int i = 0; i < MARL_CONDITION_COUNT && conditions != NULL; i++) {
        comparison->by_condition[i] = measure_all(comparison, &conditions->spans[i], room);
    }
    free(room);
    comparison->settle_s = lab_settle_s(comparison);
    comparison->lost_s = lab_lost_s(comparison);
    comparison->drift_deg_per_h = lab_drift_deg_per_h(comparison);
    comparison->jitter_deg =
        conditions != NULL ? lab_jitter_deg(estimate, &conditions->spans[MARL_CONDITION_STILL]) : NAN;
    comparison->lag_ms = lab_lag_ms(estimate, reference);
    return MARL_OK;
}

void marl_comparison_free(marl_comparison *comparison)
{
    free(comparison->t_ns);
    free(comparison->error);
    comparison->t_ns = NULL;
    comparison->error = NULL;
    comparison->n = 0;
}
