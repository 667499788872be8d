/* SPDX-License-Identifier: MIT
 * Constant rotations between an estimate and a reference. */
#include "lab/compare/match_pairs.h"
#include "lab/log/series.h"
#include "lab/maths/block_fit.h"
#include "lab/maths/linear.h"
#include "marlinspike/compare.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define AVERAGED_S 8.0 /* errors that turn with the body are independent after so long */
#define SETTLED_NS INT64_C(5000000000)
#define SETTLED_DEG 2.0
/* Of the body side: with more it follows the errors of the estimate rather than a mount. */
#define MAX_SIGMA_DEG 1.0
#define MAX_CONDITION 20.0
#define AT_REST 1e-7 /* rad: the last step of the search */
/* Of a row's weight, so that a step stays finite where the sides are mixed up: 1 over the square of a condition. */
#define DAMPING 1e-6
enum {
    ROUNDS = 30,
    UNKNOWNS = 6,
    BLOCKS = 12 /* of a recording: errors of an estimate hang together while a motion lasts */
};

static const char *const names[] = {"none", "start", "heading", "world", "world+body"};

marl_status marl_match_from_name(const char *name, marl_match_kind *kind)
{
    for (int i = 0; i <= MARL_MATCH_WORLD_AND_BODY; i++) {
        if (strcmp(name, names[i]) == 0) {
            *kind = (marl_match_kind)i;
            return MARL_OK;
        }
    }
    return MARL_ERR_ARGUMENT;
}

static marl_quat small_turn(const double v[3])
{
    double angle = sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]);
    double share = angle > 0 ? sin(angle / 2) / angle : 0.5;
    return (marl_quat){(float)cos(angle / 2), (float)(share * v[0]), (float)(share * v[1]),
                       (float)(share * v[2])};
}

/* The rotation that is left, in the world, and how a turn of the body side moves it. */
static void residual(const lab_pairs *p, size_t i, const marl_match *m, double left[3], double turned[3][3])
{
    marl_quat rotated = marl_quat_product(m->world, marl_quat_product(p->reference[i], m->body));
    marl_quat e = marl_quat_product(p->estimate[i].q, marl_quat_conjugate(rotated));
    marl_mat3 r = marl_quat_to_matrix(rotated);
    double sine = sqrt((double)e.x * (double)e.x + (double)e.y * (double)e.y + (double)e.z * (double)e.z);
    double angle = 2 * atan2(sine, fabs((double)e.w)) * (e.w < 0 ? -1 : 1);
    double scale = sine > 1e-12 ? angle / sine : 2;
    left[0] = scale * (double)e.x;
    left[1] = scale * (double)e.y;
    left[2] = scale * (double)e.z;
    for (int k = 0; k < 9; k++) {
        turned[k / 3][k % 3] = (double)r.m[k / 3][k % 3];
    }
}

/* Which unknowns a kind of match has: turns of the world about x, y, z, then of the body. */
typedef struct dof {
    int n, unknown[UNKNOWNS];
} dof;

static dof dof_of(marl_match_kind kind)
{
    return kind == MARL_MATCH_HEADING ? (dof){1, {2}}
           : kind == MARL_MATCH_WORLD ? (dof){3, {0, 1, 2}}
                                      : (dof){6, {0, 1, 2, 3, 4, 5}};
}

static void add_rows(lab_block_fit *fit, const lab_pairs *p, const marl_match *m, const dof *f)
{
    for (size_t i = 0; i < p->n; i++) {
        double left[3], turned[3][3];
        residual(p, i, m, left, turned);
        for (int axis = 0; axis < 3; axis++) {
            double row[UNKNOWNS];
            for (int k = 0; k < f->n; k++) {
                int u = f->unknown[k];
                row[k] = u < 3 ? (double)(u == axis) : turned[axis][u - 3];
            }
            lab_block_fit_add(fit, p->estimate[i].t_ns, row, left[axis]);
        }
    }
}

static void add_step(marl_match *m, const dof *f, const double *step)
{
    double turn[UNKNOWNS] = {0};
    for (int k = 0; k < f->n; k++) {
        turn[f->unknown[k]] = step[k];
    }
    m->world = marl_quat_product(small_turn(turn), m->world);
    m->body = marl_quat_product(m->body, small_turn(turn + 3));
    (void)!marl_quat_normalize(&m->world);
    (void)!marl_quat_normalize(&m->body);
}

