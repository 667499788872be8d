/* SPDX-License-Identifier: MIT
 * The fit of an ellipsoid to moments. */
#include "device/renew/surface.h"
#include "device/math/exact.h"
#include "device/math/vec_quat.h"
#include "device/renew/normal.h"
#include <string.h>

enum { MONOMIALS = SURFACE_MONOMIALS, UNKNOWNS = SURFACE_UNKNOWNS };
#define LONGEST_STEP 0.3f
#define SETTLED 1e-5f
#define ROUNDING                                                                                             \
    1e-3f /* steps that do not become smaller any more are rounding, if they are less than this */
#define MOST_STEPS 25
#define MISFIT_FLOOR 3e-4f

static const uint8_t place[6][2] = {{0, 0}, {1, 1}, {2, 2}, {0, 1}, {0, 2}, {1, 2}};

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

static float inner(const float a[MONOMIALS], const float b[MONOMIALS])
{
    float sum = 0.0f;
    for (int i = 0; i < MONOMIALS; i++) {
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

static void square_of(const float a[6], float q[6])
{
    q[0] = a[0] * a[0] + a[3] * a[3] + a[4] * a[4];
    q[1] = a[3] * a[3] + a[1] * a[1] + a[5] * a[5];
    q[2] = a[4] * a[4] + a[5] * a[5] + a[2] * a[2];
    q[3] = a[0] * a[3] + a[3] * a[1] + a[4] * a[5];
    q[4] = a[0] * a[4] + a[3] * a[5] + a[4] * a[2];
    q[5] = a[3] * a[4] + a[1] * a[5] + a[5] * a[2];
}

static marl_vec3 times(const float a[6], marl_vec3 v)
{
    return (marl_vec3){a[0] * v.x + a[3] * v.y + a[4] * v.z, a[3] * v.x + a[1] * v.y + a[5] * v.z,
                       a[4] * v.x + a[5] * v.y + a[2] * v.z};
}

static marl_vec3 bias_of(const marl_surface_fit *fit)
{
    return (marl_vec3){fit->unknown[0], fit->unknown[1], fit->unknown[2]};
}

/* |A (x - b)|^2 - `one` as factors of the monomials, for A^2 = q. */
static void factors_of(const float q[6], marl_vec3 b, float one, float p[MONOMIALS])
{
    marl_vec3 qb = times(q, b);
    memcpy(p, q, 6 * sizeof *p);
    p[6] = -2.0f * qb.x;
    p[7] = -2.0f * qb.y;
    p[8] = -2.0f * qb.z;
    p[9] = vec3_dot(b, qb) - one;
}

/* Derivative of the factors over unknown k; for elements of A the square changes by E A + A E. */
static void slope_of(const marl_surface_fit *fit, int k, float p[MONOMIALS])
{
    const float *a = fit->unknown + 3;
    float q[6] = {0};
    if (k < 3) {
        square_of(a, q);
        marl_vec3 e = {k == 0, k == 1, k == 2}, qe = times(q, e);
        memset(p, 0, MONOMIALS * sizeof *p);
        p[6] = -2.0f * qe.x;
        p[7] = -2.0f * qe.y;
        p[8] = -2.0f * qe.z;
        p[9] = 2.0f * vec3_dot(bias_of(fit), qe);
        return;
    }
    float unit[6] = {0}, row[3][3];
    unit[k - 3] = 1.0f;
    for (int i = 0; i < 3; i++) { /* rows of A E */
        marl_vec3 e = {i == 0, i == 1, i == 2}, ae = times(unit, times(a, e));
        row[i][0] = ae.x;
        row[i][1] = ae.y;
        row[i][2] = ae.z;
    }
    for (int i = 0; i < 6; i++) {
        q[i] = row[place[i][0]][place[i][1]] + row[place[i][1]][place[i][0]];
    }
    factors_of(q, bias_of(fit), 0.0f, p);
}

static int unknowns_of(marl_surface_model model)
{
    return model == MARL_SURFACE_SPHERE ? 4 : model == MARL_SURFACE_DIAGONAL ? 6 : UNKNOWNS;
}

/* As slope_of, with the three diagonal elements of a sphere as one unknown. */
static void model_slope(const marl_surface_fit *fit, int k, float p[MONOMIALS])
{
    slope_of(fit, k, p);
    for (int more = 4; fit->model == MARL_SURFACE_SPHERE && k == 3 && more < 6; more++) {
        float other[MONOMIALS];
        slope_of(fit, more, other);
        for (int i = 0; i < MONOMIALS; i++) {
            p[i] += other[i];
        }
    }
}

/* Equations of a step, per reading: lower triangle of the normal matrix, and the gradient. */
static void equations_of(const marl_surface *s, const marl_surface_fit *fit, int n, float *normal,
                         float *gradient)
{
    float slope[UNKNOWNS][MONOMIALS], q[6], p[MONOMIALS], weighed[MONOMIALS];
    square_of(fit->unknown + 3, q);
    factors_of(q, bias_of(fit), 1.0f, p);
    for (int i = 0; i < n; i++) {
        model_slope(fit, i, slope[i]);
        weigh(s, slope[i], weighed);
        gradient[i] = inner(weighed, p);
        for (int j = 0; j <= i; j++) {
            normal[i * n + j] = inner(weighed, slope[j]);
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
        right[i] = moment(s, 0, 6 + i) + moment(s, 1, 6 + i) + moment(s, 2, 6 + i);
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

/* A is 1 over a length: its steps are bounded by its size, those of b by that length. */
static void take_step(marl_surface_fit *fit, int n, const float *step)
{
    float size = fit->unknown[3], worst = 0.0f;
    for (int k = 0; k < n; k++) {
        float relative = float_abs(step[k]) * (k < 3 ? size : 1.0f / size);
        worst = float_max(worst, relative);
    }
    float part = worst > LONGEST_STEP ? LONGEST_STEP / worst : 1.0f;
    for (int k = 0; k < n; k++) {
        fit->unknown[k] -= part * step[k];
    }
    if (fit->model == MARL_SURFACE_SPHERE) {
        fit->unknown[4] = fit->unknown[5] = fit->unknown[3];
    }
    fit->settled = worst < SETTLED || (worst < ROUNDING && worst > 0.5f * fit->step && fit->steps > 1);
    fit->step = worst;
    fit->lost = !(worst < 1e6f) || !(fit->unknown[3] > 1e-3f) || (!fit->settled && fit->steps >= MOST_STEPS);
}

void marlp_surface_step(const marl_surface *surface, marl_surface_fit *fit)
{
    float normal[UNKNOWNS * UNKNOWNS], gradient[UNKNOWNS];
    int n = unknowns_of(fit->model);
    equations_of(surface, fit, n, normal, gradient);
    fit->steps++;
    if (!marlp_normal_factor(n, normal)) {
        fit->lost = 1;
        return;
    }
    marlp_normal_solve(n, normal, gradient);
    take_step(fit, n, gradient);
}

marl_vec3 marlp_surface_apply(const marl_surface_fit *fit, marl_vec3 x)
{
    return times(fit->unknown + 3, vec3_sub(x, bias_of(fit)));
}

/* Half of what the square of a length is off is what the length is off, where both are near 1; the surface is as much
 * farther away as the axes are longer. */
float marlp_surface_distance(const marl_surface_fit *fit, marl_vec3 x)
{
    marl_vec3 y = marlp_surface_apply(fit, x);
    return 0.5f * (vec3_dot(y, y) - 1.0f) / fit->unknown[3];
}

float marlp_surface_misfit(const marl_surface *s, const marl_surface_fit *fit)
{
    float q[6], p[MONOMIALS], weighed[MONOMIALS];
    square_of(fit->unknown + 3, q);
    factors_of(q, bias_of(fit), 1.0f, p);
    weigh(s, p, weighed);
    float n = (float)s->n, free = n - (float)unknowns_of(fit->model);
    float square = free > 0.0f ? inner(p, weighed) * n / free : 0.0f;
    return float_max(0.5f * float_root(float_max(square, 0.0f)), MISFIT_FLOOR) / fit->unknown[3];
}

/* How far elements that are held fixed move unknown k when each is off by one. */
static float moved_by_fixed(const marl_surface *s, const marl_surface_fit *fit, int n,
                            const float column[UNKNOWNS])
{
    float square = 0.0f;
    for (int fixed = fit->model == MARL_SURFACE_SPHERE ? 3 : n; fixed < UNKNOWNS; fixed++) {
        float open[MONOMIALS], weighed[MONOMIALS], sum = 0.0f;
        slope_of(fit, fixed, open);
        weigh(s, open, weighed);
        for (int i = 0; i < n; i++) {
            float slope[MONOMIALS];
            model_slope(fit, i, slope);
            sum += column[i] * inner(slope, weighed);
        }
        square += sum * sum;
    }
    return square;
}

/* The common factor taken out of the three diagonal elements: what stays is the difference from their mean. */
static float without_factor(const float cofactor[UNKNOWNS][UNKNOWNS], int n, int k)
{
    if (k > 5 || n < 6) {
        return cofactor[k][k];
    }
    float all = 0.0f, row = 0.0f;
    for (int i = 3; i < 6; i++) {
        row += cofactor[k][i];
        all += cofactor[i][3] + cofactor[i][4] + cofactor[i][5];
    }
    return float_max(cofactor[k][k] + all / 9.0f - 2.0f * row / 3.0f, 0.0f);
}

int marlp_surface_errors(const marl_surface *s, marl_surface_fit *fit, float deviation, float open,
                         int with_scale)
{
    float normal[UNKNOWNS * UNKNOWNS], gradient[UNKNOWNS], cofactor[UNKNOWNS][UNKNOWNS] = {{0}};
    int n = unknowns_of(fit->model);
    float size = fit->unknown[3], scatter = 2.0f * deviation * size;
    equations_of(s, fit, n, normal, gradient);
    if (!marlp_normal_factor(n, normal)) {
        return 0;
    }
    for (int k = 0; k < n; k++) {
        cofactor[k][k] = 1.0f;
        marlp_normal_solve(n, normal, cofactor[k]);
    }
    fit->matrix_sigma = 0.0f;
    for (int k = 0; k < n; k++) {
        float own =
            k >= 3 && !with_scale ? without_factor((const float(*)[UNKNOWNS])cofactor, n, k) : cofactor[k][k];
        float held = open > 0.0f ? open * size * open * size * moved_by_fixed(s, fit, n, cofactor[k]) : 0.0f;
        float sigma = float_root(own * scatter * scatter / (float)s->n + held);
        if (k < 3) {
            fit->bias_sigma[k] = sigma;
        } else {
            fit->matrix_sigma = float_max(fit->matrix_sigma, sigma / size);
        }
    }
    return 1;
}
