/* SPDX-License-Identifier: MIT
 * The fit of an ellipsoid to moments. */
#include "device/renew/surface.h"
#include "device/math/exact.h"
#include "device/math/vec_quat.h"
#include "device/renew/normal.h"
#include "device/renew/symmetric.h"
#include <string.h>

enum { MONOMIALS = SURFACE_MONOMIALS, FACTORS = MONOMIALS - 1 };
#define LONGEST_STEP 0.3f
#define SETTLED 1e-5f
#define ROUNDING                                                                                             \
    1e-3f /* steps that do not become smaller any more are rounding, if they are less than this */
#define MOST_STEPS 25
#define MISFIT_FLOOR 3e-4f

void marlp_surface_init(marl_surface *surface)
{
    memset(surface, 0, sizeof *surface);
}

/* x^T Q x has the off-diagonal elements twice. */
static void monomials_of(marl_vec3 x, float m[MONOMIALS])
{
    m[0] = x.x * x.x;
    m[1] = x.y * x.y;
    m[2] = x.z * x.z;
    m[3] = 2.0f * x.x * x.y;
    m[4] = 2.0f * x.x * x.z;
    m[5] = 2.0f * x.y * x.z;
    m[6] = x.x;
    m[7] = x.y;
    m[8] = x.z;
    m[9] = 1.0f;
}

void marlp_surface_add(marl_surface *s, marl_vec3 x)
{
    float m[MONOMIALS];
    monomials_of(x, m);
    for (int i = 0, at = 0; i < MONOMIALS; i++) {
        for (int j = 0; j <= i; j++, at++) {
            float more = m[i] * m[j] - s->lost[at];
            float sum = s->sum[at] + more;
            s->lost[at] = (sum - s->sum[at]) - more;
            s->sum[at] = sum;
        }
    }
    s->n++;
}

static float moment(const marl_surface *s, int i, int j)
{
    return i >= j ? s->sum[i * (i + 1) / 2 + j] : s->sum[j * (j + 1) / 2 + i];
}

static float inner(const float *a, const float *b, int n)
{
    float sum = 0.0f;
    for (int i = 0; i < n; i++) {
        sum += a[i] * b[i];
    }
    return sum;
}

/* The moments times a column of factors, per reading. */
static void weigh(const marl_surface *s, const float factor[MONOMIALS], float out[MONOMIALS])
{
    float share = 1.0f / (float)s->n;
    memset(out, 0, MONOMIALS * sizeof *out);
    for (int i = 0, at = 0; i < MONOMIALS; i++) {
        for (int j = 0; j < i; j++, at++) {
            out[i] += s->sum[at] * factor[j];
            out[j] += s->sum[at] * factor[i];
        }
        out[i] += s->sum[at++] * factor[i];
    }
    for (int i = 0; i < MONOMIALS; i++) {
        out[i] *= share;
    }
}

/* Mean of the diagonal: one over the radius. */
static float size_of(const marl_surface_fit *fit)
{
    return (fit->unknown[3] + fit->unknown[4] + fit->unknown[5]) / 3.0f;
}

static marl_vec3 bias_of(const marl_surface_fit *fit)
{
    return (marl_vec3){fit->unknown[0], fit->unknown[1], fit->unknown[2]};
}

/* |A (x - b)|^2 - 1 as factors of the monomials: Q = A^2, -2 Q b, b^T Q b - 1. */
static void factors_of(const marl_surface_fit *fit, float p[MONOMIALS])
{
    marl_vec3 b = bias_of(fit);
    marlp_symmetric_square(fit->unknown + 3, p);
    marl_vec3 qb = marlp_symmetric_apply(p, b);
    p[6] = -2.0f * qb.x;
    p[7] = -2.0f * qb.y;
    p[8] = -2.0f * qb.z;
    p[9] = vec3_dot(b, qb) - 1.0f;
}

/* The last factor follows from the other nine; its derivatives over them. */
static void slope_of_last(const marl_surface_fit *fit, float slope[FACTORS])
{
    marl_vec3 b = bias_of(fit);
    slope[0] = -b.x * b.x;
    slope[1] = -b.y * b.y;
    slope[2] = -b.z * b.z;
    slope[3] = -2.0f * b.x * b.y;
    slope[4] = -2.0f * b.x * b.z;
    slope[5] = -2.0f * b.y * b.z;
    slope[6] = -b.x;
    slope[7] = -b.y;
    slope[8] = -b.z;
}

/* Of the sum of squares, per reading: half its second derivatives over the nine factors (a full square), and half its
 * gradient. */