/* How well the sides are separated, from the eigenvalues of the normal matrix, which are 1 per row where nothing is mixed
 * up. */
typedef struct separation {
    double condition; /* by the smallest */
    double rest;      /* by the next, without the unknowns that the smallest one belongs to */
    double mixed[UNKNOWNS];
    int is_mixed; /* too much to be known apart */
} separation;

static separation separation_of(const lab_block_fit *fit)
{
    separation s = {INFINITY, INFINITY, {0}, 0};
    double normal[LAB_BLOCK_FIT_MAX * LAB_BLOCK_FIT_MAX], value[LAB_BLOCK_FIT_MAX];
    double places = (double)fit->rows / 3;
    memcpy(normal, fit->normal, sizeof normal);
    if (!lab_eigen(fit->n, normal, value)) {
        return s;
    }
    s.condition = value[0] > 0 ? sqrt(places / value[0]) : INFINITY;
    s.rest = fit->n > 1 && value[1] > 0 ? sqrt(places / value[1]) : INFINITY;
    memcpy(s.mixed, normal, (size_t)fit->n * sizeof s.mixed[0]);
    return s;
}

/* Takes out of a vector what lies along another one, of length 1. */
static void take_out(int n, const double *along, double *v)
{
    double part = 0;
    for (int k = 0; k < n; k++) {
        part += along[k] * v[k];
    }
    for (int k = 0; k < n; k++) {
        v[k] -= part * along[k];
    }
}

/* The covariance of what is not mixed up. */
static void take_out_of_both_sides(int n, const double *along, double *covariance)
{
    for (int row = 0; row < n; row++) {
        take_out(n, along, covariance + (size_t)row * (size_t)n);
    }
    for (int column = 0; column < n; column++) {
        double v[UNKNOWNS];
        for (int k = 0; k < n; k++) {
            v[k] = covariance[k * n + column];
        }
        take_out(n, along, v);
        for (int k = 0; k < n; k++) {
            covariance[k * n + column] = v[k];
        }
    }
}

/* The largest of the three; NaN where the body side is not sought. */
static double body_sigma(const marl_match *m)
{
    return fmax(m->body_sigma_deg[0], fmax(m->body_sigma_deg[1], m->body_sigma_deg[2]));
}

static void report_sigma(marl_match *m, const dof *f, const double *covariance)
{
    m->sigma_deg = NAN;
    for (int k = 0; k < f->n; k++) {
        double sigma = sqrt(fmax(0, covariance[k * f->n + k])) / MARL_DEGREE;
        double *to = f->unknown[k] < 3 ? m->world_sigma_deg : m->body_sigma_deg;
        to[f->unknown[k] % 3] = sigma;
        m->sigma_deg = fmax(m->sigma_deg, sigma);
    }
}

/* Least squares from where *m is; 0 when it never comes to rest. What is mixed up is left out of the standard errors. */
static int polish(const lab_pairs *p, marl_match_kind kind, marl_match *m, separation *s)
{
    double step[LAB_BLOCK_FIT_MAX], covariance[LAB_BLOCK_FIT_MAX * LAB_BLOCK_FIT_MAX];
    dof f = dof_of(kind);
    int64_t share = p->n > 0 ? (p->estimate[p->n - 1].t_ns - p->estimate[0].t_ns) / BLOCKS : 0;
    for (int i = 0; i < ROUNDS; i++) {
        lab_block_fit fit;
        double moved = 0;
        lab_block_fit_init(&fit, f.n, share > LAB_BLOCK_NS ? share : LAB_BLOCK_NS);
        add_rows(&fit, p, m, &f);
        *s = separation_of(&fit);
        for (int k = 0; k < f.n; k++) {
            fit.normal[k * f.n + k] += DAMPING * (double)fit.rows / 3;
        }
        if (!lab_block_fit_solve(&fit, step, covariance)) {
            return 0;
        }
        add_step(m, &f, step);
        m->residual_deg = sqrt(3 * fit.squares / (double)fit.rows) / MARL_DEGREE;
        report_sigma(m, &f, covariance);
        s->is_mixed = s->condition > MAX_CONDITION || body_sigma(m) > MAX_SIGMA_DEG;
        if (s->is_mixed) {
            take_out(f.n, s->mixed, step);
            take_out_of_both_sides(f.n, s->mixed, covariance);
            report_sigma(m, &f, covariance);
        }
        for (int k = 0; k < f.n; k++) {
            moved = fmax(moved, fabs(step[k]));
        }
        if (moved < AT_REST) {
            return 1;
        }
    }
    return 0;
}

