/* SPDX-License-Identifier: MIT
 * Models of a surface. */
#include "device/math/exact.h"
#include "device/renew/surface_parts.h"
#include <string.h>

enum { FACTORS = SURFACE_FACTORS };

/* The factors of an unknown of the model: a sphere has one for all three of the diagonal. */
static int first_of(marl_surface_model model, int unknown, int *n)
{
    *n = model == MARL_SURFACE_SPHERE && unknown == 0 ? 3 : 1;
    if (model == MARL_SURFACE_SPHERE) {
        return unknown == 0 ? 0 : 5 + unknown;
    }
    return model == MARL_SURFACE_DIAGONAL && unknown >= 3 ? 3 + unknown : unknown;
}

int marlp_surface_unknowns(marl_surface_model model)
{
    return model == MARL_SURFACE_SPHERE ? 4 : model == MARL_SURFACE_DIAGONAL ? 6 : FACTORS;
}

void marlp_surface_gather(marl_surface_model model, const float *factor, float *unknown)
{
    for (int k = 0; k < marlp_surface_unknowns(model); k++) {
        int n, at = first_of(model, k, &n);
        unknown[k] = factor[at];
        for (int more = 1; more < n; more++) {
            unknown[k] += factor[at + more];
        }
    }
}

void marlp_surface_spread(marl_surface_model model, const float *unknown, float factor[FACTORS])
{
    memset(factor, 0, FACTORS * sizeof *factor);
    for (int k = 0; k < marlp_surface_unknowns(model); k++) {
        int n, at = first_of(model, k, &n);
        for (int more = 0; more < n; more++) {
            factor[at + more] = unknown[k];
        }
    }
}

void marlp_surface_reduce(marl_surface_model model, float *normal)
{
    int n = marlp_surface_unknowns(model);
    float rows[FACTORS][FACTORS];
    if (model == MARL_SURFACE_FULL) {
        return;
    }
    for (int k = 0; k < n; k++) {
        int many, at = first_of(model, k, &many);
        memcpy(rows[k], normal + at * FACTORS, sizeof rows[k]);
        for (int more = 1; more < many; more++) {
            for (int j = 0; j < FACTORS; j++) {
                rows[k][j] += normal[(at + more) * FACTORS + j];
            }
        }
    }
    for (int k = 0; k < n; k++) {
        marlp_surface_gather(model, rows[k], normal + k * n);
    }
}
