/* SPDX-License-Identifier: MIT
 * What the files of the surface share. A surface is |A (x - b)|^2 = 1; its factors of the ten monomials are those of
 * Q = A^2 (xx yy zz xy xz yz), of -2 Q b, and b^T Q b - 1, which follows from the other nine. */
#ifndef MARL_SURFACE_PARTS_H
#define MARL_SURFACE_PARTS_H

#include "device/renew/surface.h"

enum { SURFACE_FACTORS = SURFACE_MONOMIALS - 1 };

float marlp_inner(const float *a, const float *b, int n);
marl_vec3 marlp_surface_bias(const marl_surface_fit *fit);
/* Mean of the diagonal of A: one over the radius. */
float marlp_surface_size(const marl_surface_fit *fit);
/* Of the sum of squares, per reading: half its second derivatives over the nine factors (a full square), and half its
 * gradient. */
void marlp_surface_equations(const marl_surface *surface, const marl_surface_fit *fit, float *normal,
                             float *gradient);

int marlp_surface_unknowns(marl_surface_model model);
/* What a column over the nine factors is over the unknowns of the model. */
void marlp_surface_gather(marl_surface_model model, const float *factor, float *unknown);
/* And back: unknowns as changes of the factors. */
void marlp_surface_spread(marl_surface_model model, const float *unknown, float factor[SURFACE_FACTORS]);
/* The normal matrix of the model's unknowns in place of that of the nine factors, row by row. */
void marlp_surface_reduce(marl_surface_model model, float *normal);

#endif
