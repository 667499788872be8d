/* SPDX-License-Identifier: MIT
 * Vectors of one length, seen through a wrong bias and matrix, lie on an ellipsoid. Its fit in fixed memory, reading by
 * reading: what the sum of squares of (|A (x - b)|^2 - 1) needs of the readings are their moments up to the fourth, so
 * these are kept instead of the readings. The sum is least by Gauss-Newton over Q = A^2 and Q b, one step a call.
 * Method: "Least squares fitting of quadratic surfaces", with the moments' rounding carried along: "Further remarks on
 * reducing truncation errors" (1965).
 *
 * Readings come scaled and shifted, so that the ellipsoid is near the unit sphere: moments are floats. */
#ifndef MARL_SURFACE_H
#define MARL_SURFACE_H

#include "marlinspike/renew.h"

enum { SURFACE_MONOMIALS = 10 };

void marlp_surface_init(marl_surface *surface);
/* The reading must be finite. */
void marlp_surface_add(marl_surface *surface, marl_vec3 x);

/* A sphere by linear equations, from which the steps start. 0 when the readings do not determine one. */
int marlp_surface_begin(const marl_surface *surface, marl_surface_model model, marl_surface_fit *fit);
/* A step of all unknowns that the model has: until fit->settled or fit->lost. */
void marlp_surface_step(const marl_surface *surface, marl_surface_fit *fit);

/* Root mean square of the distances, by the moments: not below 3e-4, where floats end. */
float marlp_surface_residual(const marl_surface *surface, const marl_surface_fit *fit);
/* Distance from the surface, outwards positive, where it is small. */
float marlp_surface_distance(const marl_surface_fit *fit, marl_vec3 x);
/* A (x - b). */
marl_vec3 marlp_surface_apply(const marl_surface_fit *fit, marl_vec3 x);

/* Sets the standard errors for readings that scatter by `deviation`, independently; `open` is the standard error of the
 * elements of A that the model holds fixed. Matrices count without their common factor, or with it (`with_scale`). 0
 * when the readings do not determine the unknowns. */
int marlp_surface_errors(const marl_surface *surface, marl_surface_fit *fit, float deviation, float open,
                         int with_scale);

#endif
