/* SPDX-License-Identifier: MIT
 * A hard iron that is another for a part of a tumble, as when a lid or a cable is moved: the part in which one constant
 * vector explains most of what lengths are off by. */
#include "lab/calibrate/tumble_parts.h"
#include "lab/maths/linear.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

enum { SURFACE = 9, SPHERE = 4, BLOCKS = 60, MIN_BLOCKS = 6, MIN_READINGS = 300 };
#define CLIP 8.0 /* deviations of the readings that belong; one that is off by more counts as so much */
/* Least gain by the three unknowns, in variances of a reading. Some 1,700 parts are tried: chance alone makes 25. */
#define MIN_GAIN 40.0
#define MIN_SHARE                                                                                            \
    0.6 /* of all that readings are off by beside their noise; steel that stands near leaves more */
#define OVER_DRIFT 1.2 /* times what a drift explains: a straight one looks like two halves, too */

/* Derivatives of lengths by what the surface leaves open, over the readings of one block, or from the first block on. */
typedef struct block_sums {
    double normal[SURFACE * SURFACE], gradient[SURFACE];
} block_sums;

typedef struct scan {
    int n; /* unknowns of the surface; the first three are the hard iron */
    block_sums block[BLOCKS], upto[BLOCKS + 1];
    double squares, changes, readings;
    double inverse[SURFACE * SURFACE], settled[SURFACE]; /* of the surface: covariance, and its own step */
} scan;

/* By the hard iron, then by the size (a sphere) or by the six elements of the soft iron. */
static void derivatives(const double field[3], double size, int n, double row[SURFACE])
{
    const double u[3] = {field[0] / size, field[1] / size, field[2] / size};
    memcpy(row, u, sizeof u);
    row[3] = 1;
    if (n == SURFACE) {
        for (int k = 0; k < 3; k++) {
            row[3 + k] = u[k] * u[k];
            row[6 + k] = 2 * u[k] * u[(k + 1) % 3];
        }
    }
}

static void add(block_sums *to, double factor, const block_sums *b)
{
    for (int i = 0; i < SURFACE * SURFACE; i++) {
        to->normal[i] += factor * b->normal[i];
    }
    for (int i = 0; i < SURFACE; i++) {
        to->gradient[i] += factor * b->gradient[i];
    }
}

static void add_readings(const marl_log *log, const lab_tumble_readings *r, const marl_fit *fit, scan *s)
{
    int64_t first = log->row[r->row[0]].sample.t_ns, last = log->row[r->row[r->n - 1]].sample.t_ns;
    double most = CLIP * fit->residual_rms, before = NAN;
    for (size_t i = 0; i < r->n; i++) {
        double at = (double)(log->row[r->row[i]].sample.t_ns - first) / (double)(last - first), field[3];
        marl_fit_apply(fit, r->x[i], NAN, field);
        double size = sqrt(lab_dot3(field, field)), off = fmax(-most, fmin(most, size - fit->field));
        block_sums *b = &s->block[at < 1 ? (int)(at * BLOCKS) : BLOCKS - 1];
        double row[SURFACE];
        if (!(size > 0)) {
            continue;
        }
        derivatives(field, size, s->n, row);
        for (int j = 0; j < s->n; j++) {
            for (int k = 0; k < s->n; k++) {
                b->normal[j * s->n + k] += row[j] * row[k];
            }
            b->gradient[j] += row[j] * off;
        }
        s->squares += off * off;
        s->changes += isnan(before) ? 0 : 0.5 * (off - before) * (off - before);
        s->readings++;
        before = off;
    }
}

/* The surface's own step, which the readings that were left out ask for. */
static int settle(scan *s)
{
    for (int b = 0; b < BLOCKS; b++) {
        s->upto[b + 1] = s->upto[b];
        add(&s->upto[b + 1], 1, &s->block[b]);
    }
    const block_sums *all = &s->upto[BLOCKS];
    memcpy(s->inverse, all->normal, sizeof s->inverse);
    if (!lab_invert_positive(s->n, s->inverse)) {
        return 0;
    }
    for (int j = 0; j < s->n; j++) {
        for (int k = 0; k < s->n; k++) {
            s->settled[j] += s->inverse[j * s->n + k] * all->gradient[k];
        }
        s->squares -= s->settled[j] * all->gradient[j];
    }
    return 1;
}

