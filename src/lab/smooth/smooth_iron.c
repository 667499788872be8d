/* SPDX-License-Identifier: MIT
 * A hard iron that is too large for the passes: from readings of the field that the gyroscope turns into one frame. It needs
 * no attitude. */
#include "lab/maths/linear.h"
#include "lab/maths/statistics.h"
#include "lab/smooth/smooth_parts.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

enum { LAGS = 3, ROUNDS = 3, UNKNOWNS = 6 };
static const size_t lag_of[LAGS] = {10, 40, 160}; /* blocks, of about 0.1 s */
#define IRON_PRIOR 30.0                           /* uT */
#define BIAS_PRIOR 0.1                            /* rad/s, of each step */
#define NOISE 1.0                                 /* uT, of a difference, at least */
#define MODEL 1.5                                 /* uT, of a difference for each rad: scale, misalignment */
#define LARGE 10.0                                /* uT: less the passes find themselves */
#define SURE2 25.0                                /* squared standard deviations */

/* Means over a block's readings, in the frame of the piece's first row. */
typedef struct place {
    int n, piece;
    double field[3], turn[9], drift[9]; /* R m, R, and the integral of R until then, s */
} place;

typedef struct iron {
    const lab_smoother *s;
    place *place; /* of each knot */
    double *off;  /* room for residuals */
    double hard[3], bias[3];
    double turned; /* sum of the squared turns, each with its weight */
    double matrix[UNKNOWNS * UNKNOWNS], vector[UNKNOWNS];
} iron;

static void add_reading(place *to, const marl_sample *sample, const double turn[9])
{
    const double m[3] = {(double)sample->mag.x, (double)sample->mag.y, (double)sample->mag.z};
    to->n++;
    for (int e = 0; e < 9; e++) {
        to->turn[e] += turn[e];
        to->field[e / 3] += turn[e] * m[e % 3];
    }
}

static void divide(double *sum, int length, int n)
{
    for (int i = 0; i < length && n > 0; i++) {
        sum[i] /= n;
    }
}

/* Turns all readings into the frame of their piece with the present bias. */
static void turn_fields(iron *to)
{
    const lab_smoother *s = to->s;
    double q[4] = {1, 0, 0, 0}, drift[9] = {0}, turn[9];
    int piece = 0;
    for (size_t k = 0; k < s->knots; k++) {
        place *at = &to->place[k];
        piece += s->knot[k].gap;
        *at = (place){.piece = piece};
        for (size_t i = s->knot[k].first; i <= s->knot[k].last; i++) {
            const marl_sample *now = &s->sample[i];
            double turned[3], dt = lab_step_s(s, i);
            lab_turn_into(s, i, to->bias, turned);
            lab_turn_body(q, turned);
            lab_matrix_of(q, turn);
            for (int e = 0; e < 9; e++) {
                drift[e] += turn[e] * dt;
            }
            if (now->fresh & MARL_FRESH_MAG) {
                add_reading(at, now, turn);
            }
        }
        divide(at->field, 3, at->n);
        divide(at->turn, 9, at->n);
        memcpy(at->drift, drift, sizeof drift);
    }
}

/* A difference of two places: what is left of it with the present values, and how it depends on them. */
static void difference(const iron *of, const place *a, const place *b, double off[3], double by[3][UNKNOWNS])
{
    double field[3], drift[9];
    for (int r = 0; r < 3; r++) {
        off[r] = b->field[r] - a->field[r];
        field[r] = a->field[r];
        for (int c = 0; c < 3; c++) {
            by[r][c] = b->turn[3 * r + c] - a->turn[3 * r + c];
            off[r] -= by[r][c] * of->hard[c];
            field[r] -= a->turn[3 * r + c] * of->hard[c];
            drift[3 * r + c] = b->drift[3 * r + c] - a->drift[3 * r + c];
        }
    }
    for (int c = 0; c < 3; c++) { /* a bias turns what the gyroscope carried along */
        const double turned[3] = {drift[c], drift[3 + c], drift[6 + c]};
        double moved[3];
        lab_cross3(turned, field, moved);
        for (int r = 0; r < 3; r++) {
            by[r][3 + c] = moved[r];
        }
    }
}

/* The angle by which two places differ, squared; 4 at most. */
static double turn_squared(double by[3][UNKNOWNS])
{
    double sum = 0;
    for (int i = 0; i < 9; i++) {
        sum += by[i / 3][i % 3] * by[i / 3][i % 3] / 2;
    }
    return sum;
}

static void add(iron *to, const double off[3], double by[3][UNKNOWNS], double weight)
{
    to->turned += weight * turn_squared(by);
    for (int r = 0; r < 3; r++) {
        for (int i = 0; i < UNKNOWNS; i++) {
            to->vector[i] += weight * by[r][i] * off[r];
            for (int j = 0; j < UNKNOWNS; j++) {
                to->matrix[UNKNOWNS * i + j] += weight * by[r][i] * by[r][j];
            }
        }
    }
}

/* All differences over one lag, with the weights that their size gives them ("Robust estimation of a location parameter",
 * 1964, in its redescending form: steel). Adds them to the normal equations, or finds their median. */