static marl_match nothing_found(marl_match_kind kind)
{
    marl_match m = {
        .kind = kind, .world = {1, 0, 0, 0}, .body = {1, 0, 0, 0}, .sigma_deg = NAN, .residual_deg = NAN};
    for (int i = 0; i < 3; i++) {
        m.world_sigma_deg[i] = m.body_sigma_deg[i] = NAN;
    }
    m.condition = 1;
    return m;
}

/* The twist about the vertical that brings one over the other, on the whole. */
static void match_heading(const lab_pairs *p, marl_match *m)
{
    double sine = 0, cosine = 0;
    separation s;
    for (size_t i = 0; i < p->n; i++) {
        marl_quat e = marl_quat_product(p->estimate[i].q, marl_quat_conjugate(p->reference[i]));
        double w = (double)e.w, z = (double)e.z;
        sine += 2 * w * z;
        cosine += w * w - z * z;
    }
    double half = 0.5 * atan2(sine, cosine);
    m->world = (marl_quat){(float)cos(half), 0, 0, (float)sin(half)};
    (void)!polish(p, MARL_MATCH_HEADING, m, &s);
}

/* Rows from `from` on that stay within 2 degrees of its difference, over 5 s; 0 when they do not. */
static size_t stays(const lab_pairs *p, size_t from)
{
    marl_quat d = marl_quat_product(p->estimate[from].q, marl_quat_conjugate(p->reference[from]));
    for (size_t i = from; i < p->n; i++) {
        marl_quat e = marl_quat_product(p->estimate[i].q, marl_quat_conjugate(p->reference[i]));
        if (lab_quat_angle(d, e) > SETTLED_DEG * MARL_DEGREE) {
            return 0;
        }
        if (p->estimate[i].t_ns - p->estimate[from].t_ns >= SETTLED_NS) {
            return i - from + 1;
        }
    }
    return 0;
}

/* The mean difference over those 5 s; its standard error is their scatter, since they are all of one piece.
 */
static int match_start(const lab_pairs *p, marl_match *m)
{
    size_t from = 0, n = 0;
    while (from < p->n && (n = stays(p, from)) == 0) {
        from++;
    }
    if (n == 0) {
        return 0;
    }
    lab_pairs some = {n, p->estimate + from, p->reference + from};
    double squares[3] = {0};
    m->world = lab_pairs_mean_world(&some, m->body);
    for (size_t i = 0; i < n; i++) {
        double left[3], turned[3][3];
        residual(&some, i, m, left, turned);
        for (int k = 0; k < 3; k++) {
            squares[k] += left[k] * left[k];
        }
    }
    m->residual_deg = sqrt((squares[0] + squares[1] + squares[2]) / (double)n) / MARL_DEGREE;
    for (int k = 0; k < 3; k++) {
        m->world_sigma_deg[k] = sqrt(squares[k] / (double)n) / MARL_DEGREE;
        m->sigma_deg = fmax(m->sigma_deg, m->world_sigma_deg[k]);
    }
    return 1;
}

/* Both sides, or both but for the turn about the one axis that the motion mixes up; 0 when it mixes up more. */
static int match_both(const lab_pairs *p, marl_match *m)
{
    separation s;
    m->body = lab_pairs_first_body(p);
    m->world = lab_pairs_mean_world(p, m->body);
    int at_rest = polish(p, MARL_MATCH_WORLD_AND_BODY, m, &s);
    m->condition = at_rest ? s.condition : INFINITY;
    int is_known = at_rest && body_sigma(m) <= MAX_SIGMA_DEG;
    m->has_body = is_known && !s.is_mixed;
    m->body_is_mixed = is_known && s.is_mixed && s.rest <= MAX_CONDITION;
    double length = copysign(sqrt(lab_dot3(s.mixed + 3, s.mixed + 3)), s.mixed[5]);
    for (int k = 0; k < 3 && m->body_is_mixed; k++) {
        m->mixed_axis[k] = s.mixed[3 + k] / length;
    }
    return m->has_body || m->body_is_mixed;
}

