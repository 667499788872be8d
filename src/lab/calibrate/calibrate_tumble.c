/* SPDX-License-Identifier: MIT
 * The magnetometer from a tumble. */
#include "lab/calibrate/ellipsoid.h"
#include "lab/calibrate/raw_log.h"
#include "lab/calibrate/tumble_parts.h"
#include "lab/inspect/spans.h"
#include "lab/maths/linear.h"
#include "lab/maths/sphere_grid.h"
#include "marlinspike/calibrate.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define MAX_MATRIX_SIGMA 0.05 /* more, and the axes of the ellipsoid are guessed */
#define MIN_COVERAGE 0.2
#define MIN_COVERAGE_LEFT 0.8 /* of the whole recording's, by what is left of it */
#define MAX_SIGMA 0.05        /* of the field */
#define MAX_OUTLIERS 0.4
#define MAX_REST 0.1   /* of the field; larger: the surface is fitted to noise */
#define MIN_FIELD 5    /* uT */
#define MAX_PLACE 0.02 /* of the field: a degree of heading */
#define MIN_F 4.2      /* of an F with 5 and many degrees of freedom: one in a thousand */
enum { MIN_READINGS = 50, SPHERE_UNKNOWNS = 4 };

static int is_same(const double a[3], const double b[3])
{
    return !(fabs(a[0] - b[0]) > 0) && !(fabs(a[1] - b[1]) > 0) && !(fabs(a[2] - b[2]) > 0);
}

static int gather_readings(const marl_log *log, lab_tumble_readings *r)
{
    r->x = malloc((log->n + 1) * sizeof *r->x);
    r->row = malloc((log->n + 1) * sizeof *r->row);
    r->skip = calloc(log->n + 1, 1);
    for (size_t i = 0; i < log->n && r->x != NULL && r->row != NULL; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (s->fresh & MARL_FRESH_MAG) {
            const double v[3] = {(double)s->mag.x, (double)s->mag.y, (double)s->mag.z};
            int again = r->n > 0 && is_same(v, r->x[r->n - 1]);
            r->repeats += (size_t)again; /* of a sensor that is slower than the rows: no reading of its own */
            if (!again) {
                memcpy(r->x[r->n], v, sizeof v);
                r->row[r->n++] = i;
            }
        }
        if (s->fresh & MARL_FRESH_TEMP) {
            lab_moments_add(&r->temp, (double)s->temp);
        }
    }
    return r->x != NULL && r->row != NULL && r->skip != NULL;
}

/* Which cells are seen; the share of them. */
static double find_coverage(const lab_tumble_readings *r, const marl_fit *fit,
                            unsigned char seen[LAB_GRID_MAX])
{
    int cells = lab_grid_cells(LAB_GRID_60), n = 0;
    memset(seen, 0, LAB_GRID_MAX);
    for (size_t i = 0; i < r->n; i++) {
        double v[3];
        marl_fit_apply(fit, r->x[i], NAN, v);
        if (!r->skip[i] && v[0] * v[0] + v[1] * v[1] + v[2] * v[2] > 0) {
            seen[lab_grid_cell(LAB_GRID_60, v)] = 1;
        }
    }
    for (int k = 0; k < cells; k++) {
        n += seen[k];
    }
    return (double)n / cells;
}

/* Half of the way between the extremes of each axis: a rough first result without standard errors. */
static void fit_quick(const lab_tumble_readings *r, double field, marl_calibrated *o)
{
    marl_fit *fit = &o->fit;
    double radius = 0;
    for (int k = 0; k < 3; k++) {
        double min = INFINITY, max = -INFINITY;
        for (size_t i = 0; i < r->n; i++) {
            min = fmin(min, r->x[i][k]);
            max = fmax(max, r->x[i][k]);
        }
        fit->bias[k] = 0.5 * (min + max);
        radius += (max - min) / 6;
        fit->bias_sigma[k] = fit->matrix_sigma[k][0] = fit->matrix_sigma[k][1] = fit->matrix_sigma[k][2] =
            NAN;
    }
    for (int k = 0; k < 3; k++) {
        fit->matrix[k][k] = isnan(field) ? 1 : field / radius;
    }
    fit->present = fit->has_sigma = 1;
    fit->points = (double)r->n;
    fit->field = isnan(field) ? radius : field;
    o->model = "midpoint of the extremes, a rough first result";
}

static marl_status fit_surface(lab_tumble_readings *r, lab_ellipsoid_model model, double field,
                               marl_calibrated *o, marl_error *error)
{
    lab_ellipsoid e;
    marl_status status = lab_ellipsoid_fit_robust(&(lab_points){(const double(*)[3])r->x, r->n, NULL}, model,
                                                  r->skip, &e, error);
    if (status == MARL_OK) {
        lab_ellipsoid_report(&e, field, &o->fit);
        o->model =
            model == LAB_FULL ? "hard and soft iron" : "hard iron alone (errors hold without soft iron)";
    }
    return status;
}

