/* SPDX-License-Identifier: MIT
 * The accelerometer from poses. */
#include "lab/calibrate/ellipsoid.h"
#include "lab/calibrate/raw_log.h"
#include "lab/maths/sphere_grid.h"
#include "lab/maths/statistics.h"
#include "marlinspike/calibrate.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define FACE_COSINE 0.8 /* 37 degrees */
#define MAX_SIGMA 0.02  /* of gravity, and of 1 in the matrix */
#define MAX_REST 0.5    /* m/s^2: that is no gravity */
enum { MIN_POSES = 6, MIN_FULL = 12, MIN_DOF = 3, MIN_ROBUST = 16 };

/* The first face that no pose shows: 0 to 5 for +x -x +y -y +z -z up; -1 when all are there. */
static int missing_face(const marl_pose_list *poses, const double bias[3])
{
    for (int face = 0; face < 6; face++) {
        double best = -1;
        for (size_t i = 0; i < poses->n; i++) {
            const marl_pose *p = &poses->pose[i];
            double d[3] = {p->accel[0] - bias[0], p->accel[1] - bias[1], p->accel[2] - bias[2]};
            double along = (face % 2 ? -1 : 1) * d[face / 2] / sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2]);
            best = p->used ? fmax(best, along) : best;
        }
        if (best < FACE_COSINE) {
            return face;
        }
    }
    return -1;
}

static void ask_for_face(int face, marl_calibrated *o)
{
    if (face == 5) {
        snprintf(o->next, sizeof o->next,
                 "no pose with z down: turn the pod upside down and leave it for three seconds");
    } else if (face >= 0) {
        snprintf(
            o->next, sizeof o->next,
            "no pose with %c %s: turn the pod so that its %c axis points %s and leave it for three seconds",
            'x' + face / 2, face % 2 ? "down" : "up", 'x' + face / 2, face % 2 ? "down" : "up");
    } else {
        snprintf(o->next, sizeof o->next,
                 "lay the pod down in more attitudes, edges and corners too, three seconds each");
    }
}

typedef struct material {
    size_t n;
    double (*x)[3];
    size_t *from; /* number of the pose */
    unsigned char *skip;
    double noise; /* root mean square of the poses' own */
    double temp;
} material;

static int gather_readings(const marl_pose_list *poses, material *m)
{
    lab_moments temp = {0};
    double squares = 0;
    m->x = malloc((poses->n + 1) * sizeof *m->x);
    m->from = malloc((poses->n + 1) * sizeof *m->from);
    m->skip = calloc(poses->n + 1, 1);
    for (size_t i = 0; i < poses->n && m->x != NULL && m->from != NULL; i++) {
        const marl_pose *p = &poses->pose[i];
        if (p->used) {
            memcpy(m->x[m->n], p->accel, sizeof m->x[0]);
            m->from[m->n++] = i;
            squares += p->noise * p->noise;
            if (isfinite(p->temp)) {
                lab_moments_add(&temp, p->temp);
            }
        }
    }
    m->noise = sqrt(squares / (double)(m->n > 0 ? m->n : 1));
    m->temp = temp.n > 0 ? temp.mean : NAN;
    return m->x != NULL && m->from != NULL && m->skip != NULL;
}

static double coverage_of(const material *m, const marl_fit *fit)
{
    unsigned char seen[LAB_GRID_MAX] = {0};
    int cells = lab_grid_cells(LAB_GRID_26), n = 0;
    for (size_t i = 0; i < m->n; i++) {
        double v[3];
        marl_fit_apply(fit, m->x[i], NAN, v);
        if (!m->skip[i]) {
            seen[lab_grid_cell(LAB_GRID_26, v)] = 1;
        }
    }
    for (int k = 0; k < cells; k++) {
        n += seen[k];
    }
    return (double)n / cells;
}

/* The residual of few poses is itself uncertain: by so much its deviation must be larger for the mean of
 * (error / standard error)^2 to be one, which is Student's variance. Under three degrees of freedom it has
 * none. */
static double few_poses(const lab_ellipsoid *e)
{
    double dof = (double)e->used - e->unknowns;
    return sqrt(dof >= MIN_DOF ? dof / (dof - 2) : MIN_DOF);
}

static marl_status fit_model(material *m, lab_ellipsoid_model model, lab_ellipsoid *e, marl_error *error)
{
    const lab_points points = {(const double(*)[3])m->x, m->n, NULL};
    memset(m->skip, 0, m->n);
    return m->n >= MIN_ROBUST ? lab_ellipsoid_fit_robust(&points, model, m->skip, e, error)
                              : lab_ellipsoid_fit(&points, model, e, error);
}