static void equations_of(const marl_surface *s, const marl_surface_fit *fit, float *normal, float *gradient)
{
    float p[MONOMIALS], weighed[MONOMIALS], slope[FACTORS], share = 1.0f / (float)s->n;
    factors_of(fit, p);
    weigh(s, p, weighed);
    slope_of_last(fit, slope);
    for (int i = 0; i < FACTORS; i++) {
        float with_last = share * moment(s, MONOMIALS - 1, i) + slope[i];
        gradient[i] = weighed[i] + slope[i] * weighed[MONOMIALS - 1];
        for (int j = 0; j <= i; j++) {
            normal[i * FACTORS + j] = normal[j * FACTORS + i] =
                share * moment(s, i, j) + with_last * slope[j] +
                slope[i] * share * moment(s, MONOMIALS - 1, j);
        }
    }
}

/* ---- models ---- */

/* The factors of an unknown of the model: a sphere has one for all three of the diagonal. */
static int first_of(marl_surface_model model, int unknown, int *n)
{
    *n = model == MARL_SURFACE_SPHERE && unknown == 0 ? 3 : 1;
    if (model == MARL_SURFACE_SPHERE) {
        return unknown == 0 ? 0 : 5 + unknown;
    }
    return model == MARL_SURFACE_DIAGONAL && unknown >= 3 ? 3 + unknown : unknown;
}

static int unknowns_of(marl_surface_model model)
{
    return model == MARL_SURFACE_SPHERE ? 4 : model == MARL_SURFACE_DIAGONAL ? 6 : FACTORS;
}

/* What a column over the nine factors is over the unknowns of the model. */
static void gather(marl_surface_model model, const float *factor, float *unknown)
{
    for (int k = 0; k < unknowns_of(model); k++) {
        int n, at = first_of(model, k, &n);
        unknown[k] = factor[at];
        for (int more = 1; more < n; more++) {
            unknown[k] += factor[at + more];
        }
    }
}

/* And back: unknowns as changes of the factors. */
static void spread(marl_surface_model model, const float *unknown, float factor[FACTORS])
{
    memset(factor, 0, FACTORS * sizeof *factor);
    for (int k = 0; k < unknowns_of(model); k++) {
        int n, at = first_of(model, k, &n);
        for (int more = 0; more < n; more++) {
            factor[at + more] = unknown[k];
        }
    }
}

/* The normal matrix of the model's unknowns in place of that of the nine factors, row by row of n. */
static void reduce(marl_surface_model model, float *normal)
{
    int n = unknowns_of(model);
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
        gather(model, rows[k], normal + k * n);
    }
}

/* ---- fit ---- */

int marlp_surface_begin(const marl_surface *s, marl_surface_model model, marl_surface_fit *fit)
{
    float normal[16], right[4];
    memset(fit, 0, sizeof *fit);
    fit->model = (uint8_t)model;
    if (s->n == 0) {
        return 0;
    }
    for (int i = 0; i < 4; i++) { /* |x|^2 = 2 b x + c, in x, y, z and 1 */
        right[i] = moment(s, 6 + i, 0) + moment(s, 6 + i, 1) + moment(s, 6 + i, 2);
        for (int j = 0; j <= i; j++) {
            normal[i * 4 + j] = moment(s, 6 + i, 6 + j);
        }
    }
    if (!marlp_normal_factor(4, normal)) {
        return 0;
    }
    marlp_normal_solve(4, normal, right);
    marl_vec3 b = {0.5f * right[0], 0.5f * right[1], 0.5f * right[2]};
    float square = right[3] + vec3_dot(b, b);
    if (!(square > 1e-6f && square < 1e6f)) {
        return 0;
    }
    fit->unknown[0] = b.x;
    fit->unknown[1] = b.y;
    fit->unknown[2] = b.z;
    fit->unknown[3] = fit->unknown[4] = fit->unknown[5] = 1.0f / float_root(square);
    return 1;
}

/* b and A of these factors; 0 when Q is not positive. */
static int use_factors(const float p[FACTORS], float unknown[9])
{
    float inverse[6];
    if (!marlp_symmetric_inverse(p, inverse) || !marlp_symmetric_root(p, unknown + 3)) {
        return 0;
    }
    marl_vec3 b = vec3_scale(marlp_symmetric_apply(inverse, (marl_vec3){p[6], p[7], p[8]}), -0.5f);
    unknown[0] = b.x;
    unknown[1] = b.y;
    unknown[2] = b.z;
    return 1;
}

