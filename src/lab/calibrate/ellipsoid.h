/* SPDX-License-Identifier: MIT
 * The ellipsoid that readings of a constant field lie on: |A (x - b)| = 1 with A symmetric, the same noise in
 * all axes of x. Maximum likelihood to first order: least squares of the distances from the surface, each the
 * radial residual over the local gain ("Estimation of planar curves, surfaces, and nonplanar space curves
 * defined by implicit equations", 1991), from an algebraic start in centred and scaled coordinates, refined
 * by damped least squares ("An algorithm for least-squares estimation of nonlinear parameters", 1963). */
#ifndef LAB_ELLIPSOID_H
#define LAB_ELLIPSOID_H

#include "marlinspike/error.h"
#include "marlinspike/files.h"
#include <stddef.h>

enum { LAB_ELLIPSOID_UNKNOWNS = 9 };

/* What of A is free: its size; its diagonal; all of it. */
typedef enum lab_ellipsoid_model { LAB_SPHERE, LAB_DIAGONAL, LAB_FULL } lab_ellipsoid_model;

/* Standard deviation of a misalignment that an accelerometer's poses do not show: 2 %, 1.2 degrees, the most that data
 * sheets of such parts state as cross-axis sensitivity. */
#define LAB_MISALIGNMENT 0.02

typedef struct lab_ellipsoid {
    lab_ellipsoid_model model;
    double bias[3], shape[3][3];
    int unknowns; /* 4, 6 or 9 */
    /* Covariance for noise of deviation 1: b, then A: xx yy zz xy xz yz, or the one of a sphere; NaN when
     * they cannot be separated. */
    double cofactor[LAB_ELLIPSOID_UNKNOWNS][LAB_ELLIPSOID_UNKNOWNS];
    /* The same of what the model holds fixed: covariance for each fixed element of A off by 1 times A's size.
     */
    double open_cofactor[LAB_ELLIPSOID_UNKNOWNS][LAB_ELLIPSOID_UNKNOWNS];
    double open;      /* standard deviation of those elements; 0 = they are taken as exact */
    double deviation; /* of the distances, with their degrees of freedom; NaN without any */
    size_t used;
} lab_ellipsoid;

/* n readings; the marked ones are left out. */
typedef struct lab_points {
    const double (*x)[3];
    size_t n;
    const unsigned char *skip; /* NULL: none is left out */
} lab_points;

/* MARL_ERR_INSUFFICIENT when they have no
 * such surface (too few, flat, constant), MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_ellipsoid_fit(const lab_points *points, lab_ellipsoid_model model,
                                           lab_ellipsoid *fit, marl_error *error);

/* The same, leaving out what does not belong: readings far off the surface, and their neighbours while they
 * stay off to the same side. `skip` is set for n readings; points->skip is not looked at. */
MARL_CHECKED marl_status lab_ellipsoid_fit_robust(const lab_points *points, lab_ellipsoid_model model,
                                                  unsigned char *skip, lab_ellipsoid *fit, marl_error *error);

/* Distance of a reading from the surface, outwards positive, in the reading's unit. */
double lab_ellipsoid_distance(const lab_ellipsoid *fit, const double x[3]);

/* Bias, matrix and their standard errors: corrected vectors have the length `field`; NaN = the matrix has the
 * determinant 1 and fit->field is the length found. */
void lab_ellipsoid_report(const lab_ellipsoid *fit, double field, marl_fit *reported);

#endif