static void report_fit(const material *m, double gravity, lab_ellipsoid *e, marl_poses_result *r)
{
    marl_calibrated *o = &r->outcome;
    double residual = isnan(e->deviation) ? 0 : e->deviation;
    e->deviation = fmax(residual * few_poses(e), m->noise);
    e->open = LAB_MISALIGNMENT;
    o->model = e->model == LAB_FULL ? "bias, scale and misalignment" : "bias and scale";
    lab_ellipsoid_report(e, gravity, &o->fit);
    o->fit.residual_rms = residual;
    o->fit.field = NAN;
    o->fit.temperature_degC = m->temp;
}

/* Do the directions determine the misalignment better than not measuring it would? Six faces, however often,
 * do not. */
static int sees_misalignment(const marl_fit *fit)
{
    double worst = 0;
    for (int k = 0; k < 9; k++) {
        double sigma = fit->matrix_sigma[k / 3][k % 3];
        worst = isfinite(sigma) ? fmax(worst, sigma) : INFINITY;
    }
    return worst < LAB_MISALIGNMENT;
}

/* Fits, and notes at each pose how far it is off. */
static marl_status fit_poses(material *m, double gravity, marl_poses_result *r, marl_error *error)
{
    lab_ellipsoid e;
    marl_calibrated *o = &r->outcome;
    marl_error why = {0};
    int full = m->n >= MIN_FULL && fit_model(m, LAB_FULL, &e, &why) == MARL_OK;
    if (why.status == MARL_ERR_SYSTEM) {
        return marl_fail(error, why.status, "%s", why.text);
    }
    if (full) {
        report_fit(m, gravity, &e, r);
        full = sees_misalignment(&o->fit);
    }
    if (!full) {
        MARL_TRY(fit_model(m, LAB_DIAGONAL, &e, error));
        report_fit(m, gravity, &e, r);
        snprintf(o->remark, sizeof o->remark,
                 "these poses do not show a misalignment of the axes: one of %.0f %% is in the standard "
                 "errors; edges and corners too, 24 attitudes, would show it",
                 100 * LAB_MISALIGNMENT);
    }
    for (size_t i = 0; i < m->n; i++) {
        marl_pose *p = &r->poses.pose[m->from[i]];
        p->distance = lab_ellipsoid_distance(&e, m->x[i]);
        p->used = !m->skip[i];
        p->why = m->skip[i] ? "does not fit the others" : "";
    }
    o->fit.coverage = coverage_of(m, &o->fit);
    return MARL_OK;
}

static int is_sure(const marl_fit *fit, double gravity)
{
    for (int k = 0; k < 3; k++) {
        if (!(fit->bias_sigma[k] < MAX_SIGMA * gravity) || !(fit->matrix_sigma[k][k] < MAX_SIGMA)) {
            return 0;
        }
    }
    return 1;
}

static marl_status decide(const marl_log *log, const material *m, double gravity, marl_poses_result *r,
                          marl_error *error)
{
    marl_calibrated *o = &r->outcome;
    int face = missing_face(&r->poses, o->fit.bias);
    if (!is_sure(&o->fit, gravity)) {
        ask_for_face(face, o);
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: these %zu poses do not separate bias from scale on every axis", log->path,
                         m->n);
    }
    if (face >= 0 && m->n < MIN_FULL) {
        ask_for_face(face, o);
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: %zu poses, but not all six faces", log->path,
                         m->n);
    }
    if (!(o->fit.residual_rms < MAX_REST)) {
        snprintf(o->next, sizeof o->next, "lay the pod on something that stands still, and let go of it");
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: the poses differ by %.2f m/s^2 rms from any ellipsoid", log->path,
                         o->fit.residual_rms);
    }
    o->accepted = 1;
    return MARL_OK;
}

marl_status marl_calibrate_poses(const marl_log *log, double gravity, marl_poses_result *r, marl_error *error)
{
    material m = {0};
    memset(r, 0, sizeof *r);
    MARL_TRY(lab_calibration_log_check(log, MARL_ACCEL, &r->outcome, error));
    marl_calibrated *o = &r->outcome;
    snprintf(o->next, sizeof o->next,
             "lay the pod on each of its six sides, better in 24 attitudes, and leave it there for three "
             "seconds each");
    marl_status status = marl_poses_find(log, &r->poses, error);
    if (status == MARL_OK && !gather_readings(&r->poses, &m)) {
        status = marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    if (status == MARL_OK && m.n < MIN_POSES) {
        const double none[3] = {0, 0, 0};
        ask_for_face(missing_face(&r->poses, none), o);
        status =
            marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: %zu still poses; six are the least", log->path, m.n);
    }
    status = status != MARL_OK ? status : fit_poses(&m, gravity, r, error);
    if (status == MARL_OK) {
        o->next[0] = '\0';
        status = decide(log, &m, gravity, r, error);
    }
    free(m.x);
    free(m.from);
    free(m.skip);
    return status;
}

void marl_poses_result_free(marl_poses_result *result)
{
    marl_poses_free(&result->poses);
}