static double add_lag(iron *to, size_t lag, double scale)
{
    const lab_smoother *s = to->s;
    size_t n = 0, step = lag / 2;
    for (size_t k = 0; k + lag < s->knots; k += step) {
        const place *a = &to->place[k], *b = &to->place[k + lag];
        double off[3], by[3][UNKNOWNS];
        if (a->n == 0 || b->n == 0 || a->piece != b->piece) {
            continue;
        }
        difference(to, a, b, off, by);
        double square = lab_dot3(off, off) / 3;
        if (scale > 0) {
            add(to, off, by, 1 / (scale * scale + square));
        }
        to->off[n++] = sqrt(square);
    }
    return n > 0 ? lab_quantile(to->off, n, 0.5) : 0;
}

/* The normal equations of the first lags, with the prior. */
static void set_equations(iron *to, int lags)
{
    memset(to->matrix, 0, sizeof to->matrix);
    memset(to->vector, 0, sizeof to->vector);
    to->turned = 0;
    turn_fields(to);
    for (int i = 0; i < lags; i++) {
        double median = add_lag(to, lag_of[i], 0);
        (void)add_lag(to, lag_of[i], fmax(NOISE, median));
    }
    for (int i = 0; i < UNKNOWNS; i++) {
        double prior = i < 3 ? IRON_PRIOR : BIAS_PRIOR;
        to->matrix[(UNKNOWNS + 1) * i] += 1 / (prior * prior);
        to->vector[i] -= i < 3 ? to->hard[i] / (prior * prior) : 0;
    }
}

/* One step of least squares; `covariance` becomes that of the hard iron: of noise, and of what scale and misalignment add to
 * each difference in proportion to its turn, all alike, so that no number of differences makes it less. 0 when it fails. */
static int improve(iron *to, int lags, double covariance[9])
{
    double seen[9];
    set_equations(to, lags);
    for (int i = 0; i < 9; i++) {
        seen[i] = to->matrix[UNKNOWNS * (i / 3) + i % 3];
    }
    if (!lab_invert_positive(3, seen) || !lab_solve_positive(UNKNOWNS, to->matrix, to->vector) ||
        !lab_invert_factor(UNKNOWNS, to->matrix)) {
        return 0;
    }
    for (int i = 0; i < 3; i++) {
        to->hard[i] += to->vector[i];
        to->bias[i] += to->vector[3 + i];
    }
    for (int i = 0; i < 9; i++) {
        covariance[i] = to->matrix[UNKNOWNS * (i / 3) + i % 3] + MODEL * MODEL * to->turned * seen[i];
    }
    return 1;
}

/* By the prior with all of the covariance: along an axis that is hardly seen it is as good as none. */
static int shrink(double hard[3], double covariance[9])
{
    double sum[9], gain[9];
    memcpy(sum, covariance, sizeof sum);
    for (int i = 0; i < 3; i++) {
        sum[4 * i] += IRON_PRIOR * IRON_PRIOR;
    }
    if (!lab_invert_positive(3, sum)) {
        return 0;
    }
    for (int i = 0; i < 9; i++) { /* prior / (prior + covariance) */
        gain[i] = IRON_PRIOR * IRON_PRIOR * sum[i];
    }
    const double was[3] = {hard[0], hard[1], hard[2]};
    for (int i = 0; i < 3; i++) {
        hard[i] = lab_dot3(gain + 3 * i, was);
    }
    for (int i = 0; i < 9; i++) { /* prior - prior^2 / (prior + covariance) */
        covariance[i] = IRON_PRIOR * IRON_PRIOR * ((i % 4 == 0) - gain[i]);
    }
    return 1;
}

/* Is it beyond chance, and more than raw sensors are assumed to have? */
static int is_large(const double hard[3], const double covariance[9])
{
    double a[9], x[3];
    memcpy(a, covariance, sizeof a);
    memcpy(x, hard, sizeof x);
    return lab_dot3(hard, hard) > LARGE * LARGE && lab_solve_positive(3, a, x) && lab_dot3(hard, x) > SURE2;
}

/* 0 when numbers do not determine it. */
static int find(iron *to, double covariance[9])
{
    for (int lags = 1; lags <= LAGS; lags++) {
        for (int i = 0; i < ROUNDS; i++) {
            if (!improve(to, lags, covariance)) {
                return 0;
            }
        }
    }
    return shrink(to->hard, covariance);
}

marl_status lab_smooth_find_iron(lab_smoother *s, marl_error *error)
{
    iron it = {.s = s, .place = calloc(s->knots, sizeof *it.place), .off = calloc(s->knots, sizeof *it.off)};
    double covariance[9] = {0};
    if (it.place == NULL || it.off == NULL) {
        free(it.place);
        free(it.off);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    int is_found = s->has_mag && find(&it, covariance);
    s->has_iron = is_found && is_large(it.hard, covariance);
    for (int i = 0; i < 3; i++) {
        s->iron[i] = is_found ? it.hard[i] : 0;
        s->iron_sigma[i] = is_found ? sqrt(covariance[4 * i]) : IRON_PRIOR;
    }
    for (size_t i = 0; i < s->rows && s->has_iron; i++) {
        marl_vec3 *m = &s->sample[i].mag;
        *m = (marl_vec3){m->x - (float)it.hard[0], m->y - (float)it.hard[1], m->z - (float)it.hard[2]};
    }
    free(it.place);
    free(it.off);
    return MARL_OK;
}