static marl_status list_outliers(const marl_log *log, const lab_tumble_readings *r, marl_tumble_result *t,
                                 marl_error *error)
{
    for (size_t i = 0; i < r->n; i++) {
        if (!r->skip[i]) {
            continue;
        }
        size_t from = i;
        while (i + 1 < r->n && r->skip[i + 1]) {
            i++;
        }
        t->outliers_n += i + 1 - from;
        if (!lab_spans_add(&t->outliers, log->row[r->row[from]].sample.t_ns,
                           log->row[r->row[i]].sample.t_ns)) {
            return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
        }
    }
    return MARL_OK;
}

/* The direction that the field should be brought to: the middle of the emptiest part, in words. */
static void ask_for_directions(const unsigned char seen[LAB_GRID_MAX], marl_calibrated *o)
{
    double sum[3] = {0};
    for (int cell = 0; cell < lab_grid_cells(LAB_GRID_60); cell++) {
        double v[3];
        lab_grid_middle(LAB_GRID_60, cell, v);
        for (int k = 0; k < 3 && !seen[cell]; k++) {
            sum[k] += v[k];
        }
    }
    int axis = fabs(sum[0]) > fabs(sum[1]) ? 0 : 1;
    axis = fabs(sum[2]) > fabs(sum[axis]) ? 2 : axis;
    if (fabs(sum[axis]) < 2) {
        snprintf(o->next, sizeof o->next,
                 "turn the pod about all three axes, slowly and far from steel, until every side has faced "
                 "every way");
    } else {
        snprintf(o->next, sizeof o->next,
                 "most directions about %c%c are missing: point the pod's %c axis %s the field (north and "
                 "down on the "
                 "northern half of the Earth) and turn it around there",
                 sum[axis] < 0 ? '-' : '+', 'x' + axis, 'x' + axis, sum[axis] < 0 ? "against" : "along");
    }
}

static int is_sure(const marl_fit *fit)
{
    for (int k = 0; k < 3; k++) {
        if (!(fit->bias_sigma[k] < MAX_SIGMA * fit->field)) {
            return 0;
        }
    }
    return 1;
}

static marl_status decide(const marl_log *log, const lab_tumble_readings *r,
                          const unsigned char seen[LAB_GRID_MAX], marl_tumble_result *t, marl_error *error)
{
    marl_calibrated *o = &t->outcome;
    static const unsigned char none[LAB_GRID_MAX];
    if (t->place_rms > MAX_PLACE * o->fit.field && o->fit.coverage >= MIN_COVERAGE) {
        snprintf(o->next, sizeof o->next,
                 "record the tumble farther from steel, a metre or two, and keep the pod in one place while "
                 "it turns");
        return marl_fail(
            error, MARL_ERR_INSUFFICIENT,
            "%s: the field changes along the way of the hand, by %.2f uT rms beside the noise: steel "
            "stands near",
            log->path, t->place_rms);
    }
    if (o->fit.coverage < MIN_COVERAGE) {
        ask_for_directions(seen, o);
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: only %.0f %% of all directions are covered",
                         log->path, 100 * o->fit.coverage);
    }
    if (o->fit.field < MIN_FIELD || !(o->fit.residual_rms < MAX_REST * o->fit.field)) {
        ask_for_directions(none, o);
        return marl_fail(
            error, MARL_ERR_INSUFFICIENT,
            "%s: a field of %.2g uT with %.2g uT of scatter: it was not turned, or there is no field",
            log->path, o->fit.field, o->fit.residual_rms);
    }
    if (!is_sure(&o->fit)) {
        ask_for_directions(seen, o);
        return marl_fail(
            error, MARL_ERR_INSUFFICIENT,
            "%s: the hard iron is known to %.2g uT only, with a field of %.3g uT and %.2g uT of scatter",
            log->path, fmax(o->fit.bias_sigma[0], fmax(o->fit.bias_sigma[1], o->fit.bias_sigma[2])),
            o->fit.field, o->fit.residual_rms);
    }
    if (r->torn) {
        ask_for_directions(seen, o);
        return marl_fail(
            error, MARL_ERR_INSUFFICIENT,
            "%s: soft iron shows, but %.0f %% of all directions do not determine how much, nor the hard iron",
            log->path, 100 * o->fit.coverage);
    }
    if ((double)t->outliers_n > MAX_OUTLIERS * (double)r->n) {
        snprintf(o->next, sizeof o->next,
                 "record the tumble farther from steel and from anything that carries current");
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: %.0f %% of the readings do not belong to one field", log->path,
                         100 * (double)t->outliers_n / (double)r->n);
    }
    o->accepted = 1;
    return MARL_OK;
}

/* Unmodelled soft iron biases the hard iron by far more than its standard error: so all
 * is fitted where the readings determine it, and the sphere stands only where they do not. */
