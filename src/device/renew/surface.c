/* SPDX-License-Identifier: MIT
 * The fit of an ellipsoid to moments. */
#include "device/math/exact.h"
#include "device/math/vec_quat.h"
#include "device/renew/normal.h"
#include "device/renew/surface_parts.h"
#include "device/renew/symmetric.h"
#include <string.h>

enum { MONOMIALS = SURFACE_MONOMIALS, FACTORS = SURFACE_FACTORS };
#define LONGEST_STEP 0.3f
#define SETTLED 1e-5f
#define ROUNDING                                                                                             \
    1e-3f /* steps that do not become smaller any more are rounding, if they are less than this */
#define MAX_STEPS 25
#define RESIDUAL_FLOOR 3e-4f

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

float marlp_inner(const float *a, const float *b, int n)
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

float marlp_surface_size(const marl_surface_fit *fit)
{
    return (fit->unknown[3] + fit->unknown[4] + fit->unknown[5]) / 3.0f;
}

marl_vec3 marlp_surface_bias(const marl_surface_fit *fit)
{
    return (marl_vec3){fit->unknown[0], fit->unknown[1], fit->unknown[2]};
}

/* |A (x - b)|^2 - 1 as factors of the monomials: Q = A^2, -2 Q b, b^T Q b - 1. */
static void factors_of(const marl_surface_fit *fit, float p[MONOMIALS])
{
    marl_vec3 b = marlp_surface_bias(fit);
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
    marl_vec3 b = marlp_surface_bias(fit);
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

void marlp_surface_equations(const marl_surface *s, const marl_surface_fit *fit, float *normal,
                             float *gradient)
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
    float p[MONOMIALS], size = marlp_surface_size(fit), worst = 0.0f;
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
    fit->lost = fit->lost || (!fit->settled && fit->steps >= MAX_STEPS);
}

void marlp_surface_step(const marl_surface *surface, marl_surface_fit *fit)
{
    float normal[FACTORS * FACTORS], gradient[FACTORS], step[FACTORS];
    int n = marlp_surface_unknowns(fit->model);
    marlp_surface_equations(surface, fit, normal, gradient);
    marlp_surface_gather(fit->model, gradient, step);
    marlp_surface_reduce(fit->model, normal);
    fit->steps++;
    if (!marlp_normal_factor(n, normal)) {
        fit->lost = 1;
        return;
    }
    marlp_normal_solve(n, normal, step);
    marlp_surface_spread(fit->model, step, gradient);
    take_step(fit, gradient);
}

marl_vec3 marlp_surface_apply(const marl_surface_fit *fit, marl_vec3 x)
{
    return marlp_symmetric_apply(fit->unknown + 3, vec3_sub(x, marlp_surface_bias(fit)));
}

/* Half of what the square of a length is off is what the length is off, where both are near 1; the surface is as much
 * farther away as the axes are longer. */
float marlp_surface_distance(const marl_surface_fit *fit, marl_vec3 x)
{
    marl_vec3 y = marlp_surface_apply(fit, x);
    return 0.5f * (vec3_dot(y, y) - 1.0f) / marlp_surface_size(fit);
}

float marlp_surface_residual(const marl_surface *s, const marl_surface_fit *fit)
{
    float p[MONOMIALS], weighed[MONOMIALS];
    factors_of(fit, p);
    weigh(s, p, weighed);
    float n = (float)s->n, free = n - (float)marlp_surface_unknowns(fit->model);
    float square = free > 0.0f ? marlp_inner(p, weighed, MONOMIALS) * n / free : 0.0f;
    return float_max(0.5f * float_root(float_max(square, 0.0f)), RESIDUAL_FLOOR) / marlp_surface_size(fit);
}