/* What three unknowns more explain, beside the surface: `once` holds the sums with their factor, `twice` with its square.
 * Their values into `step`, uT. */
static double gain_of(const scan *s, const block_sums *once, const block_sums *twice, double step[3])
{
    int n = s->n;
    double left[9], gradient[3], gain = 0;
    for (int j = 0; j < 3; j++) {
        gradient[j] = once->gradient[j];
        for (int k = 0; k < n; k++) {
            gradient[j] -= once->normal[j * n + k] * s->settled[k];
        }
        for (int k = 0; k < 3; k++) {
            left[3 * j + k] = twice->normal[j * n + k];
            for (int i = 0; i < n * n; i++) {
                left[3 * j + k] -= once->normal[j * n + i / n] * s->inverse[i] * once->normal[k * n + i % n];
            }
        }
        step[j] = gradient[j];
    }
    if (!lab_solve_positive(3, left, step)) {
        return 0;
    }
    for (int k = 0; k < 3; k++) {
        gain += gradient[k] * step[k];
    }
    return gain;
}

static double gain_of_drift(const scan *s)
{
    block_sums once = {{0}, {0}}, twice = {{0}, {0}};
    double step[3];
    for (int b = 0; b < BLOCKS; b++) {
        double time = (b + 0.5) / BLOCKS - 0.5;
        add(&once, time, &s->block[b]);
        add(&twice, time * time, &s->block[b]);
    }
    return gain_of(s, &once, &twice, step);
}

/* The best part of at most half of the recording; its gain. */
static double find_part(const scan *s, int part[2], double step[3])
{
    double most = 0;
    for (int from = 0; from + MIN_BLOCKS <= BLOCKS; from++) {
        for (int to = from + MIN_BLOCKS; to <= BLOCKS && to - from <= BLOCKS / 2; to++) {
            block_sums sums = s->upto[to];
            double found[3];
            add(&sums, -1, &s->upto[from]);
            double gain = gain_of(s, &sums, &sums, found);
            if (gain > most) {
                most = gain;
                memcpy(step, found, sizeof found);
                part[0] = from;
                part[1] = to;
            }
        }
    }
    return most;
}

int lab_tumble_moved(const marl_log *log, const lab_tumble_readings *r, const marl_fit *fit, marl_span *span,
                     double by[3])
{
    scan s = {.n = isfinite(fit->matrix_sigma[0][1]) ? SURFACE : SPHERE};
    int64_t first = log->row[r->row[0]].sample.t_ns, last = log->row[r->row[r->n - 1]].sample.t_ns;
    int part[2] = {0, 0};
    if (r->n < MIN_READINGS) {
        return 0;
    }
    add_readings(log, r, fit, &s);
    if (!settle(&s)) {
        return 0;
    }
    double noise = s.changes / (s.readings - 1), gain = find_part(&s, part, by);
    double slow = s.squares - noise * s.readings;
    if (!(gain > MIN_GAIN * noise && gain > MIN_SHARE * slow && gain > OVER_DRIFT * gain_of_drift(&s))) {
        return 0;
    }
    span->from_ns = first + (last - first) / BLOCKS * part[0];
    span->to_ns = part[1] == BLOCKS ? last : first + (last - first) / BLOCKS * part[1];
    return 1;
}

int lab_tumble_without(const marl_log *log, const lab_tumble_readings *r, const marl_span *span,
                       lab_tumble_readings *rest)
{
    *rest = *r;
    rest->n = 0;
    rest->x = malloc((r->n + 1) * sizeof *rest->x);
    rest->row = malloc((r->n + 1) * sizeof *rest->row);
    rest->skip = calloc(r->n + 1, 1);
    for (size_t i = 0; i < r->n && rest->x != NULL && rest->row != NULL; i++) {
        int64_t t_ns = log->row[r->row[i]].sample.t_ns;
        if (t_ns < span->from_ns || t_ns > span->to_ns) {
            memcpy(rest->x[rest->n], r->x[i], sizeof *rest->x);
            rest->row[rest->n++] = r->row[i];
        }
    }
    return rest->x != NULL && rest->row != NULL && rest->skip != NULL;
}

void lab_tumble_readings_free(lab_tumble_readings *r)
{
    free(r->x);
    free(r->row);
    free(r->skip);
}
