/* SPDX-License-Identifier: MIT
 * Fitting ellipsoids. */
#include "lab/calibrate/ellipsoid.h"
#include "lab/calibrate/ellipsoid_parts.h"
#include "lab/maths/linear.h"
#include "lab/maths/statistics.h"
#include <cminpack.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

enum { UNKNOWNS = LAB_ELLIPSOID_UNKNOWNS, MAX_CALLS = 40 };
#define PRECISION 1e-10

static const int place[6][2] = {{0, 0}, {1, 1}, {2, 2}, {0, 1}, {0, 2}, {1, 2}};

static void apply(const double a[3][3], const double v[3], double out[3])
{
    for (int i = 0; i < 3; i++) {
        out[i] = a[i][0] * v[0] + a[i][1] * v[1] + a[i][2] * v[2];
    }
}

void lab_ellipsoid_from_unknowns(lab_ellipsoid_model model, const double *p, double bias[3],
                                 double shape[3][3])
{
    memcpy(bias, p, 3 * sizeof *bias);
    memset(shape, 0, 9 * sizeof shape[0][0]);
    for (int k = 0; k < (model == LAB_FULL ? 6 : 3); k++) {
        double value = model == LAB_SPHERE ? p[3] : p[3 + k];
        shape[place[k][0]][place[k][1]] = shape[place[k][1]][place[k][0]] = value;
    }
}

/* v . E w, with E the symmetric matrix that has ones at a place. */
static double across(int k, const double v[3], const double w[3])
{
    int i = place[k][0], j = place[k][1];
    return i == j ? v[i] * w[i] : v[i] * w[j] + v[j] * w[i];
}

/* Distance from the surface and its derivatives: with y = A (x - b), s = |y| and the gain g = |A y| / s it is
 * (s - 1) / g. */
static double distance(const double bias[3], const double shape[3][3], const double x[3], double *slope)
{
    double d[3] = {x[0] - bias[0], x[1] - bias[1], x[2] - bias[2]}, y[3], z[3], u[3], h[3];
    apply(shape, d, y);
    apply(shape, y, z);
    double s = sqrt(lab_dot3(y, y)), length = sqrt(lab_dot3(z, z)), g = length / s;
    if (!(s > 0 && length > 0)) {
        if (slope != NULL) {
            memset(slope, 0, UNKNOWNS * sizeof *slope);
        }
        return -1;
    }
    double rest = s - 1;
    if (slope != NULL) {
        double au[3], ah[3], aah[3];
        for (int i = 0; i < 3; i++) {
            u[i] = y[i] / s;
            h[i] = z[i] / length;
        }
        apply(shape, u, au);
        apply(shape, h, ah);
        apply(shape, ah, aah);
        for (int k = 0; k < UNKNOWNS; k++) {
            double ds = k < 3 ? -au[k] : across(k - 3, u, d);
            double dz = k < 3 ? -aah[k] : across(k - 3, h, y) + across(k - 3, ah, d);
            slope[k] = ds / g - rest / (g * g) * (dz / s - length * ds / (s * s));
        }
    }
    return rest / g;
}

double lab_ellipsoid_distance(const lab_ellipsoid *fit, const double x[3])
{
    return distance(fit->bias, fit->shape, x, NULL);
}

/* The readings that are fitted, centred and scaled to length one. */
typedef struct cloud {
    lab_ellipsoid_model model;
    size_t n;
    double (*x)[3];
    double middle[3], size;
} cloud;

static int unknowns_of(lab_ellipsoid_model model)
{
    return model == LAB_SPHERE ? 4 : model == LAB_DIAGONAL ? 6 : UNKNOWNS;
}

/* For the refinement: distances (flag 1) or their derivatives, a column an unknown (flag 2). */
static int residuals(void *context, int m, int n, const double *p, double *distances, double *jacobian,
                     int rows, int flag)
{
    const cloud *c = context;
    double bias[3], shape[3][3], slope[UNKNOWNS] = {0};
    lab_ellipsoid_from_unknowns(c->model, p, bias, shape);
    for (int i = 0; i < m; i++) {
        double off = distance(bias, (const double(*)[3])shape, c->x[i], flag == 2 ? slope : NULL);
        if (flag == 1) {
            distances[i] = off;
            continue;
        }
        slope[3] = c->model == LAB_SPHERE ? slope[3] + slope[4] + slope[5] : slope[3];
        for (int k = 0; k < n; k++) {
            jacobian[i + k * rows] = slope[k];
        }
    }
    return 0;
}

static marl_status gather_readings(const lab_points *points, cloud *c, marl_error *error)
{
    size_t n = points->n;
    double squares = 0;
    c->x = malloc((n + 1) * sizeof *c->x);
    if (c->x == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < n; i++) {
        if (points->skip == NULL || !points->skip[i]) {
            memcpy(c->x[c->n++], points->x[i], sizeof *c->x);
        }
    }
    for (int k = 0; k < 3; k++) {
        for (size_t i = 0; i < c->n; i++) {
            c->middle[k] += c->x[i][k] / (double)c->n;
        }
    }
    for (size_t i = 0; i < c->n; i++) {
        for (int k = 0; k < 3; k++) {
            c->x[i][k] -= c->middle[k];
            squares += c->x[i][k] * c->x[i][k];
        }
    }
    c->size = sqrt(squares / (double)(c->n > 0 ? c->n : 1));
    for (size_t i = 0; i < c->n && c->size > 0; i++) {
        for (int k = 0; k < 3; k++) {
            c->x[i][k] /= c->size;
        }
    }
    return MARL_OK;
}

