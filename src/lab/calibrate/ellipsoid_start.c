/* SPDX-License-Identifier: MIT
 * Algebraic starts of the ellipsoid fit. */
#include "lab/calibrate/ellipsoid_parts.h"
#include "lab/maths/linear.h"
#include <math.h>
#include <string.h>

enum { TERMS = 10 };
#define FLAT 1e-7 /* of the greatest extent: thinner is a plane, or a line */

/* x^2 + y^2 + z^2 = 2 c x + k by least squares. */
static int start_sphere(const double (*x)[3], size_t n, double centre[3], double *radius)
{
    double a[16] = {0}, b[4] = {0};
    for (size_t i = 0; i < n; i++) {
        const double row[4] = {2 * x[i][0], 2 * x[i][1], 2 * x[i][2], 1};
        double square = x[i][0] * x[i][0] + x[i][1] * x[i][1] + x[i][2] * x[i][2];
        for (int j = 0; j < 4; j++) {
            b[j] += row[j] * square;
            for (int k = 0; k < 4; k++) {
                a[4 * j + k] += row[j] * row[k];
            }
        }
    }
    if (!lab_solve_positive(4, a, b)) {
        return 0;
    }
    memcpy(centre, b, 3 * sizeof *centre);
    double square = b[3] + b[0] * b[0] + b[1] * b[1] + b[2] * b[2];
    *radius = sqrt(square);
    return square > 0 && isfinite(square);
}

/* The quadric whose terms, as a vector of length one, come nearest to zero over the readings. */
static int find_quadric(const double (*x)[3], size_t n, double quadric[TERMS])
{
    double scatter[TERMS * TERMS] = {0}, value[TERMS];
    for (size_t i = 0; i < n; i++) {
        const double *v = x[i];
        const double row[TERMS] = {
            v[0] * v[0],     v[1] * v[1], v[2] * v[2], 2 * v[0] * v[1], 2 * v[0] * v[2],
            2 * v[1] * v[2], 2 * v[0],    2 * v[1],    2 * v[2],        1};
        for (int j = 0; j < TERMS; j++) {
            for (int k = 0; k < TERMS; k++) {
                scatter[TERMS * j + k] += row[j] * row[k] / (double)n;
            }
        }
    }
    if (!lab_eigen(TERMS, scatter, value)) {
        return 0;
    }
    memcpy(quadric, scatter, TERMS * sizeof *quadric);
    return 1;
}

/* The centre and the symmetric root of the quadric's matrix; 0 when it is no ellipsoid. */
static int root_of_quadric(const double q[TERMS], double bias[3], double shape[3][3])
{
    double m[9] = {q[0], q[3], q[4], q[3], q[1], q[5], q[4], q[5], q[2]}, a[9], value[3];
    double centre[3] = {-q[6], -q[7], -q[8]};
    memcpy(a, m, sizeof a);
    if (!lab_solve_general(3, a, centre)) {
        return 0;
    }
    double level = -q[9];
    for (int i = 0; i < 3; i++) {
        for (int k = 0; k < 3; k++) {
            level += centre[i] * m[3 * i + k] * centre[k];
        }
    }
    for (int k = 0; k < 9; k++) {
        m[k] /= level;
    }
    if (!lab_eigen(3, m, value) || !(value[0] > 0)) {
        return 0;
    }
    for (int i = 0; i < 3; i++) {
        bias[i] = centre[i];
        for (int k = 0; k < 3; k++) {
            shape[i][k] = 0;
            for (int j = 0; j < 3; j++) {
                shape[i][k] += m[3 * j + i] * sqrt(value[j]) * m[3 * j + k];
            }
        }
    }
    return 1;
}

/* Do the readings extend into three directions? */
static int is_flat(const double (*x)[3], size_t n)
{
    double c[9] = {0}, value[3];
    for (size_t i = 0; i < n; i++) {
        for (int k = 0; k < 9; k++) {
            c[k] += x[i][k / 3] * x[i][k % 3];
        }
    }
    return !lab_eigen(3, c, value) || !(value[0] > FLAT * value[2]);
}

/* A quadric that is no ellipsoid, or one stretched beyond what sensors do, is no better than a sphere. */
static int is_likely(const double shape[3][3])
{
    double min = fmin(shape[0][0], fmin(shape[1][1], shape[2][2]));
    double max = fmax(shape[0][0], fmax(shape[1][1], shape[2][2]));
    return min > 0 && max < 4 * min;
}

int lab_ellipsoid_start(lab_ellipsoid_model model, const double (*x)[3], size_t n, double *p)
{
    double quadric[TERMS], shape[3][3] = {{0}}, radius;
    if (is_flat(x, n) || !start_sphere(x, n, p, &radius)) {
        return 0;
    }
    p[3] = p[4] = p[5] = 1 / radius;
    p[6] = p[7] = p[8] = 0;
    double bias[3];
    if (model == LAB_FULL && find_quadric(x, n, quadric) && root_of_quadric(quadric, bias, shape) &&
        is_likely((const double(*)[3])shape)) {
        memcpy(p, bias, sizeof bias);
        for (int k = 0; k < 3; k++) {
            p[3 + k] = shape[k][k];
        }
        p[6] = shape[0][1];
        p[7] = shape[0][2];
        p[8] = shape[1][2];
    }
    return 1;
}
