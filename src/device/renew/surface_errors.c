/* SPDX-License-Identifier: MIT
 * Standard errors of a surface. */
#include "device/math/exact.h"
#include "device/math/vec_quat.h"
#include "device/renew/normal.h"
#include "device/renew/surface_parts.h"
#include "device/renew/symmetric.h"
#include <string.h>

enum { FACTORS = SURFACE_FACTORS };

/* Derivatives of component k of b over the factors: b = -Q^-1 h / 2, so db = -Q^-1 (dh / 2 + dQ b). */
static void slope_of_bias(const marl_surface_fit *fit, const float inverse[6], int k, float slope[FACTORS])
{
    marl_vec3 e = {k == 0, k == 1, k == 2}, row = marlp_symmetric_apply(inverse, e),
              b = marlp_surface_bias(fit);
    slope[0] = -row.x * b.x;
    slope[1] = -row.y * b.y;
    slope[2] = -row.z * b.z;
    slope[3] = -row.x * b.y - row.y * b.x;
    slope[4] = -row.x * b.z - row.z * b.x;
    slope[5] = -row.y * b.z - row.z * b.y;
    slope[6] = -0.5f * row.x;
    slope[7] = -0.5f * row.y;
    slope[8] = -0.5f * row.z;
}

/* Of element k of A, in parts of its size, where A is nearly a multiple of one: dA = dQ / (2 size). Without the common
 * factor the mean of the diagonal does not count. */
static void slope_of_matrix(float size, int k, int with_scale, float slope[FACTORS])
{
    memset(slope, 0, FACTORS * sizeof *slope);
    slope[k] = 0.5f / (size * size);
    for (int i = 0; i < 3 && k < 3 && !with_scale; i++) {
        slope[i] -= 0.5f / (size * size) / 3.0f;
    }
}

/* Variance of what has these derivatives over the factors: by the noise, and by elements of A that the model holds fixed
 * though each may be off by `open` of its size. */
typedef struct errors {
    const float *root; /* of the normal matrix of the model's unknowns */
    float moved[6][FACTORS], noise2;
    int held; /* elements */
} errors;

static float variance_of(const errors *e, marl_surface_model model, const float slope[FACTORS])
{
    float own[FACTORS];
    int n = marlp_surface_unknowns(model);
    marlp_surface_gather(model, slope, own);
    marlp_normal_forward(n, e->root, own);
    float sum = e->noise2 * marlp_inner(own, own, n);
    for (int i = 0; i < e->held; i++) {
        float off = marlp_inner(slope, e->moved[i], FACTORS);
        sum += off * off;
    }
    return sum;
}

/* How far all factors go when one that is held fixed is off: it goes by itself, and the unknowns follow. */
static void move_held(const float *full, const float *root, const marl_surface_fit *fit, float open,
                      errors *e)
{
    float size = marlp_surface_size(fit), follow[FACTORS];
    int n = marlp_surface_unknowns(fit->model);
    for (int held = fit->model == MARL_SURFACE_SPHERE ? 0 : 3; held < 6 && n < FACTORS && open > 0.0f;
         held++) {
        float *moved = e->moved[e->held++];
        marlp_surface_gather(fit->model, full + held * FACTORS, follow);
        marlp_normal_solve(n, root, follow);
        marlp_surface_spread(fit->model, follow, moved);
        for (int k = 0; k < FACTORS; k++) {
            moved[k] = 2.0f * size * size * open * ((k == held ? 1.0f : 0.0f) - moved[k]);
        }
    }
}

int marlp_surface_errors(const marl_surface *s, marl_surface_fit *fit, float deviation, float open,
                         int with_scale)
{
    float full[FACTORS * FACTORS], root[FACTORS * FACTORS], slope[FACTORS], q[6], inverse[6];
    float size = marlp_surface_size(fit), scatter = 2.0f * deviation * size;
    errors e = {.root = root, .noise2 = scatter * scatter / (float)s->n};
    marlp_surface_equations(s, fit, full, slope);
    memcpy(root, full, sizeof root);
    marlp_surface_reduce(fit->model, root);
    marlp_symmetric_square(fit->unknown + 3, q);
    if (!marlp_normal_factor(marlp_surface_unknowns(fit->model), root) ||
        !marlp_symmetric_inverse(q, inverse)) {
        return 0;
    }
    move_held(full, root, fit, open, &e);
    for (int k = 0; k < 3; k++) {
        slope_of_bias(fit, inverse, k, slope);
        fit->bias_sigma[k] = float_root(variance_of(&e, fit->model, slope));
    }
    float worst = 0.0f;
    for (int k = 0; k < 6; k++) {
        slope_of_matrix(size, k, with_scale, slope);
        worst = float_max(worst, variance_of(&e, fit->model, slope));
    }
    fit->matrix_sigma = float_root(worst);
    return 1;
}
