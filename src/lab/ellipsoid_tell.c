/* SPDX-License-Identifier: MIT
 * From the ellipsoid to a calibration; and which readings do not belong. */
#include "ellipsoid_parts.h"
#include "statistics.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define FAR 3.5   /* deviations */
#define STAYS 1.0 /* deviations, the mean of REACH neighbours */
enum { ROUNDS = 12, REACH = 3 };

static const int place[6][2] = {{0, 0}, {1, 1}, {2, 2}, {0, 1}, {0, 2}, {1, 2}};

static double determinant(const double a[3][3])
{
    return a[0][0] * (a[1][1] * a[2][2] - a[1][2] * a[2][1]) -
           a[0][1] * (a[1][0] * a[2][2] - a[1][2] * a[2][0]) +
           a[0][2] * (a[1][0] * a[2][1] - a[1][1] * a[2][0]);
}

/* The matrix that the shape stands for. Returns the length of corrected vectors. */
static double matrix_of(const double shape[3][3], double field, double matrix[3][3])
{
    double length = isnan(field) ? 1 / cbrt(determinant(shape)) : field;
    for (int k = 0; k < 9; k++) {
        matrix[k / 3][k % 3] = length * shape[k / 3][k % 3];
    }
    return length;
}

/* Standard errors of the matrix by its derivatives over the unknowns of the shape. */
static void tell_matrix_sigma(const lab_ellipsoid *fit, double field, double sigma[3][3])
{
    double p[LAB_ELLIPSOID_UNKNOWNS] = {0}, slope[6][9];
    int shapes = fit->unknowns - 3;
    for (int k = 0; k < 6; k++) {
        p[3 + k] = fit->shape[place[k][0]][place[k][1]];
    }
    for (int k = 0; k < shapes; k++) {
        double up[3][3], down[3][3], bias[3], shape[3][3], was = p[3 + k], step = 1e-5 * fit->shape[0][0];
        p[3 + k] = was + step;
        lab_ellipsoid_from_unknowns(fit->model, p, bias, shape);
        (void)matrix_of((const double(*)[3])shape, field, up);
        p[3 + k] = was - step;
        lab_ellipsoid_from_unknowns(fit->model, p, bias, shape);
        (void)matrix_of((const double(*)[3])shape, field, down);
        p[3 + k] = was;
        for (int j = 0; j < 9; j++) {
            slope[k][j] = (up[j / 3][j % 3] - down[j / 3][j % 3]) / (2 * step);
        }
    }
    for (int j = 0; j < 9; j++) {
        double variance = 0;
        for (int k = 0; k < shapes; k++) {
            for (int l = 0; l < shapes; l++) {
                variance += slope[k][j] * fit->cofactor[3 + k][3 + l] * slope[l][j];
            }
        }
        /* what the model holds fixed is not determined by the data */
        int open = fit->model == LAB_SPHERE || (fit->model == LAB_DIAGONAL && j / 3 != j % 3);
        sigma[j / 3][j % 3] = open || !(variance >= 0) ? NAN : fit->deviation * sqrt(variance);
    }
}

void lab_ellipsoid_tell(const lab_ellipsoid *fit, double field, marl_fit *told)
{
    double length = matrix_of(fit->shape, field, told->matrix);
    memcpy(told->bias, fit->bias, sizeof told->bias);
    told->present = told->has_sigma = 1;
    for (int k = 0; k < 3; k++) {
        told->bias_sigma[k] = fit->cofactor[k][k] >= 0 ? fit->deviation * sqrt(fit->cofactor[k][k]) : NAN;
    }
    tell_matrix_sigma(fit, field, told->matrix_sigma);
    told->points = (double)fit->used;
    told->residual_rms = fit->deviation;
    told->field = length;
}

/* Deviation of the distances from the median of their sizes, whatever a few of them do. */
static double usual_distance(const double *off, const unsigned char *skip, size_t n, double *room)
{
    size_t used = 0;
    for (size_t i = 0; i < n; i++) {
        if (skip == NULL || !skip[i]) {
            room[used++] = fabs(off[i]);
        }
    }
    return used > 0 ? 1.4826022 * lab_quantile(room, used, 0.5) : 0;
}

static double mean_off(const double *off, size_t n, size_t at)
{
    size_t from = at >= REACH / 2 ? at - REACH / 2 : 0, to = at + REACH / 2 < n ? at + REACH / 2 + 1 : n;
    double sum = 0;
    for (size_t i = from; i < to; i++) {
        sum += off[i];
    }
    return sum / (double)(to - from);
}

/* Where two and more in a row are far off something passed by: its rise and fall belong to it. */
static void mark(const double *off, size_t n, double usual, unsigned char *skip)
{
    for (size_t i = 0; i < n; i++) {
        skip[i] = fabs(off[i]) > FAR * usual;
    }
    for (size_t i = 1; i + 1 < n; i++) { /* forwards */
        int run = i > 1 && skip[i - 1] && (skip[i - 2] || skip[i]);
        skip[i] |= run && fabs(mean_off(off, n, i)) > STAYS * usual;
    }
    for (size_t i = n; i-- > 1;) { /* and back */
        int run = i + 1 < n && skip[i] && (skip[i + 1] || skip[i - 1]);
        skip[i - 1] |= run && fabs(mean_off(off, n, i - 1)) > STAYS * usual;
    }
}

marl_status lab_ellipsoid_fit_robust(const double (*x)[3], size_t n, lab_ellipsoid_model model,
                                     unsigned char *skip, lab_ellipsoid *fit, marl_error *error)
{
    double *off = malloc((2 * n + 1) * sizeof *off);
    unsigned char *before = calloc(n + 1, 1);
    marl_status status = MARL_OK;
    if (off == NULL || before == NULL) {
        free(off);
        free(before);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    memset(skip, 0, n);
    for (int round = 0; round < ROUNDS && status == MARL_OK; round++) {
        status = lab_ellipsoid_fit(x, skip, n, model, fit, error);
        if (status != MARL_OK) {
            break;
        }
        for (size_t i = 0; i < n; i++) {
            off[i] = lab_ellipsoid_distance(fit, x[i]);
        }
        memcpy(before, skip, n);
        mark(off, n, usual_distance(off, round > 0 ? skip : NULL, n, off + n), skip);
        if (memcmp(before, skip, n) == 0) {
            break;
        }
    }
    free(off);
    free(before);
    return status;
}
