/* SPDX-License-Identifier: MIT
 * From the ellipsoid to a calibration. */
#include "lab/calibrate/ellipsoid_parts.h"
#include "lab/maths/statistics.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define SLOPE_STEP 1e-5 /* of the shape, for two-sided slopes: cube root of the rounding */
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

/* By the noise, and by what the model holds fixed. */
static double covariance_of(const lab_ellipsoid *fit, int j, int k)
{
    return fit->deviation * fit->deviation * fit->cofactor[j][k] +
           fit->open * fit->open * fit->open_cofactor[j][k];
}

/* Standard errors of the matrix by its derivatives over the unknowns of the shape. */
static void report_matrix_sigma(const lab_ellipsoid *fit, double field, double sigma[3][3])
{
    double p[LAB_ELLIPSOID_UNKNOWNS] = {0}, slope[6][9];
    int shapes = fit->unknowns - 3;
    for (int k = 0; k < 6; k++) {
        p[3 + k] = fit->shape[place[k][0]][place[k][1]];
    }
    for (int k = 0; k < shapes; k++) {
        double up[3][3], down[3][3], bias[3], shape[3][3], was = p[3 + k],
                                                           step = SLOPE_STEP * fit->shape[0][0];
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
                variance += slope[k][j] * covariance_of(fit, 3 + k, 3 + l) * slope[l][j];
            }
        }
        /* what the model holds fixed is not determined by the data */
        int open = fit->model == LAB_SPHERE || (fit->model == LAB_DIAGONAL && j / 3 != j % 3);
        sigma[j / 3][j % 3] = open || !(variance >= 0) ? NAN : sqrt(variance);
    }
}

void lab_ellipsoid_report(const lab_ellipsoid *fit, double field, marl_fit *reported)
{
    double length = matrix_of(fit->shape, field, reported->matrix);
    memcpy(reported->bias, fit->bias, sizeof reported->bias);
    reported->present = reported->has_sigma = 1;
    for (int k = 0; k < 3; k++) {
        reported->bias_sigma[k] = sqrt(covariance_of(fit, k, k));
    }
    report_matrix_sigma(fit, field, reported->matrix_sigma);
    reported->points = (double)fit->used;
    reported->residual_rms = fit->deviation;
    reported->field = length;
}