/* Steps are measured by the surface: Q by its own size, -2 Q b by that of its radius. */
static void take_step(marl_surface_fit *fit, const float change[FACTORS])
{
    float p[MONOMIALS], size = size_of(fit), worst = 0.0f;
    factors_of(fit, p);
    for (int k = 0; k < FACTORS; k++) {
        worst = float_max(worst, float_abs(change[k]) / (k < 6 ? size * size : 2.0f * size));
    }
    float part = worst > LONGEST_STEP ? LONGEST_STEP / worst : 1.0f;
    for (int k = 0; k < FACTORS; k++) {
        p[k] -= part * change[k];
    }
    fit->lost = !(worst < 1e6f) || !use_factors(p, fit->unknown);
    fit->settled = worst < SETTLED || (worst < ROUNDING && worst > 0.5f * fit->step && fit->steps > 1);
    fit->step = worst;
    fit->lost = fit->lost || (!fit->settled && fit->steps >= MOST_STEPS);
}

void marlp_surface_step(const marl_surface *surface, marl_surface_fit *fit)
{
    float normal[FACTORS * FACTORS], gradient[FACTORS], step[FACTORS];
    int n = unknowns_of(fit->model);
    equations_of(surface, fit, normal, gradient);
    gather(fit->model, gradient, step);
    reduce(fit->model, normal);
    fit->steps++;
    if (!marlp_normal_factor(n, normal)) {
        fit->lost = 1;
        return;
    }
    marlp_normal_solve(n, normal, step);
    spread(fit->model, step, gradient);
    take_step(fit, gradient);
}

marl_vec3 marlp_surface_apply(const marl_surface_fit *fit, marl_vec3 x)
{
    return marlp_symmetric_apply(fit->unknown + 3, vec3_sub(x, bias_of(fit)));
}

/* Half of what the square of a length is off is what the length is off, where both are near 1; the surface is as much
 * farther away as the axes are longer. */
float marlp_surface_distance(const marl_surface_fit *fit, marl_vec3 x)
{
    marl_vec3 y = marlp_surface_apply(fit, x);
    return 0.5f * (vec3_dot(y, y) - 1.0f) / size_of(fit);
}

float marlp_surface_misfit(const marl_surface *s, const marl_surface_fit *fit)
{
    float p[MONOMIALS], weighed[MONOMIALS];
    factors_of(fit, p);
    weigh(s, p, weighed);
    float n = (float)s->n, free = n - (float)unknowns_of(fit->model);
    float square = free > 0.0f ? inner(p, weighed, MONOMIALS) * n / free : 0.0f;
    return float_max(0.5f * float_root(float_max(square, 0.0f)), MISFIT_FLOOR) / size_of(fit);
}

/* ---- errors ---- */

/* Derivatives of component k of b over the factors: b = -Q^-1 h / 2, so db = -Q^-1 (dh / 2 + dQ b). */
static void slope_of_bias(const marl_surface_fit *fit, const float inverse[6], int k, float slope[FACTORS])
{
    marl_vec3 e = {k == 0, k == 1, k == 2}, row = marlp_symmetric_apply(inverse, e), b = bias_of(fit);
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
    int n = unknowns_of(model);
    gather(model, slope, own);
    marlp_normal_forward(n, e->root, own);
    float sum = e->noise2 * inner(own, own, n);
    for (int i = 0; i < e->held; i++) {
        float off = inner(slope, e->moved[i], FACTORS);
        sum += off * off;
    }
    return sum;
}

/* How far all factors go when one that is held fixed is off: it goes by itself, and the unknowns follow. */
static void move_held(const float *full, const float *root, const marl_surface_fit *fit, float open,
                      errors *e)
{
    float size = size_of(fit), follow[FACTORS];
    int n = unknowns_of(fit->model);
    for (int held = fit->model == MARL_SURFACE_SPHERE ? 0 : 3; held < 6 && n < FACTORS && open > 0.0f;
         held++) {
        float *moved = e->moved[e->held++];
        gather(fit->model, full + held * FACTORS, follow);
        marlp_normal_solve(n, root, follow);
        spread(fit->model, follow, moved);
        for (int k = 0; k < FACTORS; k++) {
            moved[k] = 2.0f * size * size * open * ((k == held ? 1.0f : 0.0f) - moved[k]);
        }
    }
}

int marlp_surface_errors(const marl_surface *s, marl_surface_fit *fit, float deviation, float open,
                         int with_scale)
{
    float full[FACTORS * FACTORS], root[FACTORS * FACTORS], slope[FACTORS], q[6], inverse[6];
    float size = size_of(fit), scatter = 2.0f * deviation * size;
    errors e = {.root = root, .noise2 = scatter * scatter / (float)s->n};
    equations_of(s, fit, full, slope);
    memcpy(root, full, sizeof root);
    reduce(fit->model, root);
    marlp_symmetric_square(fit->unknown + 3, q);
    if (!marlp_normal_factor(unknowns_of(fit->model), root) || !marlp_symmetric_inverse(q, inverse)) {
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
