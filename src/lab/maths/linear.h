/* SPDX-License-Identifier: MIT
 * Small linear algebra by LAPACK, without any allocation: a failure means that the numbers do not determine
 * the result, never that memory was short. Matrices are n by n, row by row, n at most LAB_LINEAR_MAX. */
#ifndef LAB_LINEAR_H
#define LAB_LINEAR_H

enum { LAB_LINEAR_MAX = 14 };

/* Solves a x = b for a symmetric positive definite matrix, of which the lower and upper triangle must both be
 * there or the upper alone: x replaces b, the factor replaces a. 0 when it is not positive definite. */
int lab_solve_positive(int n, double *a, double *b);
/* The inverse from that factor, both triangles; 0 when it does not exist. */
int lab_invert_factor(int n, double *a);
/* The inverse of a symmetric positive definite matrix, both triangles; 0 when it is not. */
int lab_invert_positive(int n, double *a);
/* Solves a x = b for any matrix; both are overwritten. 0 when it is singular. */
int lab_solve_general(int n, double *a, double *b);
/* Eigenvalues of a symmetric matrix (upper triangle), ascending; row k of `a` becomes the k-th eigenvector. 0
 * when it is not finite. */
int lab_eigen(int n, double *a, double *value);
/* a . b and a x b; out is neither of them. */
double lab_dot3(const double a[3], const double b[3]);
void lab_cross3(const double a[3], const double b[3], double out[3]);
/* The rotation by |v| rad about v, by the formula of Rodrigues. */
void lab_rotation(const double v[3], double r[3][3]);
/* Singular values of a 3 by 3 matrix, descending; 0 when it is not finite. */
int lab_singular_values(const double a[9], double value[3]);

#endif
