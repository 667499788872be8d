/* SPDX-License-Identifier: MIT
 * Parts of the ellipsoid fit. */
#ifndef LAB_ELLIPSOID_PARTS_H
#define LAB_ELLIPSOID_PARTS_H

#include "lab/calibrate/ellipsoid.h"

/* The unknowns as the fit has them: b, then what is free of A. */
void lab_ellipsoid_from_unknowns(lab_ellipsoid_model model, const double *unknowns, double bias[3],
                                 double shape[3][3]);

/* Where to begin, from readings that are centred and scaled. Returns 0 when they are flat. */
int lab_ellipsoid_start(lab_ellipsoid_model model, const double (*x)[3], size_t n, double *unknowns);

#endif