static void match_world(const lab_pairs *p, marl_match *m)
{
    double condition = m->condition;
    separation s;
    *m = nothing_found(m->kind);
    m->world = lab_pairs_mean_world(p, m->body);
    (void)!polish(p, MARL_MATCH_WORLD, m, &s);
    m->condition = condition;
}

marl_status marl_match_find(const marl_series *estimate, const marl_series *reference, marl_match_kind kind,
                            marl_match *match, marl_error *error)
{
    lab_pairs all = {0, NULL, NULL};
    *match = nothing_found(kind);
    if (kind == MARL_MATCH_NONE) {
        return MARL_OK;
    }
    marl_status status = lab_pairs_make(estimate, reference, &all, error);
    if (status == MARL_OK && all.n > 1) {
        lab_pairs p = lab_pairs_settled(&all);
        match->has_world = 1;
        if (kind == MARL_MATCH_START) {
            match->has_world = match_start(&all, match);
        } else if (kind == MARL_MATCH_HEADING) {
            match_heading(&p, match);
        } else if (kind != MARL_MATCH_WORLD_AND_BODY || !match_both(&p, match)) {
            match_world(&p, match);
            match->has_world = 1;
        }
        if (!match->has_world) {
            status = marl_fail(error, MARL_ERR_INSUFFICIENT,
                               "the estimate never stays within 2 degrees of one difference to the reference "
                               "for 5 s: --match start has no settled moment");
        }
    }
    lab_pairs_free(&all);
    return status;
}

/* The share of an error, fixed to the body, that lasts in the world along x or y: the length of the mean of that axis in
 * the body; what does not last averages out. */
static double lasting(const marl_series *estimate, marl_vec3 axis)
{
    double mean[3] = {0, 0, 0};
    for (size_t i = 0; i < estimate->n; i++) {
        marl_vec3 v = marl_quat_rotate_back(estimate->at[i].q, axis);
        mean[0] += (double)v.x / (double)estimate->n;
        mean[1] += (double)v.y / (double)estimate->n;
        mean[2] += (double)v.z / (double)estimate->n;
    }
    double share2 = mean[0] * mean[0] + mean[1] * mean[1] + mean[2] * mean[2];
    double seconds = 1e-9 * (double)(estimate->at[estimate->n - 1].t_ns - estimate->at[0].t_ns);
    return sqrt(share2 + (1 - share2) * fmin(1, AVERAGED_S / fmax(seconds, AVERAGED_S)));
}

void marl_match_add_sigma(marl_match *match, const marl_series *estimate, double tilt, double heading)
{
    const double more[3] = {tilt / sqrt(2) / MARL_DEGREE, tilt / sqrt(2) / MARL_DEGREE,
                            heading / MARL_DEGREE};
    if (estimate->n == 0) {
        return;
    }
    /* a force along y turns the world about x; a field along x, its east, about z */
    double east = lasting(estimate, (marl_vec3){1, 0, 0}), north = lasting(estimate, (marl_vec3){0, 1, 0});
    double lasts[3] = {north, east, east};
    for (int k = 0; k < 3; k++) {
        lasts[k] = match->kind == MARL_MATCH_START ? 1 : lasts[k]; /* nothing averages out in one attitude */
        match->world_sigma_deg[k] = hypot(match->world_sigma_deg[k], lasts[k] * more[k]);
        match->body_sigma_deg[k] = hypot(match->body_sigma_deg[k], more[k]);
        match->sigma_deg = fmax(match->sigma_deg, fmax(match->world_sigma_deg[k], match->body_sigma_deg[k]));
    }
    match->sigma_deg = isnan(tilt + heading) ? (double)NAN : match->sigma_deg;
}

void marl_match_apply(const marl_match *match, marl_series *reference)
{
    for (size_t i = 0; i < reference->n; i++) {
        marl_quat *q = &reference->at[i].q;
        *q = marl_quat_product(match->world, marl_quat_product(*q, match->body));
        (void)!marl_quat_normalize(q);
    }
}
