/* SPDX-License-Identifier: MIT
 * Small linear algebra. LAPACK stores by columns, so that a row-wise upper triangle is its lower one, and the
 * variants with a workspace of the caller allocate nothing. */
#include "lab/maths/linear.h"
#include <lapacke.h>
#include <math.h>
#include <string.h>

static int all_finite(int n, const double *a)
{
    for (int i = 0; i < n; i++) {
        if (!isfinite(a[i])) {
            return 0;
        }
    }
    return 1;
}

/* LAPACK leaves the other triangle as it was. */
static void mirror(int n, double *a)
{
    for (int i = 0; i < n; i++) {
        for (int k = 0; k < i; k++) {
            a[i * n + k] = a[k * n + i];
        }
    }
}

int lab_solve_positive(int n, double *a, double *b)
{
    return all_finite(n * n, a) && all_finite(n, b) &&
           LAPACKE_dposv_work(LAPACK_COL_MAJOR, 'L', n, 1, a, n, b, n) == 0;
}

int lab_invert_factor(int n, double *a)
{
    if (LAPACKE_dpotri_work(LAPACK_COL_MAJOR, 'L', n, a, n) != 0) {
        return 0;
    }
    mirror(n, a);
    return 1;
}

int lab_invert_positive(int n, double *a)
{
    return all_finite(n * n, a) && LAPACKE_dpotrf_work(LAPACK_COL_MAJOR, 'L', n, a, n) == 0 &&
           lab_invert_factor(n, a);
}

int lab_solve_general(int n, double *a, double *b)
{
    lapack_int pivots[LAB_LINEAR_MAX];
    double columns[LAB_LINEAR_MAX * LAB_LINEAR_MAX];
    for (int i = 0; i < n * n; i++) {
        columns[i % n * n + i / n] = a[i];
    }
    return all_finite(n * n, a) && all_finite(n, b) &&
           LAPACKE_dgesv_work(LAPACK_COL_MAJOR, n, 1, columns, n, pivots, b, n) == 0;
}

int lab_eigen(int n, double *a, double *value)
{
    double work[34 * LAB_LINEAR_MAX];
    return all_finite(n * n, a) &&
           LAPACKE_dsyev_work(LAPACK_COL_MAJOR, 'V', 'L', n, a, n, value, work, 34 * LAB_LINEAR_MAX) == 0;
}

int lab_singular_values(const double a[9], double value[3])
{
    double copy[9], work[64], none[1];
    memcpy(copy, a, sizeof copy);
    return all_finite(9, a) && LAPACKE_dgesvd_work(LAPACK_COL_MAJOR, 'N', 'N', 3, 3, copy, 3, value, none, 1,
                                                   none, 1, work, 64) == 0;
}

double lab_dot3(const double a[3], const double b[3])
{
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
}

void lab_cross3(const double a[3], const double b[3], double out[3])
{
    for (int i = 0; i < 3; i++) {
        int j = (i + 1) % 3, k = (i + 2) % 3;
        out[i] = a[j] * b[k] - a[k] * b[j];
    }
}

void lab_rotation(const double v[3], double r[3][3])
{
    double angle = sqrt(lab_dot3(v, v));
    double a = angle > 1e-9 ? sin(angle) / angle : 1,
           b = angle > 1e-9 ? (1 - cos(angle)) / (angle * angle) : 0.5;
    for (int i = 0; i < 3; i++) {
        int j = (i + 1) % 3, k = (i + 2) % 3;
        r[i][i] = 1 - b * (v[j] * v[j] + v[k] * v[k]);
        r[i][j] = b * v[i] * v[j] - a * v[k];
        r[i][k] = b * v[i] * v[k] + a * v[j];
    }
}
