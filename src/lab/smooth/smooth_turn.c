/* SPDX-License-Identifier: MIT
 * How a body turns from one row to the next, from readings of its rate at the rows. Between them the rate is the cubic
 * through four, so that ten readings a second do for a hand. */
#include "lab/maths/statistics.h"
#include "lab/smooth/smooth_parts.h"
#include <math.h>
#include <stdlib.h>

#define SHORTEST_GAP_NS INT64_C(100000000)
#define GAP_STEPS 2.5 /* median ones */
#define UNEVEN 0.25   /* share of a step by which its neighbours may differ */
/* Of the difference that the cubic makes, what it may be off itself: a sensor's own low-pass is not known. */
#define CURVE_MISSED 0.5

double lab_step_s(const lab_smoother *s, size_t i)
{
    return i > 0 ? 1e-9 * (double)(s->sample[i].t_ns - s->sample[i - 1].t_ns) : 0;
}

static void reading(const lab_smoother *s, size_t i, double rate[3])
{
    rate[0] = (double)s->sample[i].gyro.x;
    rate[1] = (double)s->sample[i].gyro.y;
    rate[2] = (double)s->sample[i].gyro.z;
}

/* Are the steps before and after that into row i as long as it? */
static int is_even(const lab_smoother *s, size_t i)
{
    if (i < 2 || i + 1 >= s->rows) {
        return 0;
    }
    double step = lab_step_s(s, i), allowed = UNEVEN * step;
    return fabs(lab_step_s(s, i - 1) - step) <= allowed && fabs(lab_step_s(s, i + 1) - step) <= allowed;
}

/* What the cubic adds to the mean of the readings before and after the step into row i; zeros where steps are uneven. */
static void find_curve(const lab_smoother *s, size_t i, double curve[3])
{
    double a[3], b[3], c[3], d[3];
    int even = is_even(s, i);
    if (even) {
        reading(s, i - 2, a);
        reading(s, i - 1, b);
        reading(s, i, c);
        reading(s, i + 1, d);
    }
    for (int k = 0; k < 3; k++) {
        curve[k] = even ? (b[k] + c[k] - a[k] - d[k]) / 24 : 0;
    }
}

double lab_unseen2(const lab_smoother *s, size_t i)
{
    double curve[3], missed = CURVE_MISSED * lab_step_s(s, i);
    find_curve(s, i, curve);
    return missed * missed * (curve[0] * curve[0] + curve[1] * curve[1] + curve[2] * curve[2]) / 3;
}

static marl_status find_steps(lab_smoother *s, marl_error *error)
{
    double *step = malloc(s->rows * sizeof *step);
    if (step == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 1; i < s->rows; i++) {
        step[i] = 1e9 * lab_step_s(s, i);
    }
    double usual = s->rows > 1 ? lab_quantile(step + 1, s->rows - 1, 0.5) : 0;
    s->usual_step = 1e-9 * usual;
    s->gap_ns = (int64_t)fmax((double)SHORTEST_GAP_NS, GAP_STEPS * usual);
    free(step);
    return MARL_OK;
}

marl_status lab_smooth_find_rates(lab_smoother *s, marl_error *error)
{
    s->rate = malloc(3 * s->rows * sizeof *s->rate);
    if (s->rate == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < s->rows; i++) {
        double before[3], here[3], curve[3];
        reading(s, i > 0 ? i - 1 : 0, before);
        reading(s, i, here);
        find_curve(s, i, curve);
        for (int k = 0; k < 3; k++) {
            s->rate[3 * i + (size_t)k] = 0.5 * (before[k] + here[k]) + curve[k];
        }
        s->mean_force[0] += (double)s->sample[i].accel.x / (double)s->rows;
        s->mean_force[1] += (double)s->sample[i].accel.y / (double)s->rows;
        s->mean_force[2] += (double)s->sample[i].accel.z / (double)s->rows;
    }
    return find_steps(s, error);
}

void lab_force_at(const lab_smoother *s, size_t i, double force[3])
{
    const marl_vec3 *read = &s->sample[i].accel;
    force[0] = (double)read->x - s->mean_force[0];
    force[1] = (double)read->y - s->mean_force[1];
    force[2] = (double)read->z - s->mean_force[2];
}

/* (1 - E) (read - bias - S force), with the force of row i. */
static void correct(const lab_smoother *s, size_t i, const double read[3], const double bias[3],
                    double rate[3])
{
    double v[3], force[3];
    lab_force_at(s, i, force);
    for (int k = 0; k < 3; k++) {
        const double *row = s->constant + GYRO_FORCE + 3 * k;
        v[k] = read[k] - bias[k] - (row[0] * force[0] + row[1] * force[1] + row[2] * force[2]);
    }
    for (int k = 0; k < 3; k++) {
        const double *row = s->constant + GYRO_MATRIX + 3 * k;
        rate[k] = v[k] - (row[0] * v[0] + row[1] * v[1] + row[2] * v[2]);
    }
}

void lab_rate_at(const lab_smoother *s, size_t i, const double bias[3], double rate[3])
{
    double read[3];
    reading(s, i, read);
    correct(s, i, read, bias, rate);
}

/* An axis that itself turns adds step^2 / 12 times the cross product of the rates at both ends ("A new mathematical formulation
 * for strapdown inertial navigation", 1971); over a gap nothing is known of that. */
void lab_turn_into(const lab_smoother *s, size_t i, const double bias[3], double turned[3])
{
    double mean[3], a[3], b[3], step = lab_step_s(s, i);
    double coning = 1e9 * step <= (double)s->gap_ns ? step * step / 12 : 0;
    correct(s, i, s->rate + 3 * i, bias, mean);
    lab_rate_at(s, i > 0 ? i - 1 : 0, bias, a);
    lab_rate_at(s, i, bias, b);
    turned[0] = step * mean[0] + coning * (a[1] * b[2] - a[2] * b[1]);
    turned[1] = step * mean[1] + coning * (a[2] * b[0] - a[0] * b[2]);
    turned[2] = step * mean[2] + coning * (a[0] * b[1] - a[1] * b[0]);
}