static marl_status choose_surface(lab_tumble_readings *r, double field, marl_calibrated *o, marl_error *error)
{
    marl_calibrated full = *o;
    marl_error why = {0};
    if (fit_surface(r, LAB_FULL, field, &full, &why) == MARL_OK && is_sure(&full.fit)) {
        int determined = 1;
        for (int k = 0; k < 9; k++) {
            determined = determined && full.fit.matrix_sigma[k / 3][k % 3] < MAX_MATRIX_SIGMA;
        }
        if (determined) {
            *o = full;
            return MARL_OK;
        }
    }
    if (why.status == MARL_ERR_SYSTEM) {
        return marl_fail(error, why.status, "%s", why.text);
    }
    marl_status status = fit_surface(r, LAB_SPHERE, field, o, error); /* once more, for what it leaves out */
    double dof = full.fit.points - LAB_ELLIPSOID_UNKNOWNS, more = LAB_ELLIPSOID_UNKNOWNS - SPHERE_UNKNOWNS;
    double left = full.fit.residual_rms * full.fit.residual_rms * dof;
    double sphere = o->fit.residual_rms * o->fit.residual_rms * (o->fit.points - SPHERE_UNKNOWNS);
    r->torn = why.status == MARL_OK && (sphere - left) / more > MIN_F * left / dof;
    return status;
}

/* A hard iron that is another for a part of the time: the rest of the recording counts, if it covers as much. */
static marl_status leave_out_moved(const marl_log *log, double field, lab_tumble_readings *r,
                                   marl_tumble_result *t, marl_error *error)
{
    unsigned char seen[LAB_GRID_MAX];
    marl_calibrated o = t->outcome;
    lab_tumble_readings rest;
    marl_span span;
    double by[3];
    if (!lab_tumble_moved(log, r, &o.fit, &span, by)) {
        return MARL_OK;
    }
    double all = find_coverage(r, &o.fit, seen);
    marl_status status = lab_tumble_without(log, r, &span, &rest)
                             ? choose_surface(&rest, field, &o, NULL)
                             : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    if (status == MARL_OK && o.model == t->outcome.model &&
        find_coverage(&rest, &o.fit, seen) > MIN_COVERAGE_LEFT * all) {
        lab_tumble_readings was = *r;
        *r = rest;
        rest = was;
        t->outcome = o;
        t->moved = span;
        memcpy(t->moved_by, by, sizeof by);
    }
    lab_tumble_readings_free(&rest);
    return status == MARL_ERR_SYSTEM ? marl_fail(error, status, "no memory") : MARL_OK;
}

static marl_status fit_tumble(const marl_log *log, const marl_tumble_options *options, lab_tumble_readings *r,
                              marl_tumble_result *t, marl_error *error)
{
    unsigned char seen[LAB_GRID_MAX];
    marl_calibrated *o = &t->outcome;
    ask_for_directions(memset(seen, 0, sizeof seen), o);
    if (r->n < MIN_READINGS) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: %zu readings of the magnetometer; %d are the least", log->path, r->n,
                         MIN_READINGS);
    }
    marl_error why = {0};
    if (fit_surface(r, LAB_SPHERE, options->field, o, &why) != MARL_OK) {
        return why.status == MARL_ERR_SYSTEM
                   ? marl_fail(error, MARL_ERR_SYSTEM, "%s", why.text)
                   : marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: a flat tumble, %s", log->path, why.text);
    }
    o->fit.coverage = find_coverage(r, &o->fit, seen);
    if (options->quick) {
        memset(r->skip, 0, r->n);
        fit_quick(r, options->field, o);
    } else {
        MARL_TRY(choose_surface(r, options->field, o, error));
        MARL_TRY(leave_out_moved(log, options->field, r, t, error));
    }
    o->fit.coverage = find_coverage(r, &o->fit, seen);
    o->fit.temperature_degC = r->temp.n > 0 ? r->temp.mean : NAN;
    o->fit.dip_deg = NAN;
    if ((log->info.columns & MARL_COLUMNS_ACCEL) == MARL_COLUMNS_ACCEL) {
        lab_tumble_dip(log, r, options->accel, t);
        lab_tumble_remark_axes(t);
    }
    if (!options->quick) {
        lab_tumble_drift(log, r, t);
        lab_tumble_remark_changes(lab_tumble_place(log, r, t), t);
    }
    MARL_TRY(list_outliers(log, r, t, error));
    o->next[0] = '\0';
    if (options->quick) {
        o->accepted = 1;
        return MARL_OK;
    }
    return decide(log, r, seen, t, error);
}

marl_status marl_calibrate_tumble(const marl_log *log, const marl_tumble_options *options,
                                  marl_tumble_result *t, marl_error *error)
{
    lab_tumble_readings r = {0};
    memset(t, 0, sizeof *t);
    t->dip_sigma_deg = t->dip_spread_deg = t->place_rms = NAN;
    for (int k = 0; k < 3; k++) {
        t->drift[k] = t->drift_sigma[k] = NAN;
    }
    marl_status status = lab_calibration_log_check(log, MARL_MAG, &t->outcome, error);
    if (status != MARL_OK) {
        return status;
    }
    int has_memory = gather_readings(log, &r);
    t->repeats = r.repeats;
    status =
        has_memory ? fit_tumble(log, options, &r, t, error) : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    lab_tumble_readings_free(&r);
    return status;
}

void marl_tumble_result_free(marl_tumble_result *result)
{
    marl_spans_free(&result->outliers);
}
