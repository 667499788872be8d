/* SPDX-License-Identifier: MIT
 * Closures of a smoothed log: rests in which the board lay as it did before. */
#include "lab/log/series.h"
#include "lab/maths/linear.h"
#include "marlinspike/smooth.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define MIN_REST_S 2.0
#define SAME_TILT 0.003  /* rad, 0.2 degrees: equal directions of gravity */
#define SAME_FIELD 0.006 /* rad, of the field: equal readings of a magnetometer with noise */
#define MOVED 0.17       /* rad: in between it must have been elsewhere */

/* A rest: means of what was read, attitude and standard deviation in its middle. */
typedef struct rest {
    marl_span span;
    double accel[3], mag[3], readings[2];
    marl_quat q;
    double sigma;
} rest;

static void add_reading(double mean[3], double *n, marl_vec3 v)
{
    const double x[3] = {(double)v.x, (double)v.y, (double)v.z};
    (*n)++;
    for (int k = 0; k < 3; k++) {
        mean[k] += (x[k] - mean[k]) / *n;
    }
}

static const marl_smoothed_row *row_near(const marl_smoothed *s, int64_t t_ns)
{
    size_t low = 0, high = s->n - 1;
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (s->row[middle].t_ns < t_ns) {
            low = middle + 1;
        } else {
            high = middle;
        }
    }
    return &s->row[low];
}

static void close_rest(const marl_log *log, const marl_smoothed *s, rest *r, size_t *row)
{
    memset(r->accel, 0, sizeof r->accel);
    memset(r->mag, 0, sizeof r->mag);
    r->readings[0] = r->readings[1] = 0;
    for (; *row < log->n && log->row[*row].sample.t_ns <= r->span.to_ns; (*row)++) {
        const marl_sample *now = &log->row[*row].sample;
        if (now->t_ns < r->span.from_ns) {
            continue;
        }
        if (now->fresh & MARL_FRESH_ACCEL) {
            add_reading(r->accel, &r->readings[0], now->accel);
        }
        if (now->fresh & MARL_FRESH_MAG) {
            add_reading(r->mag, &r->readings[1], now->mag);
        }
    }
    const marl_smoothed_row *middle = row_near(s, (r->span.from_ns + r->span.to_ns) / 2);
    r->q = middle->q;
    r->sigma = hypot((double)middle->sigma_tilt, (double)middle->sigma_heading);
}

/* The still knots in a row, as rests. */
static size_t find_rests(const marl_log *log, const marl_smoothed *s, rest *rests)
{
    size_t n = 0, row = 0;
    for (size_t from = 0; from < s->knots;) {
        size_t to = from;
        while (to + 1 < s->knots && s->knot[from].still && s->knot[to + 1].still) {
            to++;
        }
        if (s->knot[from].still && (double)(s->knot[to].t_ns - s->knot[from].t_ns) >= MIN_REST_S * 1e9) {
            rests[n].span = (marl_span){s->knot[from].t_ns, s->knot[to].t_ns};
            close_rest(log, s, &rests[n++], &row);
        }
        from = to + 1;
    }
    return n;
}

static double angle_between(const double a[3], const double b[3])
{
    double c[3];
    lab_cross3(a, b, c);
    return atan2(sqrt(lab_dot3(c, c)), lab_dot3(a, b));
}

/* How far the attitude went away between the two, rad. */
static double went_away(const marl_smoothed *s, const rest *a, const rest *b)
{
    double farthest = 0;
    for (size_t i = 0; i < s->n; i++) {
        if (s->row[i].t_ns > a->span.to_ns && s->row[i].t_ns < b->span.from_ns) {
            farthest = fmax(farthest, lab_quat_angle(a->q, s->row[i].q));
        }
    }
    return farthest;
}

static int is_same(const rest *a, const rest *b, int with_mag)
{
    return angle_between(a->accel, b->accel) < SAME_TILT &&
           (!with_mag ||
            (a->readings[1] > 0 && b->readings[1] > 0 && angle_between(a->mag, b->mag) < SAME_FIELD));
}

marl_status marl_smooth_closures(const marl_log *log, const marl_smoothed *s, marl_closures *closures,
                                 marl_error *error)
{
    rest *rests = malloc((s->knots + 1) * sizeof *rests);
    closures->n = 0;
    if (rests == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    size_t n = find_rests(log, s, rests);
    int with_mag = s->heading_is_magnetic;
    for (size_t b = 1; b < n && with_mag && closures->n < MARL_CLOSURES_MAX; b++) {
        for (size_t a = b; a-- > 0;) {
            double away = is_same(&rests[a], &rests[b], with_mag) ? went_away(s, &rests[a], &rests[b]) : 0;
            if (away > MOVED) {
                closures->at[closures->n++] =
                    (marl_closure){rests[a].span, rests[b].span, away / MARL_DEGREE,
                                   lab_quat_angle(rests[a].q, rests[b].q) / MARL_DEGREE,
                                   hypot(rests[a].sigma, rests[b].sigma) / MARL_DEGREE};
                break;
            }
        }
    }
    free(rests);
    return MARL_OK;
}