/* Sums over the readings at the solution: of the unknowns' derivatives, and of theirs with those of the six
 * elements of A. */
typedef struct sums {
    double normal[UNKNOWNS * UNKNOWNS], fixed[UNKNOWNS][6], squares;
} sums;

static void add_slopes(const cloud *c, const double *p, int n, sums *s)
{
    double bias[3], shape[3][3], slope[UNKNOWNS], element[6];
    lab_ellipsoid_from_unknowns(c->model, p, bias, shape);
    memset(s, 0, sizeof *s);
    for (size_t i = 0; i < c->n; i++) {
        double off = distance(bias, (const double(*)[3])shape, c->x[i], slope);
        memcpy(element, slope + 3, sizeof element);
        slope[3] = c->model == LAB_SPHERE ? slope[3] + slope[4] + slope[5] : slope[3];
        s->squares += off * off;
        for (int j = 0; j < n; j++) {
            for (int k = 0; k < n; k++) {
                s->normal[j * n + k] += slope[j] * slope[k];
            }
            for (int k = 0; k < 6; k++) {
                s->fixed[j][k] += slope[j] * element[k];
            }
        }
    }
}

/* An element off by one moves the unknowns by -normal^-1 fixed; the sum of what all fixed ones do. */
static double moved_by_fixed(const cloud *c, const sums *s, int n, int j, int k)
{
    int from = c->model == LAB_SPHERE ? 0 : c->model == LAB_DIAGONAL ? 3 : 6;
    double sum = 0;
    for (int e = from; e < 6; e++) {
        double part[2] = {0, 0};
        for (int i = 0; i < n; i++) {
            part[0] += s->normal[j * n + i] * s->fixed[i][e];
            part[1] += s->normal[k * n + i] * s->fixed[i][e];
        }
        sum += part[0] * part[1];
    }
    return sum;
}

/* Cofactors of the unknowns from the derivatives at the solution; NaN when they cannot be separated. */
static void find_covariance(const cloud *c, const double *p, lab_ellipsoid *fit)
{
    sums s;
    int n = fit->unknowns;
    add_slopes(c, p, n, &s);
    double variance = c->n > (size_t)n ? s.squares / (double)(c->n - (size_t)n) : NAN;
    int fails = !lab_invert_positive(n, s.normal);
    fit->deviation = sqrt(variance) * c->size;
    for (int j = 0; j < n; j++) {
        for (int k = 0; k < n; k++) {
            /* back to the readings' unit: biases grow by the size, shapes fall by it */
            double scale = (j < 3 ? c->size : 1 / c->size) * (k < 3 ? c->size : 1 / c->size);
            fit->cofactor[j][k] = fails ? NAN : s.normal[j * n + k] * scale / (c->size * c->size);
            fit->open_cofactor[j][k] = fails ? NAN : moved_by_fixed(c, &s, n, j, k) * p[3] * p[3] * scale;
        }
    }
}

static marl_status refine(cloud *c, double *p, lab_ellipsoid *fit, marl_error *error)
{
    int m = (int)c->n, n = fit->unknowns, pivots[UNKNOWNS];
    int capacity = 5 * n + m;
    double *work = malloc(((size_t)m * (size_t)(n + 1) + (size_t)capacity) * sizeof *work);
    if (work == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    double *distances = work, *jacobian = work + m, *rest = jacobian + (size_t)m * (size_t)n;
    double scale[UNKNOWNS];
    int calls, slopes;
    int end =
        lmder(residuals, c, m, n, p, distances, jacobian, m, PRECISION, PRECISION, 0, MAX_CALLS, scale, 1,
              100, 0, &calls, &slopes, pivots, rest, rest + n, rest + 2 * n, rest + 3 * n, rest + 4 * n);
    free(work);
    for (int k = 0; k < n; k++) {
        end = isfinite(p[k]) ? end : 0;
    }
    return end > 0 ? MARL_OK : marl_fail(error, MARL_ERR_INSUFFICIENT, "the fit does not settle");
}

marl_status lab_ellipsoid_fit(const lab_points *points, lab_ellipsoid_model model, lab_ellipsoid *fit,
                              marl_error *error)
{
    cloud c = {.model = model};
    double p[UNKNOWNS];
    memset(fit, 0, sizeof *fit);
    fit->model = model;
    fit->unknowns = unknowns_of(model);
    marl_status status = gather_readings(points, &c, error);
    fit->used = c.n;
    if (status == MARL_OK && (c.n < (size_t)fit->unknowns || c.n > INT32_MAX / 16 || !(c.size > 0))) {
        status = marl_fail(error, MARL_ERR_INSUFFICIENT, "%zu readings%s, but %d unknowns", c.n,
                           c.size > 0 ? "" : " that never change", fit->unknowns);
    }
    if (status == MARL_OK && !lab_ellipsoid_start(model, (const double(*)[3])c.x, c.n, p)) {
        status = marl_fail(error, MARL_ERR_INSUFFICIENT, "the readings lie on no ellipsoid");
    }
    status = status != MARL_OK ? status : refine(&c, p, fit, error);
    if (status == MARL_OK) {
        find_covariance(&c, p, fit);
        lab_ellipsoid_from_unknowns(model, p, fit->bias, fit->shape);
        for (int k = 0; k < 3; k++) {
            fit->bias[k] = fit->bias[k] * c.size + c.middle[k];
            for (int j = 0; j < 3; j++) {
                fit->shape[k][j] /= c.size;
            }
        }
    }
    free(c.x);
    return status;
}
